"""The picture that is being made, with what lies over it to be moved, sized and cropped by hand, and filled by what is
dragged onto it."""

from dataclasses import dataclass
from enum import Enum

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from ribalta.core.ports.shots import NO_OVERLAYS, Overlays, Shot
from ribalta.core.show.automation.calls import Item, Kind
from ribalta.core.show.document.scenes import Inset
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue.look.sources import value_of, words_of
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.widgets.lists.item_drag import items_in

PLACE = "preview"
KINDS = (Kind.FRAMING, Kind.CAMERA, Kind.MEDIUM, Kind.TITLE)
NEW_WIDE = 0.28  # of the frame: an inset that is dropped into a corner
CORNER_PX = 12
SNAP = 0.012
NUDGE = 0.005
STEPS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class Grip(Enum):
    """What of an inset is held."""

    WHOLE = "whole"
    CORNER = "corner"
    LEFT = 0  # the sides, in the order of a crop
    TOP = 1
    RIGHT = 2
    BELOW = 3


SIDES = (Grip.LEFT, Grip.TOP, Grip.RIGHT, Grip.BELOW)


@dataclass(frozen=True)
class Zone:
    """Where something that is dragged onto the picture would go: `what` is "base", "inset", "title" or "key"; a new
    inset lies at `area`."""

    what: str
    area: QRectF
    words: str
    slot: int = 0
    new: bool = False


class Canvas(QWidget):
    """Insets are moved only `by_hand`; then things can be dropped here, too.

    `moved` comes with an inset as it is to be; `chosen` with the slot that was pressed; `dropped` with items and the
    zone they were let go over; `pressed` with a place in shares of the picture, where no inset is moved. `has_base`:
    the base can be changed here.
    """

    moved = Signal(Inset)
    chosen = Signal(int)
    dropped = Signal(object, object)
    pressed = Signal(float, float)

    def __init__(self, bridge: Bridge, empty: str, by_hand: bool = False) -> None:
        super().__init__()
        self._bridge, self._empty, self._by_hand = bridge, empty, by_hand
        self.shot: Shot | None = None
        self.dress: Overlays = NO_OVERLAYS
        self.slot: int | None = None
        self._held: Inset | None = None  # the one that is being moved, as it is now
        self._from = QPointF()
        self._grip = Grip.WHOLE
        self.has_base = False
        self._zones: list[Zone] = []  # while something is dragged over it
        self._zone: Zone | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setMinimumSize(320, 180)
        self.setAccessibleName("The picture that is being made")
        if by_hand:
            self.setAcceptDrops(True)
            self.setToolTip(
                "Drag an inset to move it, its corner to size it, a side to crop it · arrows nudge · wheel sizes"
            )
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
        elif self._zones:
            painter.fillRect(area, look.WOOD)
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
                for side in SIDES:
                    painter.fillRect(self._side(box, side), look.LAMP_WARM)
            painter.setFont(look.font(13, look.BOLD))
            tag = QRectF(box.left(), box.top(), look.scaled(20), look.scaled(20))
            painter.fillRect(tag, look.INK)
            painter.setPen(look.LAMP_WARM if mine else look.TEXT)
            painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, str(slot))

        self._paint_zones(painter)

    def _paint_zones(self, painter: QPainter) -> None:
        """Where what is dragged would go, with words; the one under the hand is lit."""
        for zone in self._zones:
            mine = zone == self._zone
            painter.setBrush(QColor(255, 203, 125, 70) if mine else Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(look.LAMP_WARM if mine else look.SOFT, 2, Qt.PenStyle.DashLine))
            painter.drawRect(zone.area.adjusted(1, 1, -1, -1))
            painter.setFont(look.font(14, look.BOLD))
            wide = painter.fontMetrics().horizontalAdvance(zone.words) + 12
            tag = QRectF(0, 0, wide, look.scaled(22))
            tag.moveCenter(zone.area.center())
            painter.fillRect(tag, look.LAMP_WARM if mine else look.INK)
            painter.setPen(look.INK if mine else look.TEXT)
            painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, zone.words)

    # What is dragged here

    def zones_for(self, items: tuple[Item, ...]) -> list[Zone]:
        """Titles go to their layer; a picture to an inset that is there, to a corner as a new one, or to the base."""
        area, show = self.area(), self._bridge.state.show
        if items[0].kind is Kind.TITLE:
            title = show.titled(items[0].id)
            low = QRectF(area.left(), area.top() + area.height() * 0.6, area.width(), area.height() * 0.4)
            words = f"Title, layer {title.layer}" if title is not None else "Title"
            return [Zone("title", low, words)] if self.has_base else []
        found = []
        for slot in (4, 3, 2, 1):
            inset = self.inset(slot)
            if inset is not None:
                found.append(Zone("inset", self.box(inset) & area, f"Inset {slot}", slot))
        free = next((n for n in range(1, 5) if self.inset(n) is None), None)
        wide, tall = area.width() * NEW_WIDE, area.height() * NEW_WIDE
        for x, y in (
            (0.04, 0.04),
            (0.96 - NEW_WIDE, 0.04),
            (0.04, 0.96 - NEW_WIDE),
            (0.96 - NEW_WIDE, 0.96 - NEW_WIDE),
        ):
            box = QRectF(area.left() + x * area.width(), area.top() + y * area.height(), wide, tall)
            if free is not None and not any(zone.area.intersects(box) for zone in found if not zone.new):
                found.append(Zone("inset", box, f"New inset {free}", free, True))
        aside, above = 0.32 * area.width(), 0.05 * area.height()
        what, words = ("base", "Base") if self.has_base else ("key", "Key source")
        return [*found, Zone(what, area.adjusted(aside, above, -aside, -above), words)]

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        items = items_in(event.mimeData(), self._bridge.state.show, KINDS)
        self._zones = self.zones_for(items) if items else []
        if self._zones:
            event.acceptProposedAction()
        self.update()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        self._zone = self._zone_at(event.position())
        event.acceptProposedAction() if self._zone is not None else event.ignore()
        self.update()

    def _zone_at(self, at: QPointF) -> Zone | None:
        """The one under a point, or else the base, which is the whole picture."""
        there = next((zone for zone in self._zones if zone.area.contains(at)), None)
        base = next((zone for zone in self._zones if zone.what == "base"), None)
        return there or (base if self.area().contains(at) else None)

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self._zones, self._zone = [], None
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        zone, items = self._zone_at(event.position()), items_in(event.mimeData(), self._bridge.state.show, KINDS)
        self._zones, self._zone = [], None
        if zone is not None and items:
            event.acceptProposedAction()
            self.dropped.emit(items, zone)
        self.update()

    # Hands

    @staticmethod
    def _side(box: QRectF, side: Grip) -> QRectF:
        """The handle in the middle of a side."""
        x = {Grip.LEFT: box.left(), Grip.RIGHT: box.right()}.get(side, box.center().x())
        y = {Grip.TOP: box.top(), Grip.BELOW: box.bottom()}.get(side, box.center().y())
        lies = side in (Grip.TOP, Grip.BELOW)
        wide, tall = (22, 7) if lies else (7, 22)
        return QRectF(x - wide / 2, y - tall / 2, wide, tall)

    def _grip_at(self, inset: Inset, at: QPointF) -> Grip:
        box = self.box(inset)
        corner = box.bottomRight() - QPointF(2 * CORNER_PX, 2 * CORNER_PX)
        if corner.x() < at.x() and corner.y() < at.y():
            return Grip.CORNER
        if inset.slot != self.slot:
            return Grip.WHOLE
        return next((s for s in SIDES if self._side(box, s).adjusted(-4, -4, 4, 4).contains(at)), Grip.WHOLE)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at, area = event.position(), self.area()
        if not self._by_hand:
            self.pressed.emit((at.x() - area.left()) / area.width(), (at.y() - area.top()) / area.height())
            return
        boxes = {n: self.box(inset).adjusted(-4, -4, 4, 4) for n in (4, 3, 2, 1) if (inset := self.inset(n))}
        slots = [n for n, box in boxes.items() if box.contains(at)]
        if self.slot in slots:
            slots = [self.slot]
        if not slots:
            return
        slot = slots[0]
        inset = self.inset(slot)
        assert inset is not None
        self._grip = self._grip_at(inset, at)
        self.slot, self._from = slot, at
        self._held = inset
        self.chosen.emit(slot)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        held = self._held
        start = self.dress.on(f"inset{held.slot}") if held is not None else None
        if held is None or not isinstance(start, Inset):
            return
        area, way = self.area(), event.position() - self._from
        right, down = way.x() / area.width(), way.y() / area.height()
        if self._grip in SIDES:
            self._show(cropped(start, self._grip, right, down))
        elif self._grip is Grip.CORNER:
            self._show(start.model_copy(update={"wide": min(1.0, max(0.05, start.wide + right))}))
        else:
            left, top = _snapped(start.left + right, start.wide), _snapped(start.top + down, start.tall)
            self._show(start.model_copy(update={"left": left, "top": top}))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, self._held = self._held, None
        if held is not None and held != self.dress.on(f"inset{held.slot}"):
            self.moved.emit(held)

    def wheelEvent(self, event: QWheelEvent) -> None:
        inset = self.inset(self.slot) if self.slot is not None else None
        if inset is not None:
            wide = min(1.0, max(0.05, inset.wide * 1.05 ** (event.angleDelta().y() / 120)))
            self.moved.emit(inset.model_copy(update={"wide": wide}))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        inset = self.inset(self.slot) if self.slot is not None else None
        step = STEPS.get(Qt.Key(event.key()))
        if inset is None or step is None:
            super().keyPressEvent(event)
            return
        left = min(1.0, max(-1.0, inset.left + step[0] * NUDGE))
        top = min(1.0, max(-1.0, inset.top + step[1] * NUDGE))
        self.moved.emit(inset.model_copy(update={"left": left, "top": top}))

    def _show(self, held: Inset) -> None:
        self._held = held
        self._bridge.media.preview(self.shot, self.dress.with_(f"inset{held.slot}", held))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.update()


def cropped(start: Inset, side: Grip, right: float, down: float) -> Inset:
    """An inset of which a side was dragged, by shares of the frame: its picture stays where it is and as large as it
    is, and more or less of it is seen."""
    crop = list(start.crop)
    whole = start.wide / (1 - crop[0] - crop[2])  # of the picture as it is without a crop; the same share up and down
    by = right if side in (Grip.LEFT, Grip.RIGHT) else down
    k = SIDES.index(side)
    other = crop[(k + 2) % 4]
    crop[k] = min(0.9 - other, max(0.0, crop[k] + (by if side in (Grip.LEFT, Grip.TOP) else -by) / whole))
    moved = (crop[k] - start.crop[k]) * whole
    return start.model_copy(
        update={
            "crop": tuple(round(share, 4) for share in crop),
            "wide": min(1.0, max(0.05, whole * (1 - crop[0] - crop[2]))),
            "left": start.left + (moved if side is Grip.LEFT else 0.0),
            "top": start.top + (moved if side is Grip.TOP else 0.0),
        }
    )


def _snapped(start: float, length: float) -> float:
    """To the frame's edges and a margin of 4 %, and to its middle, when it is near."""
    for wanted in (0.0, 0.04, 0.5 - length / 2, 0.96 - length, 1.0 - length):
        if abs(start - wanted) < SNAP:
            return wanted
    return min(1.0, max(-1.0, start))
