"""The picture that is being made, with what lies over it to be moved and sized by hand."""

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from ribalta.core.ports.shots import NO_OVERLAYS, Overlays, Shot
from ribalta.core.show.document.scenes import Inset
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue.look.sources import value_of, words_of
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part

PLACE = "preview"
CORNER_PX = 12
SNAP = 0.012
NUDGE = 0.005
STEPS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class Canvas(QWidget):
    """Insets are moved only `by_hand`.

    `moved` is the slot of an inset and where it is now (left, top, wide); `chosen` the slot that was pressed.
    """

    moved = Signal(int, float, float, float)
    chosen = Signal(int)

    def __init__(self, bridge: Bridge, empty: str, by_hand: bool = False) -> None:
        super().__init__()
        self._bridge, self._empty, self._by_hand = bridge, empty, by_hand
        self.shot: Shot | None = None
        self.dress: Overlays = NO_OVERLAYS
        self.slot: int | None = None
        self._held: Inset | None = None  # the one that is being moved, as it is now
        self._from = QPointF()
        self._sizing = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setMinimumSize(320, 180)
        self.setAccessibleName("The picture that is being made")
        if by_hand:
            self.setToolTip("Drag an inset to move it, its corner to size it · arrows nudge · wheel sizes")
        bridge.tick.connect(lambda: self.update() if self.isVisible() else None)

    def show_made(self, shot: Shot | None, dress: Overlays) -> None:
        """What it shows from now on."""
        self.shot, self.dress = shot, dress
        if self._held is None:
            self._bridge.media.preview(shot, dress)

    def area(self) -> QRectF:
        """16:9, whole, at the top."""
        scale = min(self.width() / 16, self.height() / 9)
        return QRectF(0, 0, int(scale * 16), int(scale * 9))

    def size_wanted(self) -> tuple[int, int]:
        area = self.area()
        return max(16, int(area.width())), max(9, int(area.height()))

    def inset(self, slot: int) -> Inset | None:
        if self._held is not None and self._held.slot == slot:
            return self._held
        layer = self.dress.on(f"inset{slot}")
        return layer if isinstance(layer, Inset) else None

    def box(self, inset: Inset) -> QRectF:
        area = self.area()
        return QRectF(
            area.left() + inset.left * area.width(),
            area.top() + inset.top * area.height(),
            inset.wide * area.width(),
            inset.tall * area.height(),
        )

    def accessible_parts(self) -> list[Part]:
        """The insets, what each shows and where it is."""
        show, parts = self._bridge.state.show, list[Part]()
        words = words_of(show)
        for slot in range(1, 5):
            inset = self.inset(slot)
            if inset is None:
                continue
            place = f"{inset.left:.0%} from the left, {inset.top:.0%} from the top, {inset.wide:.0%} wide"
            parts.append(Part(self.box(inset), f"Inset {slot}", f"{words[value_of(show, inset.source)]}, {place}"))
        return parts

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        area = self.area()
        image = self._bridge.picture_of(PLACE) if self.shot is not None else None
        if image is not None:
            painter.drawImage(area.topLeft() if image.width() == int(area.width()) else area, image)
        else:
            painter.fillRect(area, look.WOOD)
            painter.setPen(look.SOFT)
            painter.setFont(look.font(15))
            inside = area.adjusted(30, 0, -30, 0)
            painter.drawText(inside, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self._empty)
            return
        for slot in range(1, 5) if self._by_hand else ():
            inset = self.inset(slot)
            if inset is None:
                continue
            box = self.box(inset)
            mine = slot == self.slot
            painter.setPen(QPen(look.LAMP_WARM if mine else look.SOFT, 2 if mine else 1, Qt.PenStyle.DashLine))
            painter.drawRect(box)
            if mine:
                corner = QRectF(box.right() - CORNER_PX, box.bottom() - CORNER_PX, CORNER_PX, CORNER_PX)
                painter.fillRect(corner, look.LAMP_WARM)
            painter.setFont(look.font(13, look.BOLD))
            tag = QRectF(box.left(), box.top(), look.scaled(20), look.scaled(20))
            painter.fillRect(tag, look.INK)
            painter.setPen(look.LAMP_WARM if mine else look.TEXT)
            painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, str(slot))

    # Hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if not self._by_hand:
            return
        slots = [n for n in (4, 3, 2, 1) if (i := self.inset(n)) is not None and self.box(i).contains(at)]
        if self.slot in slots:
            slots = [self.slot]
        if not slots:
            return
        slot = slots[0]
        self.slot, self._from = slot, at
        inset = self.inset(slot)
        assert inset is not None
        corner = self.box(inset).bottomRight() - QPointF(2 * CORNER_PX, 2 * CORNER_PX)
        self._sizing = corner.x() < at.x() and corner.y() < at.y()
        self._held = inset
        self.chosen.emit(slot)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        held = self._held
        start = self.dress.on(f"inset{held.slot}") if held is not None else None
        if held is None or not isinstance(start, Inset):
            return
        area, way = self.area(), event.position() - self._from
        right, down = way.x() / area.width(), way.y() / area.height()
        if self._sizing:
            self._show(start.model_copy(update={"wide": min(1.0, max(0.05, start.wide + right))}))
        else:
            left, top = _snapped(start.left + right, start.wide), _snapped(start.top + down, start.tall)
            self._show(start.model_copy(update={"left": left, "top": top}))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, self._held = self._held, None
        if held is not None and held != self.dress.on(f"inset{held.slot}"):
            self.moved.emit(held.slot, held.left, held.top, held.wide)

    def wheelEvent(self, event: QWheelEvent) -> None:
        inset = self.inset(self.slot) if self.slot is not None else None
        if inset is not None:
            wide = min(1.0, max(0.05, inset.wide * 1.05 ** (event.angleDelta().y() / 120)))
            self.moved.emit(inset.slot, inset.left, inset.top, wide)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        inset = self.inset(self.slot) if self.slot is not None else None
        step = STEPS.get(Qt.Key(event.key()))
        if inset is None or step is None:
            super().keyPressEvent(event)
            return
        left = min(1.0, max(-1.0, inset.left + step[0] * NUDGE))
        top = min(1.0, max(-1.0, inset.top + step[1] * NUDGE))
        self.moved.emit(inset.slot, left, top, inset.wide)

    def _show(self, held: Inset) -> None:
        self._held = held
        self._bridge.media.preview(self.shot, self.dress.with_(f"inset{held.slot}", held))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.update()


def _snapped(start: float, length: float) -> float:
    """To the frame's edges and a margin of 4 %, and to its middle, when it is near."""
    for wanted in (0.0, 0.04, 0.5 - length / 2, 0.96 - length, 1.0 - length):
        if abs(start - wanted) < SNAP:
            return wanted
    return min(1.0, max(-1.0, start))
