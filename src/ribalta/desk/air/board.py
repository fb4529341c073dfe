"""The board: cameras as live heads, their framings as pictures with letters and the time to each; then the scenes.

All but the live pictures is painted into a picture of its own that each frame only copies, and there anew only where
something has changed: most cameras stand still most of the time.
"""

from PySide6.QtCore import QPoint, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPixmap, QRegion, QResizeEvent
from PySide6.QtWidgets import QWidget

from ribalta.core.engine.state.live import SCENE_ROW, LiveState
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.model import LETTERS, Camera
from ribalta.core.show.document.scenes import Scene
from ribalta.desk.air import headings
from ribalta.desk.air.board_menu import Pointed, board_menu
from ribalta.desk.air.heads import Head, head_of, paint_corner, paint_head, paint_live
from ribalta.desk.air.layout import SCENES, Layout, TilePlace, laid_out
from ribalta.desk.air.row_looks import Same, live_looks, row_looks
from ribalta.desk.air.tiles import Tile, paint, picture_area, tile_of
from ribalta.desk.bridge import LIVE_MODIFIER, Bridge, one_shot
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.widgets import footlights
from ribalta.desk.words.framing_words import badge

LONG_PRESS_MS, RING_AFTER_MS, ON_ITS_WAY_S = 700, 300, 1.0
AROUND, LAMPS_TALL = 4, 10  # pixels around a place that are painted with it; below a live picture


class Board(QWidget):
    """`rename_wanted` asks for a name field over a place; `sizes_changed`: live pictures are shown at other sizes."""

    rename_wanted = Signal(TilePlace, QRectF)
    sizes_changed = Signal()

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._named: TilePlace | None = None
        self._row_asked: tuple[int, float] | None = None
        self._pressed: TilePlace | None = None
        self._stored_by_press = False
        self._press_timer = one_shot(self, LONG_PRESS_MS, self._long_press)
        self.setAccessibleName("Board")
        self.setToolTip("Click: ready · Alt and click: under Then · Ctrl and click: move on air · held: store here")
        self._still = QPixmap()
        self._painted: dict[str, tuple[object, ...]] = {}  # what each row was looked through for
        self._drawn: dict[tuple[float, float], Tile | Head | str] = {}  # what is painted, by where it is
        self._anew = QRegion()  # what was painted anew
        self._heads: dict[TilePlace, Head] = {}
        self._lights: dict[TilePlace, footlights.Footlights] = {}
        self._missing = False
        self._ticks = 0
        self._layout: Layout | None = None
        self._made_for: tuple[object, ...] = ()
        self._beside_id = ""
        self._prepared_for: tuple[object, ...] = ()
        bridge.changed.connect(self.refresh)
        bridge.tick.connect(self._update_live)

    # What is where

    def holds(self, place: TilePlace) -> bool:
        """Is there a framing or a scene at a place, on the page that is shown?"""
        state = self._bridge.state
        if place.letter is None:
            return False
        if place.camera == SCENES:
            return self._scene_on(place.letter) is not None
        camera = state.show.camera_numbered(place.camera)
        slot = state.desk.page * len(LETTERS) + LETTERS.index(place.letter)
        return camera is not None and state.show.framing_at(camera.id, slot) is not None

    def scene_number(self, letter: str) -> int:
        """Which scene a letter means, on the page that is shown."""
        return self._bridge.state.desk.page * len(LETTERS) + LETTERS.index(letter) + 1

    def _scene_on(self, letter: str) -> Scene | None:
        return self._bridge.state.show.scene_numbered(self.scene_number(letter))

    @property
    def named(self) -> TilePlace | None:
        """The place that was pressed last: what renaming, protecting and removing mean."""
        return self._named

    @named.setter
    def named(self, place: TilePlace | None) -> None:
        self._named = place
        self.refresh()

    @property
    def row_asked(self) -> int | None:
        """The row that was selected here just now, of which the engine may not have heard yet: a number, or SCENES."""
        if self._row_asked is None or self._bridge.now_s - self._row_asked[1] > ON_ITS_WAY_S:
            return None
        return self._row_asked[0]

    @row_asked.setter
    def row_asked(self, number: int) -> None:
        self._row_asked = (number, self._bridge.now_s)

    @property
    def layout_now(self) -> Layout:
        """Made anew when the size, the cameras, the camera that stands beside the wall, or the scenes change."""
        state = self._bridge.state
        rows = state.desk.row, self.row_asked
        wanted = (state.show.cameras, state.show.scenes, rows, state.desk.page, self.size())
        if self._layout is None or any(a is not b and a != b for a, b in zip(self._made_for, wanted, strict=True)):
            self._made_for = wanted
            made = laid_out(state.show.cameras, self._beside(state), self._scenes_here(), self.width(), self.height())
            if self._layout is None or not made.looks_like(self._layout):
                self._still = QPixmap()
                self.sizes_changed.emit()
            self._layout = made
        return self._layout

    def _beside(self, state: LiveState) -> Camera | None:
        """The camera whose framings are shown when not all can be; None: the scenes are."""
        steered = sorted((c for c in state.show.cameras if c.steered), key=lambda c: c.number)
        asked = self.row_asked
        if asked == SCENES or (asked is None and state.desk.row == SCENE_ROW):
            return None
        row = next((c.id for c in steered if c.number == asked), None) or state.desk.row
        if any(c.id == row for c in steered):
            self._beside_id = row or ""
        return next((c for c in steered if c.id == self._beside_id), steered[0] if steered else None)

    def _scenes_here(self) -> int:
        """How many letters the scenes of this page take."""
        return max((k + 1 for k, letter in enumerate(LETTERS) if self._scene_on(letter) is not None), default=0)

    def area_of(self, place: TilePlace) -> QRectF | None:
        return self.layout_now.area_of(place)

    # Painting

    def refresh(self) -> None:
        ratio = self.devicePixelRatioF()
        layout = self.layout_now
        if self._still.size() != self.size() * ratio:
            self._still = QPixmap(self.size() * ratio)
            self._still.setDevicePixelRatio(ratio)
            self._still.fill(look.NIGHT)
            self._painted, self._drawn, self._heads = {}, {}, {}
            self._anew = QRegion(self.rect())
        state, now_s = self._bridge.state, self._bridge.now_s
        painter = QPainter(self._still)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not state.show.cameras:
            headings.nothing(painter, QRectF(self.rect()))
        else:
            self._refresh_parts(painter, layout, state, now_s)
        painter.end()
        self.update(self._anew)
        self._anew = QRegion()

    def _refresh_parts(self, painter: QPainter, layout: Layout, state: LiveState, now_s: float) -> None:
        rows = {place.camera for place in layout.tiles}
        common = (*map(Same, (state.show, state.verdicts)), state.desk.page, state.desk.bank)
        lives = {camera.id: live_looks(state, camera, now_s) for camera in layout.cameras}
        for camera in layout.cameras:
            named = self._named if self._named and self._named.camera == camera.number else None
            if self._fresh(
                camera.id, (common, row_looks(state, camera), named, lives[camera.id], layout.beside is camera)
            ):
                self._paint_camera(painter, layout, camera, state, now_s)
                if camera.number in rows:
                    self._row(painter, layout, camera, state, now_s)
                if self._missing:  # a picture may still come
                    del self._painted[camera.id]
        program = state.program
        shots = map(Same, (program.on_air, program.next, program.then, program.overlays, program.pending))
        if self._fresh(SCENE_ROW, (common, *shots, state.desk.row, self._named, *lives.values())):
            self._scenes(painter, layout, state, now_s)
            if self._missing:
                del self._painted[SCENE_ROW]
        self._headings(painter, layout, state)
        if layout.wall and layout.beside is not None:
            self._prepare(layout, state)

    def _prepare(self, layout: Layout, state: LiveState) -> None:
        """The pictures of the cameras that are not shown now, for when they are selected."""
        wanted = (Same(state.show.framings), state.desk.page, layout.size)
        if self._prepared_for == wanted:
            return
        self._prepared_for = wanted
        area = next((a for p, a in layout.tiles.items() if p.camera != SCENES), None)
        first = state.desk.page * len(LETTERS)
        for framing in state.show.framings:
            if area is not None and first <= framing.slot < first + len(LETTERS):
                self._stored(framing.picture, area)

    def _fresh(self, name: str, looks: tuple[object, ...]) -> bool:
        """Has something in a row changed? Then it is remembered for what it is looked through now."""
        if self._painted.get(name) == looks:
            return False
        self._painted[name] = looks
        self._missing = False
        return True

    def _changed(self, area: QRectF, says: Tile | Head | str) -> bool:
        """Is something else painted there?"""
        key = (area.left(), area.top())
        if self._drawn.get(key) == says:
            return False
        self._drawn[key] = says
        self._anew += area.adjusted(-AROUND, -AROUND, AROUND, AROUND).toAlignedRect()
        return True

    def _paint_camera(self, painter: QPainter, layout: Layout, camera: Camera, state: LiveState, now_s: float) -> None:
        place = TilePlace(camera.number)
        lights = self._lights[place] = footlights.of_camera(state, camera.id, now_s)
        head = self._heads[place] = head_of(state, camera, lights, self._bridge.now_s)
        area = layout.heads[place]
        if self._changed(area, head):
            paint_head(painter, area, layout.live_area(place), head, not camera.steered)

    def _row(self, painter: QPainter, layout: Layout, camera: Camera, state: LiveState, now_s: float) -> None:
        for k, letter in enumerate(LETTERS):
            framing = state.show.framing_at(camera.id, state.desk.page * len(LETTERS) + k)
            area = layout.tiles[TilePlace(camera.number, letter)]
            if framing is None:
                tile = Tile(letter, chosen=state.desk.row == camera.id)
            else:
                tile = tile_of(
                    state,
                    Shot(camera.id, framing.id),
                    now_s,
                    letter=letter,
                    name=framing.name,
                    picture=framing.picture,
                    named=self._named == TilePlace(camera.number, letter),
                    there=self._stored(framing.picture, area) is not None,
                    protected=framing.protected,
                    badge=badge(state, framing),
                )
            self._paint_tile(painter, area, tile)

    def _stored(self, name: str | None, area: QRectF) -> QPixmap | None:
        picture = picture_area(area)
        return self._bridge.stored_picture_soon(name, int(picture.width()), int(picture.height()))

    def _paint_tile(self, painter: QPainter, area: QRectF, tile: Tile) -> None:
        self._missing = self._missing or (tile.picture is not None and not tile.there)
        self._bridge.give_way()
        if self._changed(area, tile):
            paint(painter, area, tile, self._stored(tile.picture, area))

    def _scenes(self, painter: QPainter, layout: Layout, state: LiveState, now_s: float) -> None:
        for k, letter in enumerate(LETTERS):
            area, scene = layout.tiles.get(TilePlace(SCENES, letter)), self._scene_on(letter)
            if area is None:
                continue
            if scene is None:
                tile = Tile(letter, chosen=state.desk.row == SCENE_ROW)
            else:
                base = scene.base
                tile = tile_of(
                    state,
                    Shot(base.camera_id or "", base.framing_id, base.medium_id, scene.id),
                    now_s,
                    letter=letter,
                    name=scene.name,
                    picture=scene.picture,
                    named=self._named == TilePlace(SCENES, LETTERS[k]),
                    there=self._stored(scene.picture, area) is not None,
                )
            self._paint_tile(painter, area, tile)

    def _headings(self, painter: QPainter, layout: Layout, state: LiveState) -> None:
        for name, area in layout.words.items():
            bold, said = ("", name) if name != "large" else headings.beside(layout, state)
            if self._changed(area, f"{bold}|{said}"):
                headings.paint(painter, area, bold, said, selected=False)
        area, selected = layout.heads[TilePlace(SCENES)], state.desk.row == SCENE_ROW
        said = headings.scenes(layout, state, self._scenes_here())
        if self._changed(area, f"{selected}|{said}"):
            headings.paint(painter, area, str(SCENES), said, selected)

    def _update_live(self) -> None:
        self._ticks += 1
        if self._ticks % 2:  # the small pictures come half as often as the large ones
            layout = self.layout_now
            for place in layout.heads:
                if place.camera != SCENES:
                    self.update(layout.live_area(place).adjusted(0, 0, 0, LAMPS_TALL).toAlignedRect())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, layout = QPainter(self), self.layout_now
        painter.drawPixmap(0, 0, self._still)
        for place, head in self._heads.items():
            camera = layout.camera_of(place) if place in layout.heads else None
            if camera is None:
                continue
            live = layout.live_area(place)
            if not event.region().intersects(live.adjusted(0, 0, 0, LAMPS_TALL).toAlignedRect()):
                continue
            self._bridge.give_way()
            image = self._bridge.picture_of(camera.id)
            age_s = self._bridge.old_picture_s(camera.id)
            paint_live(painter, live, image, self._lights[place], age_s)
            if camera.steered:
                paint_corner(painter, layout.heads[place], live, head)

    def accessible_parts(self) -> list[Part]:
        """Heads, then framings and scenes by their letters, as they are painted."""
        layout = self.layout_now
        found = [
            Part(
                layout.heads[place],
                f"{head.number} {head.name}",
                " ".join((head.words, head.wrong, head.status)).strip(),
            )
            for place, head in self._heads.items()
        ]
        for place, area in layout.tiles.items():
            tile = self._drawn.get((area.left(), area.top()))
            if isinstance(tile, Tile):
                where = f"{place.camera} {tile.letter}" if place.camera != SCENES else f"scene {tile.letter}"
                found.append(Part(area, f"{where} {tile.name}".strip(), tile.word or tile.time or "free"))
        return found

    # Pressing

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pressed = self.layout_now.place_at(event.position())
        self._stored_by_press = False
        left = event.button() == Qt.MouseButton.LeftButton
        if left and self._pressed is not None and self._pressed.letter is not None:
            self._press_timer.start(RING_AFTER_MS if self.holds(self._pressed) else LONG_PRESS_MS)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None and self.layout_now.place_at(event.position()) != self._pressed:
            self._pressed = None
            self._let_go()

    def _let_go(self) -> None:
        self._press_timer.stop()
        self._bridge.let_go()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._let_go()
        place, self._pressed = self._pressed, None
        if place is None or self._stored_by_press:
            return
        if event.button() == Qt.MouseButton.RightButton:
            self.open_menu(place, event.globalPosition().toPoint())
            return
        if place.letter is None or (self.holds(place) and place.camera != SCENES):
            self.row_asked = place.camera
        queue = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if place.letter is None:
            self._press_head(place)
        elif place.camera == SCENES:
            self.named = place  # and the letters stay the selected camera's: what is pressed does not move away
            self._bridge.act("scene.ready", scene=self.scene_number(place.letter), queue=queue)
        else:
            self.named = place
            arguments = {"camera": place.camera, "letter": place.letter}
            if queue:
                self._bridge.act("queue.framing", **arguments)
            else:
                self._bridge.act("ready.framing", **arguments, live=bool(event.modifiers() & LIVE_MODIFIER))

    def _press_head(self, place: TilePlace) -> None:
        """It is selected; a fixed camera is readied, as by its number."""
        camera = self.layout_now.camera_of(place)
        if camera is None:
            self._bridge.act("row.scenes")
        else:
            self._bridge.act("row.select" if camera.steered else "ready.camera", camera=camera.number)

    def open_menu(self, place: TilePlace, at: QPoint) -> None:
        """What can be done with a place, in words."""
        number = 0
        if place.letter is not None:
            self.named, number = place, self.scene_number(place.letter)
        board_menu(self, self._bridge, Pointed(place, self.holds(place), number, lambda: self.ask_for_name(place)), at)

    def ask_for_name(self, place: TilePlace) -> None:
        area = self.area_of(place)
        if area is not None:
            self.rename_wanted.emit(place, area)

    def _long_press(self) -> None:
        place = self._pressed
        if place is None or place.letter is None:
            return
        self._stored_by_press = True
        self.named = place
        if place.camera == SCENES:
            call = Call(action="scene.store", arguments={"scene": self.scene_number(place.letter)})
        else:
            call = Call(action="framing.store", arguments={"camera": place.camera, "letter": place.letter})
        self._bridge.begin(call)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.refresh()
