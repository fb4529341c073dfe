"""A page of pads: buttons with their picture, label, tally and the seconds that are left.

Text and shape always go with the colour: ON AIR and NEXT as on the board.
"""

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QWidget

from ribalta.core.engine.views.pad_state import PadLight, PadState, pad_state, picture_item
from ribalta.core.show.automation.calls import Kind, find
from ribalta.core.show.automation.triggers_pads_shortcuts import Pad, Page
from ribalta.desk.bridge import Bridge, one_shot
from ribalta.desk.painting import look
from ribalta.desk.painting.cropped import draw_cropped
from ribalta.desk.painting.parts import Part
from ribalta.desk.painting.two_lines import two_lines
from ribalta.desk.widgets.lists.item_drag import items_in

GAP = 6
USABLE = (Kind.FRAMING, Kind.CAMERA, Kind.SCENE, Kind.MEDIUM, Kind.TITLE, Kind.MACRO, Kind.PLAYLIST)
TALLY = {PadLight.ON_AIR: (look.RED, "ON AIR"), PadLight.NEXT: (look.GREEN, "NEXT")}


class PadGrid(QWidget):
    """`page_id` is the page that is shown. With `editing`, a press chooses a pad, a drag moves it, and what is dragged
    here from elsewhere is put on the pad that it is let go over (`dropped`, with items and that pad)."""

    chosen = Signal(int)
    moved = Signal(int, int)
    dropped = Signal(object, int)

    def __init__(self, bridge: Bridge, editing: bool = False) -> None:
        super().__init__()
        self._bridge, self._editing = bridge, editing
        self.page_id: str | None = None
        self.selected: int | None = None
        self._pressed: int | None = None
        self._was_long = False
        self._timer = one_shot(self, 600, self._long)
        self._drawn: object = None
        self._under: int | None = None  # the pad under what is dragged
        self.setAcceptDrops(editing)
        self.setMinimumSize(120, 80)
        self.setAccessibleName("Pads")
        bridge.changed.connect(self.refresh)

    @property
    def page(self) -> Page | None:
        return self._bridge.state.show.page(self.page_id or "")

    def show_page(self, page_id: str | None) -> None:
        self.page_id = page_id
        self._drawn = None
        self.refresh()

    def refresh(self) -> None:
        """Painted only when something on it has changed."""
        page = self.page
        if not self.isVisible() or page is None:
            self.update()
            return
        now = (page, self.selected, tuple(_seen(self._state(page, at)) for at in range(page.columns * page.rows)))
        if now != self._drawn:
            self._drawn = now
            self.update()

    def _state(self, page: Page, at: int) -> PadState:
        return pad_state(self._bridge.state, page.pad(at), self._bridge.now_s)

    def area_of(self, at: int) -> QRectF:
        page = self.page
        assert page is not None
        wide, tall = self.width() / page.columns, self.height() / page.rows
        row, column = divmod(at, page.columns)
        return QRectF(column * wide, row * tall, wide, tall).adjusted(GAP / 2, GAP / 2, -GAP / 2, -GAP / 2)

    def pad_at(self, at: QPointF) -> int | None:
        page = self.page
        if page is None:
            return None
        return next((k for k in range(page.columns * page.rows) if self.area_of(k).contains(at)), None)

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        page = self.page
        if page is None:
            painter.setFont(look.font(14))
            painter.setPen(look.SOFT)
            words = "No page of pads yet: make one in Cue (F4), under Pads."
            painter.drawText(QRectF(self.rect()).adjusted(8, 8, -8, -8), int(Qt.TextFlag.TextWordWrap), words)
            return
        for at in range(page.columns * page.rows):
            self._bridge.give_way()
            self._pad(painter, page, at)

    def _pad(self, painter: QPainter, page: Page, at: int) -> None:
        area, pad, state = self.area_of(at), page.pad(at), self._state(page, at)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.WOOD if pad is None else look.RAIL)
        painter.drawRoundedRect(area, 5, 5)
        if pad is not None:
            self._filled(painter, area, pad, state)
        elif self._editing:
            painter.setPen(look.LAMP_OFF)
            painter.setFont(look.font(13, narrow=True))
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, str(at + 1))
        ink = TALLY.get(state.light, (None, ""))[0]
        if at in (self._pressed, self._under):
            ink = look.LAMP_WARM
        if self._editing and at == self.selected:
            ink = look.LAMP_WARM
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(ink or look.LINE, 3 if ink is not None else 1))
        painter.drawRoundedRect(area, 5, 5)

    def _filled(self, painter: QPainter, area: QRectF, pad: Pad, state: PadState) -> None:
        tall = float(look.scaled(20 if area.height() >= look.scaled(44) else 16))
        foot = QRectF(area.left(), area.bottom() - tall, area.width(), tall)
        pictured = self._picture(painter, area.adjusted(0, 0, 0, -tall), pad)
        stripe = QColor(pad.colour)
        top = foot.top() if pictured else area.top() + 6
        painter.fillRect(QRectF(area.left() + 1, top, 5, foot.bottom() - top - 6), stripe)
        label = pad.label or "–"
        size = 14 if area.width() >= look.scaled(90) else 12
        painter.setFont(look.font(size, look.MEDIUM, narrow=True))
        painter.setPen(look.TEXT)
        inside = foot.adjusted(10, 0, -4, 0)
        if not pictured and area.height() >= look.scaled(44):
            inside = area.adjusted(12, 4, -6, -tall)
            large = 26 if area.width() >= look.scaled(260) else 19 if area.width() >= look.scaled(170) else size + 2
            painter.setFont(
                look.font(min(large, int(area.height() / 3 * 100 / look.text_percent())), look.MEDIUM, narrow=True)
            )
            two_lines(painter, inside, label)
        else:
            said = painter.fontMetrics().elidedText(label, Qt.TextElideMode.ElideRight, int(inside.width()))
            painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter, said)
        self._words(painter, area, foot if not pictured and area.height() >= look.scaled(44) else None, state)

    def _picture(self, painter: QPainter, area: QRectF, pad: Pad) -> bool:
        item = picture_item(pad, self._bridge.state)
        if item is None or area.height() < 24:
            return False
        name = getattr(find(self._bridge.state.show, item), "picture", None)
        drawn = self._bridge.stored_picture(name, int(area.width()), int(area.height()))
        if drawn is None:
            return False
        draw_cropped(painter, area, drawn)
        return True

    def _words(self, painter: QPainter, area: QRectF, foot: QRectF | None, state: PadState) -> None:
        """What it is now: in the upper right corner, or in the foot where there is no picture."""
        ink, word = TALLY.get(state.light, (None, ""))
        left = look.seconds(state.seconds) if state.seconds is not None and state.seconds > 0.05 else ""
        words = "  ".join(part for part in (word, state.words if word != "ON AIR" or not word else "", left) if part)
        if state.light is PadLight.BUSY and not words:
            words = "runs"
        if not words:
            return
        painter.setFont(look.font(12, look.BOLD, narrow=True))
        wide = min(area.width() - 4, painter.fontMetrics().horizontalAdvance(words) + 10)
        box = (
            QRectF(area.right() - wide, area.top(), wide, look.scaled(18))
            if foot is None
            else foot.adjusted(8, 0, -2, -2)
        )
        busy = state.light is PadLight.BUSY
        ground = ink if ink is not None else look.LAMP_WARM if busy else look.INK if foot is None else None
        if ground is not None:
            painter.fillRect(box, ground)
        dark = ink is not None or busy
        painter.setPen(look.INK if dark else look.WRONG if state.trouble else look.SOFT)
        said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(box.width()) - 6)
        painter.drawText(box.adjusted(4, 0, -4, 0), Qt.AlignmentFlag.AlignVCenter, said)

    def accessible_parts(self) -> list[Part]:
        """The pads, and how each is now."""
        page, parts = self.page, list[Part]()
        for at in range(page.columns * page.rows if page is not None else 0):
            assert page is not None
            pad, state = page.pad(at), self._state(page, at)
            name = pad.label or f"pad {at + 1}" if pad is not None else f"pad {at + 1}, empty"
            word = TALLY.get(state.light, (None, ""))[1]
            parts.append(Part(self.area_of(at), name, " ".join(part for part in (word, state.words) if part)))
        return parts

    # Pressing

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = self.pad_at(event.position())
        if at is None:
            return
        self._pressed, self._was_long = at, False
        if self._editing:
            self.selected = at
            self.chosen.emit(at)
        else:
            self._timer.setInterval(int(1000 * self._bridge.state.show.times.long_s))
            self._timer.start()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._timer.stop()
        at, pressed, self._pressed = self.pad_at(event.position()), self._pressed, None
        self.update()
        if pressed is None:
            return
        if self._editing:
            if at is not None and at != pressed:
                self.moved.emit(pressed, at)
        elif at == pressed and not self._was_long:
            self.press(pressed, False)

    # What is dragged here

    def _drag_over(self, at: int | None) -> None:
        self._under = at
        self.update()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if self.page is not None and items_in(event.mimeData(), self._bridge.state.show, USABLE):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        self._drag_over(self.pad_at(event.position()))
        event.acceptProposedAction() if self._under is not None else event.ignore()

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self._drag_over(None)

    def dropEvent(self, event: QDropEvent) -> None:
        at, items = self.pad_at(event.position()), items_in(event.mimeData(), self._bridge.state.show, USABLE)
        self._drag_over(None)
        if at is not None and items:
            event.acceptProposedAction()
            self.dropped.emit(items, at)

    def _long(self) -> None:
        if self._pressed is not None:
            self._was_long = True
            self.press(self._pressed, True)

    def press(self, at: int, long: bool) -> None:
        if self.page is not None and self.page.pad(at) is not None:
            self._bridge.act("pad.press", pads=self.page.id, at=at, long=long)


def _seen(state: PadState) -> tuple[object, ...]:
    """What of a pad's state is to be seen: seconds as they are written."""
    return (state.light, state.words, look.seconds(state.seconds) if state.seconds is not None else "", state.trouble)
