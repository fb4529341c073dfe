"""The board: a row for each camera, its framings as pictures with letters and the time to it; then the scenes."""

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPixmap, QResizeEvent
from PySide6.QtWidgets import QWidget

from ribalta.core.engine.state.live import SCENE_ROW, LiveState
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import LETTERS, Camera
from ribalta.core.show.document.scenes import Scene
from ribalta.desk.air.layout import SCENES, Layout, TilePlace
from ribalta.desk.air.row_looks import Same, blind_words, live_looks, row_looks
from ribalta.desk.air.tiles import Tile, paint, picture_area, text_px, tile_of
from ribalta.desk.bridge import LIVE_MODIFIER, Bridge, one_shot
from ribalta.desk.widgets import footlights, look
from ribalta.desk.widgets.words import badge

LONG_PRESS_MS = 700


class Board(QWidget):
    """`rename_wanted` asks for a name field over a place."""

    rename_wanted = Signal(TilePlace, QRectF)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._named: TilePlace | None = None
        self.row_asked: int | None = None
        self._pressed: TilePlace | None = None
        self._stored_by_press = False
        self._press_timer = one_shot(self, LONG_PRESS_MS, self._long_press)
        self.setAccessibleName("Board")
        self.setToolTip("Click: ready · right click: under Then · Ctrl and click: move on air · long press: store here")
        self._still = QPixmap()
        self._painted: dict[str, tuple[object, ...]] = {}  # what each row was looked through for
        self._heads: dict[str, tuple[object, ...]] = {}
        self._tiles: dict[tuple[str, int], Tile] = {}
        self._painted_for: Layout | None = None
        self._missing = False
        self._ticks = 0
        self._layout: Layout | None = None
        bridge.changed.connect(self.refresh)
        bridge.tick.connect(self._update_live)

    def holds(self, place: TilePlace) -> bool:
        """Is there a framing at a place, on the page that is shown?"""
        state = self._bridge.state
        if place.camera == SCENES and place.letter is not None:
            return self._scene_on(place.letter) is not None
        camera = state.show.camera_numbered(place.camera)
        if camera is None or place.letter is None:
            return False
        return (
            state.show.framing_at(camera.id, state.desk.page * len(LETTERS) + LETTERS.index(place.letter)) is not None
        )

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
    def layout_now(self) -> Layout:
        cameras = self._bridge.state.show.cameras
        size = (self.width(), self.height())
        if self._layout is None or self._layout.source is not cameras or self._layout.size != size:
            self._layout = Layout(cameras, *size)
        return self._layout

    def area_of(self, place: TilePlace) -> QRectF | None:
        return self.layout_now.area_of(place)

    # Painting

    def refresh(self) -> None:
        """Paint anew everything but the live pictures, into a picture of its own that each frame only copies.

        Rows and tiles in which nothing has changed stay as they are: most cameras stand still most of the time.
        """
        ratio = self.devicePixelRatioF()
        if self._still.size() != self.size() * ratio or self._painted_for is not self.layout_now:
            self._still = QPixmap(self.size() * ratio)
            self._still.setDevicePixelRatio(ratio)
            self._still.fill(look.NIGHT)
            self._painted, self._heads, self._tiles = {}, {}, {}
            self._painted_for = self.layout_now
        state, now_s = self._bridge.state, self._bridge.now_s
        painter = QPainter(self._still)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        layout = self.layout_now
        if not state.show.cameras:
            painter.setPen(look.SOFT)
            painter.setFont(look.font(16))
            said = "This show has no cameras yet. Open one that has, or see six of them at work with: ribalta demo"
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, said)
        lives = {camera.id: live_looks(state, camera, now_s) for camera in layout.cameras}
        common = (*map(Same, (state.show, state.verdicts)), state.desk.page)
        for camera, row in zip(layout.cameras, layout.rows, strict=True):
            own = (
                row_looks(state, camera),
                self._named if self._named and self._named.camera == camera.number else None,
            )
            if self._fresh(camera.id, (common, own, lives[camera.id])):
                self._row(painter, row, camera, state, now_s)
        if state.show.cameras:
            shots = (
                *map(
                    Same,
                    (
                        state.program.on_air,
                        state.program.next,
                        state.program.then,
                        state.program.overlays,
                        state.program.pending,
                    ),
                ),
                state.desk.row,
            )
            if self._fresh(SCENE_ROW, (common, shots, self._named, *lives.values())):
                self._scenes(painter, layout.scene_row, state, now_s)
        painter.end()
        self.update()

    def _fresh(self, name: str, looks: tuple[object, ...]) -> bool:
        """Has something in a row changed? Then it is remembered for what it is looked through now."""
        if self._painted.get(name) == looks:
            return False
        self._painted[name] = looks
        self._missing = False
        return True

    def _row(self, painter: QPainter, row: QRectF, camera: Camera, state: LiveState, now_s: float) -> None:
        head = (
            camera.number,
            camera.name,
            state.desk.row == camera.id,
            state.show.settings.cover_camera_id == camera.id,
        )
        if self._heads.get(camera.id) != head:
            self._heads[camera.id] = head
            painter.fillRect(row.adjusted(0, -2, 0, 2) if not camera.steered else self._head_area(row), look.NIGHT)
            self._head(painter, row, camera, state)
            if not camera.steered:
                self._fixed(painter, row, camera)
        if not camera.steered:
            return
        there = {f.slot: f for f in state.show.framings if f.camera_id == camera.id}
        for k, letter in enumerate(LETTERS):
            framing = there.get(state.desk.page * len(LETTERS) + k)
            area = self.layout_now.tile_area(row, k)
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
            self._paint_tile(painter, (camera.id, k), area, tile)
        if self._missing:  # a picture may still come
            del self._painted[camera.id]

    def _stored(self, name: str | None, area: QRectF) -> QPixmap | None:
        picture = picture_area(area)
        return self._bridge.stored_picture(name, int(picture.width()), int(picture.height()))

    def _paint_tile(self, painter: QPainter, key: tuple[str, int], area: QRectF, tile: Tile) -> None:
        self._missing = self._missing or (tile.picture is not None and not tile.there)
        self._bridge.give_way()
        if self._tiles.get(key) != tile:
            self._tiles[key] = tile
            paint(painter, area, tile, self._stored(tile.picture, area))

    def _head_area(self, row: QRectF) -> QRectF:
        return QRectF(row.left(), row.top() - 2, self.layout_now.head_px - 3, row.height() + 4)

    def _update_live(self) -> None:
        self._ticks += 1
        live = [self.layout_now.live_area(row) for row in self.layout_now.rows]
        if live and self._ticks % 2:  # the small pictures come half as often as the large ones
            left = min(area.left() for area in live)
            self.update(QRectF(left, 0, live[0].right() - left, self.height()).toAlignedRect())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._still)
        state, now_s = self._bridge.state, self._bridge.now_s
        layout = self.layout_now
        for camera, row in zip(layout.cameras, layout.rows, strict=True):
            self._live(painter, layout.live_area(row), camera, state, now_s)

    def _head(self, painter: QPainter, row: QRectF, camera: Camera, state: LiveState) -> None:
        chosen = state.desk.row == camera.id
        text = QRectF(row.left(), row.top(), self.layout_now.head_px, row.height())
        painter.fillRect(text.adjusted(0, 0, -6, 0), look.RAIL if chosen else look.WOOD)
        if chosen:
            painter.fillRect(QRectF(row.left(), row.top(), 4, row.height()), look.TEXT)
        live = self.layout_now.live_area(row)
        room = QRectF(row.left() + 12, row.top(), live.left() - row.left() - 16, row.height())
        low = row.height() < 54
        digit = int(min(40.0, max(22.0, row.height() * 0.4)))
        painter.setFont(look.font(digit, look.BOLD))
        painter.setPen(look.TEXT)
        upper = room.adjusted(0, 0, 0, 0 if low else -row.height() * 0.34)
        painter.drawText(upper, Qt.AlignmentFlag.AlignVCenter, str(camera.number))
        lower = room.adjusted(digit + 2.0, 0, 0, 0) if low else room.adjusted(0, row.height() * 0.56, 0, -2)
        painter.setFont(look.font(13 if low else text_px(row), look.MEDIUM, narrow=True))
        painter.setPen(look.SOFT)
        name = painter.fontMetrics().elidedText(camera.name, Qt.TextElideMode.ElideRight, int(lower.width()))
        painter.drawText(lower, Qt.AlignmentFlag.AlignVCenter, name)

    def _live(self, painter: QPainter, live: QRectF, camera: Camera, state: LiveState, now_s: float) -> None:
        self._bridge.give_way()
        lights = footlights.of_camera(state, camera.id, now_s)
        image = self._bridge.picture_of(camera.id)
        if image is not None:
            painter.drawImage(live.topLeft() if image.width() == int(live.width()) else live, image)
        else:
            painter.fillRect(live, look.INK)
        if not state.live(camera.id).picture:
            painter.fillRect(live, QColor(20, 17, 14, 165))
            if image is not None:
                painter.setPen(look.WRONG)
                painter.setFont(look.font(11, narrow=True))
                age = f"{int(self._bridge.picture_age_s(camera.id))} s old"
                painter.drawText(live.adjusted(4, 1, 0, 0), 0, age)
        blind = blind_words(state, camera)
        if blind:
            painter.setFont(look.font(11, look.MEDIUM, narrow=True))
            box = QRectF(live.left(), live.top(), painter.fontMetrics().horizontalAdvance(blind) + 8, 16)
            painter.fillRect(box, QColor(18, 15, 12, 205))
            painter.setPen(look.SOFT if camera.recall_only else look.WRONG)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, blind)
        footlights.paint(painter, QRectF(live.left(), live.bottom() + 2, live.width(), 7), lights, 10)
        footlights.paint_words(painter, live, lights, 11)

    def _fixed(self, painter: QPainter, row: QRectF, camera: Camera) -> None:
        painter.setPen(look.SOFT)
        painter.setFont(look.font(14))
        cover = self._bridge.state.show.settings.cover_camera_id == camera.id
        said = f"Fixed. Press {camera.number} to ready it."
        if cover:
            said = f"Fixed: the cover shot. Tab goes to it at once; {camera.number} readies it."
        room = row.adjusted(self.layout_now.head_px + 8, 0, 0, 0)
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, said)

    def _scenes(self, painter: QPainter, row: QRectF, state: LiveState, now_s: float) -> None:
        chosen, none = state.desk.row == SCENE_ROW, not state.show.scenes
        if self._heads.get(SCENE_ROW) != (chosen, none):
            self._heads[SCENE_ROW] = (chosen, none)
            self._tiles = {key: tile for key, tile in self._tiles.items() if key[0] != SCENE_ROW}
            painter.fillRect(row.adjusted(0, -2, 0, 2), look.NIGHT)
            self._scenes_head(painter, row, chosen, none)
        for k, letter in enumerate(LETTERS if not none else ""):
            area, scene = self.layout_now.tile_area(row, k), self._scene_on(letter)
            if scene is None:
                tile = Tile(letter, chosen=chosen)
            else:
                base = scene.base
                tile = tile_of(
                    state,
                    Shot(base.camera_id or "", base.framing_id, base.medium_id, scene.id),
                    now_s,
                    letter=letter,
                    name=scene.name,
                    picture=scene.picture,
                    named=self._named == TilePlace(SCENES, letter),
                    there=self._stored(scene.picture, area) is not None,
                )
            self._paint_tile(painter, (SCENE_ROW, k), area, tile)
        if self._missing:
            del self._painted[SCENE_ROW]

    def _scenes_head(self, painter: QPainter, row: QRectF, chosen: bool, none: bool) -> None:
        head = QRectF(row.left(), row.top(), self.layout_now.head_px - 6, row.height())
        painter.fillRect(head, look.RAIL if chosen else look.WOOD)
        if chosen:
            painter.fillRect(QRectF(row.left(), row.top(), 4, row.height()), look.TEXT)
        digit = int(min(40.0, max(22.0, row.height() * 0.4)))
        painter.setPen(look.TEXT)
        painter.setFont(look.font(digit, look.BOLD))
        painter.drawText(head.adjusted(12, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, str(SCENES))
        painter.setPen(look.SOFT)
        painter.setFont(look.font(14, look.MEDIUM))
        painter.drawText(head.adjusted(digit + 16.0, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, "Scenes")
        if none:
            room = row.adjusted(self.layout_now.head_px + 8, 0, 0, 0)
            said = "No scenes yet. 0, then Shift+Q stores what is on air, with all that lies over it, as the first."
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, said)

    # Pressing

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pressed = self.layout_now.place_at(event.position())
        self._stored_by_press = False
        left = event.button() == Qt.MouseButton.LeftButton
        if left and self._pressed is not None and self._pressed.letter is not None:
            self._press_timer.start()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None and self.layout_now.place_at(event.position()) != self._pressed:
            self._pressed = None
            self._press_timer.stop()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._press_timer.stop()
        place, self._pressed = self._pressed, None
        if place is None or self._stored_by_press:
            return
        if place.letter is None or self.holds(place):
            self.row_asked = place.camera
        if place.camera == SCENES:
            self._press_scene(place, event.button() == Qt.MouseButton.RightButton)
            return
        if place.letter is None:
            only_name = event.button() == Qt.MouseButton.RightButton
            self._bridge.act("row.name" if only_name else "ready.camera", camera=place.camera)
            return
        self.named = place
        arguments = {"camera": place.camera, "letter": place.letter}
        if event.button() == Qt.MouseButton.RightButton:
            self._bridge.act("queue.framing", **arguments)
        else:
            live = bool(event.modifiers() & LIVE_MODIFIER)
            self._bridge.act("ready.framing", **arguments, live=live)

    def _press_scene(self, place: TilePlace, queue: bool) -> None:
        self._bridge.act("row.scenes")
        if place.letter is not None:
            self.named = place
            number = self.scene_number(place.letter)
            self._bridge.act("scene.ready", scene=number, queue=queue)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        place = self.layout_now.place_at(event.position())
        if place is not None:
            self.ask_for_name(place)

    def ask_for_name(self, place: TilePlace) -> None:
        area = self.area_of(place)
        if area is not None:
            self.rename_wanted.emit(place, area)

    def _long_press(self) -> None:
        if self._pressed is not None and self._pressed.letter is not None:
            self._stored_by_press = True
            self.named = self._pressed
            if self._pressed.camera == SCENES:
                number = self.scene_number(self._pressed.letter)
                self._bridge.act("scene.store", scene=number, overwrite=True)
                return
            self._bridge.act("framing.store", camera=self._pressed.camera, letter=self._pressed.letter, overwrite=True)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.refresh()
