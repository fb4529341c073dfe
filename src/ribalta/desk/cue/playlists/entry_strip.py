"""A playlist as a strip of pictures whose width is their time: selected, dragged to another place, stretched at the
right edge, and filled from the pictures beside it. Below it lies the travel chart, at the same scale.
"""

from collections.abc import Mapping, Sequence

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QFocusEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QApplication, QMenu, QPushButton, QSizePolicy, QWidget

from ribalta.core.show.automation.calls import Item, Kind
from ribalta.core.show.automation.playlists import FOR_EVER, Playlist
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue.playlists.chart import SHORTEST_S, head_wide
from ribalta.desk.cue.playlists.entries import entry_words
from ribalta.desk.cue.playlists.entry_painting import CAPTION, PICTURE, TileLook, paint_late, paint_tile
from ribalta.desk.cue.playlists.strip_layout import ABOVE, StripLayout
from ribalta.desk.cue.playlists.tiles import Tile
from ribalta.desk.cue.playlists.timeline import Timeline
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.widgets.lists.item_drag import items_in
from ribalta.desk.widgets.lists.offered_menu import open_offered
from ribalta.desk.widgets.lists.several import Several

KINDS = (Kind.FRAMING, Kind.CAMERA, Kind.SCENE, Kind.MEDIUM, Kind.MACRO, Kind.PLAYLIST)
STEP_S = 0.5
EMPTY = "Drag framings, scenes and media here from below, or select some there and press Enter."


class EntryStrip(QWidget):
    """`selected_at` are the places of the entries that are selected, `at` the one the keyboard is at.

    `selected` says that this has changed; `placed` comes with places and the one they are to go before, `stretched`
    with new lengths in seconds by place, first (`holding`) while they are dragged; `dropped` with items and where.
    """

    selected = Signal()
    placed = Signal(list, int)
    holding = Signal(object)
    stretched = Signal(object)
    dropped = Signal(object, int)

    def __init__(self, bridge: Bridge, timeline: Timeline, several: Several) -> None:
        super().__init__()
        self._bridge, self._timeline, self._several = bridge, timeline, several
        self.tile_layout = StripLayout(timeline)
        self.playlist: Playlist | None = None
        self.tiles: list[Tile] = []
        self.selected_at: list[int] = []
        self.at: int | None = None
        self._anchor: int | None = None
        self.now_s: float | None = None
        self.playing: int | None = None  # the place that is on air now
        self._offered: tuple[QPushButton, ...] = ()
        self._remove: QPushButton | None = None
        self._pressed: QPointF | None = None
        self._goes_before: int | None = None  # where what is dragged would go: a position among the tiles
        self._edge: tuple[Tile, float, float] | None = None  # whose, from where, how many pixels a second
        self._lengths: Mapping[int, float] = {}
        self._leave_one = False
        self.setAccessibleName("Entries")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(look.scaled(ABOVE + CAPTION) + PICTURE + 4)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setToolTip("Drag to another place · drag a right edge to stretch · Ctrl+arrows move, + and - stretch")
        timeline.changed.connect(self.update)

    def offer(self, *buttons: QPushButton, remove: QPushButton) -> None:
        """What the context menu has."""
        self._offered, self._remove = (*buttons, remove), remove

    def show_tiles(
        self, playlist: Playlist | None, tiles: Sequence[Tile], now_s: float | None, playing: int | None
    ) -> None:
        """`now_s`: seconds since the round began, if it runs; `playing`: the place that is on air."""
        if playlist is None or self.playlist is None or playlist.id != self.playlist.id:
            self.selected_at, self.at, self._anchor = [], None, None
        self.playlist, self.tiles, self.now_s, self.playing = playlist, list(tiles), now_s, playing
        self.tile_layout.playlist, self.tile_layout.tiles = playlist, self.tiles
        count = len(playlist.entries) if playlist is not None else 0
        self.selected_at = [place for place in self.selected_at if place < count]
        self.at = self.at if self.at is not None and self.at < count else None
        self._timeline.show_spans([(t.begins_s, t.ends_s) for t in self.tiles], held=self._edge is not None)
        self.update()

    def select(self, places: Sequence[int]) -> None:
        """These, the last of which the keyboard is at then."""
        self.selected_at = sorted(set(places))
        self.at = self._anchor = places[-1] if places else None
        self.selected.emit()
        self.update()

    def selected_keys(self) -> list[str]:
        """The places that are selected, as text."""
        return [str(place) for place in self.selected_at]

    def accessible_parts(self) -> list[Part]:
        """The entries, how long each is, whether it lands, and what is selected."""
        playlist, parts = self.playlist, list[Part]()
        for k, tile in enumerate(self.tiles):
            assert playlist is not None
            words = entry_words(self._bridge, playlist, tile.entry)
            said = ["left out"] if tile.entry.off else ["was removed"] if tile.gone else []
            said += [f"late {look.seconds(tile.late_s)} s"] if tile.late_s > 0.01 else []
            said += ["on air"] if tile.place == self.playing else []
            said += ["selected"] if tile.place in self.selected_at else []
            note = f", {tile.entry.note}" if tile.entry.note else ""
            parts.append(Part(self.tile_layout.area_of(k), f"{tile.place + 1}  {words}{note}", ", ".join(said)))
        return parts

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        playlist = self.playlist
        body = QRectF(head_wide(), look.scaled(ABOVE), self.width() - head_wide() - 8, PICTURE + look.scaled(CAPTION))
        if playlist is None or not self.tiles:
            painter.setPen(QPen(look.EDGE, 1, Qt.PenStyle.DashLine))
            painter.drawRect(body)
            painter.setPen(look.SOFT)
            painter.setFont(look.font(14))
            words = EMPTY if playlist is not None else "Make a playlist first: Add, at the right."
            painter.drawText(body, Qt.AlignmentFlag.AlignCenter, words)
        self._head(painter, body)
        painter.setClipRect(QRectF(head_wide() - 2, 0, self.width() - head_wide() - 4, self.height()))
        for k, tile in enumerate(self.tiles):
            area = self.tile_layout.area_of(k)
            if area.right() >= head_wide() and area.left() <= self.width():
                self._bridge.give_way()
                paint_tile(painter, self._bridge, area, tile, self._look_of(tile))
        areas = [self.tile_layout.area_of(k) for k in range(len(self.tiles))]
        paint_late(painter, areas, self.tiles, float(head_wide()), self.width() - 8.0)
        if self._goes_before is not None:
            x = self.tile_layout.gap_before(self._goes_before)
            painter.setPen(QPen(look.LAMP_WARM, 4))
            painter.drawLine(QPointF(x, look.scaled(ABOVE) - 4), QPointF(x, self.height()))
        if self.now_s is not None:
            painter.setPen(QPen(look.TEXT, 2))
            x = head_wide() + self._timeline.x_of(self.now_s)
            painter.drawLine(QPointF(x, look.scaled(ABOVE)), QPointF(x, self.height()))

    def _head(self, painter: QPainter, body: QRectF) -> None:
        if self.playlist is None:
            return
        count = len(self.playlist.entries)
        painter.setPen(look.SOFT)
        painter.setFont(look.font(14, narrow=True))
        box = QRectF(8, body.top(), head_wide() - 12, body.height())
        words = f"{count} {'entry' if count == 1 else 'entries'}" + ("\nby lot" if self.playlist.shuffle else "")
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, words)

    def _look_of(self, tile: Tile) -> TileLook:
        playlist = self.playlist
        assert playlist is not None
        seconds, share = self._lengths.get(tile.place, playlist.length_s(tile.entry)), None
        if tile.place == self.playing:
            gone = (self.now_s or tile.begins_s) - tile.begins_s
            share = min(1.0, max(0.02, gone / max(0.01, tile.ends_s - tile.begins_s)))
        at = tile.place == self.at and self.hasFocus()
        return TileLook(seconds, share, self.tile_layout.has_length(tile), tile.place in self.selected_at, at)

    # Hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is not Qt.MouseButton.LeftButton:
            return
        at = event.position()
        edge = self.tile_layout.edge_at(at)
        if edge is not None:
            self._edge, self._lengths = (edge, at.x(), self._timeline.scale.per_s), {}
            if edge.place not in self.selected_at:
                self.select([edge.place])
            return
        k = self.tile_layout.position_at(at)
        if k is None:
            self.select([])
            return
        place = self.tiles[k].place
        self._leave_one = False
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            kept = [p for p in self.selected_at if p != place]
            self.select(kept if place in self.selected_at else [*kept, place])
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier and self._anchor is not None:
            self._select_to(place)
        elif place in self.selected_at:
            self._leave_one = True  # if they are not dragged, only this one is left selected
            self.at = self._anchor = place
        else:
            self.select([place])
        self._pressed = at

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._edge is not None:
            self._stretch(at.x())
        elif self._pressed is not None and self.playlist is not None:
            far = (at - self._pressed).manhattanLength() >= QApplication.startDragDistance()
            if (far or self._goes_before is not None) and self.selected_at:
                inside = self.rect().adjusted(0, -20, 0, 20).contains(at.toPoint())
                self._goes_before = self.tile_layout.before(at.x()) if inside and not self.playlist.shuffle else None
                self._leave_one = self._leave_one and not far
                self.setCursor(Qt.CursorShape.ClosedHandCursor)
                self.update()
        else:
            near = self.tile_layout.edge_at(at) is not None
            self.setCursor(Qt.CursorShape.SplitHCursor if near else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        edge, lengths, before = self._edge, self._lengths, self._goes_before
        pressed = self._pressed
        self._end_drag()
        if edge is not None:
            if lengths:
                self.stretched.emit(lengths)
        elif before is not None:
            self._place(before)
        elif pressed is not None and self._leave_one and self.at is not None:
            self.select([self.at])

    def _end_drag(self) -> None:
        held = self._edge is not None
        self._edge, self._lengths, self._pressed, self._goes_before = None, {}, None, None
        self.unsetCursor()
        if held:
            self.holding.emit({})
        self.update()

    def _stretch(self, x: float) -> None:
        """All that are selected, by the same share."""
        assert self._edge is not None
        assert self.playlist is not None
        tile, from_x, per_s = self._edge
        was = self.playlist.length_s(tile.entry)
        now = max(SHORTEST_S, round(was + (x - from_x) / per_s, 1))
        self._lengths = self._by_share(now / was, {tile.place: now})
        self.holding.emit(self._lengths)

    def _by_share(self, share: float, exact: Mapping[int, float]) -> dict[int, float]:
        assert self.playlist is not None
        mine = [t for t in self.tiles if t.place in self.selected_at and self.tile_layout.has_length(t)]
        lengths = {t.place: max(SHORTEST_S, round(self.playlist.length_s(t.entry) * share, 1)) for t in mine}
        return lengths | dict(exact)

    def _place(self, position: int) -> None:
        """What is selected goes before a position, if that is another place than it has."""
        before = self.tile_layout.place_before(position)
        moved = self.selected_at
        if moved and not (
            moved == list(range(moved[0], moved[0] + len(moved))) and before in range(moved[0], moved[-1] + 2)
        ):
            self.placed.emit(list(moved), before)

    def _select_to(self, place: int) -> None:
        order = [t.place for t in self.tiles]
        if self._anchor not in order or place not in order:
            return
        one, other = sorted((order.index(self._anchor), order.index(place)))
        self.selected_at, self.at = sorted(order[one : other + 1]), place
        self.selected.emit()
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        way = event.angleDelta()
        self._timeline.scroll_to(self._timeline.offset - (way.x() or way.y()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and (self._edge is not None or self._goes_before is not None):
            self._end_drag()
        elif not self._with_keys(event):
            super().keyPressEvent(event)

    def _with_keys(self, event: QKeyEvent) -> bool:
        order, key, modifiers = [t.place for t in self.tiles], event.key(), event.modifiers()
        steps: dict[int, int] = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        if self._several.heeds(event, self.selected_keys()):
            return True
        if event.matches(QKeySequence.StandardKey.SelectAll):
            self.select(order)
        elif not order:
            return False
        elif key in steps and modifiers & Qt.KeyboardModifier.ControlModifier:
            self._shift(order, steps[key])
        elif key in steps or key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            at = order.index(self.at) + steps.get(key, 0) if self.at in order else 0
            ends: dict[int, int] = {Qt.Key.Key_Home: 0, Qt.Key.Key_End: len(order) - 1}
            at = ends.get(key, min(max(0, at), len(order) - 1))
            if modifiers & Qt.KeyboardModifier.ShiftModifier and self._anchor is not None:
                self._select_to(order[at])
            else:
                self.select([order[at]])
            self._bring_into_view(at)
        elif key == Qt.Key.Key_Delete and self.selected_at and self._remove is not None:
            self._remove.click()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus) and self.at is not None and self.playlist is not None:
            was = self.playlist.length_s(self.playlist.entries[self.at])
            if was != FOR_EVER:
                now = max(SHORTEST_S, was + (STEP_S if key == Qt.Key.Key_Plus else -STEP_S))
                self.stretched.emit(self._by_share(now / was, {}))
        elif key == Qt.Key.Key_Escape and self.selected_at:
            self.select([])
        else:
            return False
        return True

    def _shift(self, order: list[int], by: int) -> None:
        """What is selected goes one place on."""
        if not self.selected_at or (self.playlist is not None and self.playlist.shuffle):
            return
        to = order.index(self.selected_at[-1]) + 2 if by > 0 else order.index(self.selected_at[0]) - 1
        if 0 <= to <= len(order):
            self._place(to)

    def _bring_into_view(self, k: int) -> None:
        area = self.tile_layout.area_of(k)
        if area.left() < head_wide():
            self._timeline.scroll_to(self._timeline.offset - (head_wide() - area.left()))
        elif area.right() > self.width() - 8:
            self._timeline.scroll_to(self._timeline.offset + area.right() - self.width() + 8)

    def open_menu(self, at: QPoint) -> QMenu:
        """The buttons of this page that are about what is selected, in words."""
        keys = {"Del": self._remove} if self._remove is not None else {}
        return open_offered(self, at, self._offered, keys, self._several, self.selected_keys())

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        k = self.tile_layout.position_at(QPointF(event.pos()))
        if k is not None and self.tiles[k].place not in self.selected_at:
            self.select([self.tiles[k].place])
        self.open_menu(event.globalPos())

    # What is dragged here

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if self.playlist is not None and items_in(event.mimeData(), self._bridge.state.show, KINDS):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        self._goes_before = self.tile_layout.before(event.position().x())
        event.acceptProposedAction()
        self.update()

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self._goes_before = None
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        self._goes_before = None
        items: tuple[Item, ...] = items_in(event.mimeData(), self._bridge.state.show, KINDS)
        if items:
            event.acceptProposedAction()
            self.dropped.emit(items, self.tile_layout.place_before(self.tile_layout.before(event.position().x())))
        self.update()

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._timeline.show_room(self.width() - head_wide() - 8)
