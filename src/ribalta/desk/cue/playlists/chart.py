"""The travel chart: a row for each camera, time along the bottom; on air, travelling, waiting, and what comes too late.

An edge between two entries can be dragged; what that comes to is foretold again while it is held.
"""

from collections.abc import Iterable
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QWidget

from ribalta.core.engine.views.playlist_outlook import Outlook
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue.playlists.tiles import with_lengths
from ribalta.desk.cue.playlists.timeline import Timeline
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part

NEAR_PX = 5
ROW_PX, FEW, MOST_ROWS = 18, 6, 8  # with more cameras than a few, those that the playlist does not need are left out
STEPS_S = (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800)
SHORTEST_S = 0.2
WAITS = QColor(84, 72, 58)


def head_wide() -> int:
    """What the names of cameras have at the left."""
    return look.scaled(92)


def axis_tall() -> int:
    """What the times have below."""
    return look.scaled(20)


@dataclass(frozen=True, slots=True)
class Block:
    """Something in a camera's row: "air", "travel" or "wait"; `at` is the entry that it belongs to."""

    what: str
    camera_id: str
    from_s: float
    to_s: float
    at: int
    late: bool = False


def blocks_of(outlook: Outlook) -> list[Block]:
    """Every block of a chart, in the order of time."""
    found: list[Block] = []
    for k, (entry, wanted) in enumerate(zip(outlook.foretold, outlook.wanted, strict=True)):
        for camera_id, _ in wanted.cameras:
            found.append(Block("air", camera_id, entry.begins_s, entry.ends_s, k))
        for travel in entry.travels:
            late = travel.set_s > entry.due_s + 1e-6
            found.append(Block("travel", travel.camera_id, travel.leaves_s, travel.set_s, k, late))
            if entry.begins_s > travel.set_s + 0.02:
                found.append(Block("wait", travel.camera_id, travel.set_s, entry.begins_s, k))
    return found


class TravelChart(QWidget):
    """`chosen` comes with an entry's place in the round, `retimed` with one and its new length in seconds; `selected`
    are such places. With a `timeline` it lies below something of the same scale; else its own fills its width."""

    chosen = Signal(int)
    retimed = Signal(int, float)

    def __init__(self, bridge: Bridge, timeline: Timeline | None = None) -> None:
        super().__init__()
        self._bridge = bridge
        self._timeline = timeline or Timeline()
        self._below = timeline is not None
        self.outlook: Outlook | None = None
        self.selected: frozenset[int] = frozenset()
        self.now_s: float | None = None
        self._drag: tuple[int, float, float] | None = None  # which entry's end, its length, and from where, in pixels
        self._length = 0.0
        self._rows_of: tuple[object, object, list[str]] = (None, None, [])
        self._timeline.changed.connect(self.update)
        self.setMouseTracking(True)
        self.setAccessibleName("Travel chart")

    def show_outlook(self, outlook: Outlook | None, now_s: float | None) -> None:
        """`now_s`: seconds since the first entry began, if it runs."""
        if self._drag is None and (outlook != self.outlook or now_s != self.now_s):
            self.outlook, self.now_s = outlook, now_s
            rows = min(len(self.cameras()), MOST_ROWS)
            self.setMinimumHeight(max(110, rows * look.scaled(ROW_PX) + axis_tall()))
            if not self._below:
                self._timeline.show_spans([(0.0, self.whole_s)])
            self.update()

    def select(self, places: Iterable[int]) -> None:
        """These places of the round are selected."""
        if (now := frozenset(places)) != self.selected:
            self.selected = now
            self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        if not self._below:
            self._timeline.show_room(self.width() - head_wide() - 8)

    # Geometry

    def cameras(self) -> list[str]:
        """The ids of those that have a row, by number; looked up anew when the show or the outlook is another one."""
        show = self._bridge.state.show
        if self._rows_of[0] is not show or self._rows_of[1] is not self.outlook:
            self._rows_of = (show, self.outlook, self._look_up())
        return self._rows_of[2]

    def _look_up(self) -> list[str]:
        order = sorted(self._bridge.state.show.cameras, key=lambda c: c.number)
        outlook = self.outlook
        used = {c for w in outlook.wanted for c, _ in w.cameras} if outlook is not None else set()
        steered = sum(c.steered for c in order)
        return [c.id for c in order if c.id in used or (c.steered and (steered <= FEW or not used))]

    @property
    def whole_s(self) -> float:
        return max(10.0, self.outlook.foretold[-1].ends_s if self.outlook and self.outlook.foretold else 10.0)

    def x_of(self, seconds: float) -> float:
        return head_wide() + self._timeline.x_of(seconds)

    def row_of(self, camera_id: str) -> QRectF:
        rows = self.cameras()
        tall = min(96.0, (self.height() - axis_tall()) / max(1, len(rows)))
        return QRectF(head_wide(), rows.index(camera_id) * tall, self.width() - head_wide() - 8, tall - 3)

    def _area(self, block: Block) -> QRectF:
        row, left = self.row_of(block.camera_id), self.x_of(block.from_s)
        return QRectF(left, row.top(), self.x_of(block.to_s) - left, row.height())

    def edge_near(self, x: float) -> int | None:
        """The entry whose end is there."""
        if self.outlook is None:
            return None
        for k, entry in enumerate(self.outlook.foretold):
            if abs(self.x_of(entry.ends_s) - x) <= NEAR_PX:
                return k
        return None

    def entry_at(self, at: QPointF) -> int | None:
        if self.outlook is None:
            return None
        known = set(self.cameras())
        for block in reversed(blocks_of(self.outlook)):
            if block.camera_id in known:
                row = self.row_of(block.camera_id)
                area = QRectF(
                    self.x_of(block.from_s), row.top(), self.x_of(block.to_s) - self.x_of(block.from_s), row.height()
                )
                if area.contains(at):
                    return block.at
        return None

    def accessible_parts(self) -> list[Part]:
        """What is shown of each camera, and which of it is late."""
        outlook, parts = self.outlook, list[Part]()
        known = set(self.cameras())
        for block in blocks_of(outlook) if outlook is not None and outlook.foretold else ():
            if block.what in ("travel", "wait") or block.camera_id not in known:
                continue
            shot, told = outlook.plays[block.at].shot, outlook.foretold[block.at]  # type: ignore[union-attr]
            words = self._bridge.state.shot_words(shot) if shot is not None else f"entry {block.at + 1}"
            late = f"late {look.seconds(told.late_s)} s" if told.late_s > 0 else "lands"
            parts.append(Part(self._area(block), words, f"from {block.from_s:.0f} s, {late}"))
        return parts

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), look.WOOD)
        outlook = self.outlook
        if outlook is None or not outlook.foretold:
            painter.setPen(look.SOFT)
            painter.setFont(look.font(14))
            said = "Nothing to foretell yet: add shots, and their cameras' ways are drawn here."
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, said)
            return
        self._axis(painter)
        known = self.cameras()
        for camera_id in known:
            self._head(painter, camera_id)
        painter.setClipRect(QRectF(head_wide(), 0, self.width() - head_wide() - 4, self.height()))
        seen = self.rect().right()
        blocks = [
            block
            for block in blocks_of(outlook)
            if block.camera_id in known and self.x_of(block.to_s) >= head_wide() and self.x_of(block.from_s) <= seen
        ]
        painter.setFont(look.font(12, look.BOLD, narrow=True))
        late = [
            (words, self._late_box(block, painter.fontMetrics().horizontalAdvance(words) + 8))
            for block in blocks
            if block.late and (words := f"late {look.seconds(outlook.foretold[block.at].late_s)} s")
        ]
        for block in blocks:
            self._bridge.give_way()
            self._block(painter, outlook, block, [box for _, box in late])
        for words, box in late:
            self._late(painter, box, words)
        if self.now_s is not None and self.now_s <= self.whole_s:
            painter.setPen(QPen(look.TEXT, 2))
            x = self.x_of(self.now_s)
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height() - axis_tall()))

    def _axis(self, painter: QPainter) -> None:
        step = next((s for s in STEPS_S if s * self._timeline.scale.per_s >= 60), STEPS_S[-1])
        painter.setFont(look.font(12, narrow=True))
        for k in range(int(self.whole_s / step) + 1):
            x = self.x_of(k * step)
            if x < head_wide() - 1:  # scrolled past
                continue
            painter.setPen(look.LINE)
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height() - axis_tall()))
            if x > self.width() - 34:  # no room for its words
                break
            painter.setPen(look.SOFT)
            words = f"{k * step} s" if self.whole_s < 180 else f"{k * step // 60}:{k * step % 60:02d}"
            painter.drawText(
                QRectF(x + 3, self.height() - axis_tall(), 60, axis_tall()),
                Qt.AlignmentFlag.AlignVCenter,
                words,
            )

    def _head(self, painter: QPainter, camera_id: str) -> None:
        camera, row = self._bridge.state.show.camera(camera_id), self.row_of(camera_id)
        if camera is None:
            return
        painter.setPen(look.TEXT)
        painter.setFont(look.font(14, look.MEDIUM, narrow=True))
        words = f"{camera.number}  {camera.name}"
        said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, head_wide() - 12)
        painter.drawText(QRectF(8, row.top(), head_wide() - 10, row.height()), Qt.AlignmentFlag.AlignVCenter, said)
        painter.setPen(look.LINE)
        painter.drawLine(QPointF(head_wide(), row.center().y()), QPointF(self.width() - 8, row.center().y()))

    def _block(self, painter: QPainter, outlook: Outlook, block: Block, late: list[QRectF]) -> None:
        area = self._area(block)
        if block.what == "travel":
            ink = look.WRONG if block.late else look.SOFT
            middle = area.adjusted(0, area.height() / 3, 0, -area.height() / 3)
            painter.fillRect(middle, QBrush(ink, Qt.BrushStyle.BDiagPattern))
            painter.setPen(QPen(ink, 1))
            painter.drawRect(middle)
            return
        if block.what == "wait":
            painter.fillRect(area.adjusted(0, area.height() / 2 - 2, 0, -area.height() / 2 + 2), WAITS)
            return
        chosen = block.at in self.selected
        painter.fillRect(area.adjusted(1, 1, -1, -1), look.LAMP_WARM if chosen else QColor(186, 152, 100))
        shot = outlook.plays[block.at].shot
        words = self._bridge.state.shot_words(shot) if shot is not None else ""
        low = area.height() < 3 * look.scaled(17)  # a name in its middle would lie under what is late
        over = [box.right() for box in late if low and box.intersects(area)]
        area.setLeft(min(area.right(), max([area.left(), *over])))
        self._words(painter, area, words)

    @staticmethod
    def _words(painter: QPainter, area: QRectF, words: str) -> None:
        painter.setFont(look.font(12, look.MEDIUM, narrow=True))
        box = area.adjusted(5, 0, -3, 0)
        if box.width() >= 14:
            painter.setPen(look.INK)
            said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(box.width()))
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, said)

    def _late_box(self, block: Block, wide: float) -> QRectF:
        area = self._area(block)
        left = area.right() - wide if area.right() - wide > head_wide() else area.left()
        return QRectF(left, area.top(), wide, look.scaled(17))

    @staticmethod
    def _late(painter: QPainter, box: QRectF, words: str) -> None:
        """Over whatever is there: this must be read."""
        painter.setFont(look.font(12, look.BOLD, narrow=True))
        painter.fillRect(box, look.INK)
        painter.setPen(look.WRONG)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    # Dragging an edge

    def mousePressEvent(self, event: QMouseEvent) -> None:
        edge = self.edge_near(event.position().x())
        if edge is not None and self.outlook is not None:
            self._length = self.outlook.wanted[edge].length_s
            self._drag = (edge, self._length, event.position().x())
            return
        at = self.entry_at(event.position())
        if at is not None:
            self.select([at])
            self.chosen.emit(at)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        near = self.edge_near(event.position().x()) is not None
        self.setCursor(Qt.CursorShape.SplitHCursor if near or self._drag else Qt.CursorShape.ArrowCursor)
        outlook = self.outlook
        if self._drag is None or outlook is None:
            return
        at, was, from_px = self._drag
        by_s = (event.position().x() - from_px) / self._timeline.scale.per_s
        self._length = max(SHORTEST_S, round(was + by_s, 1))
        self.outlook = with_lengths(self._bridge.state.show, outlook, {at: self._length})
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            (at, was, _), self._drag = self._drag, None
            if self._length != was:
                self.retimed.emit(at, self._length)
