"""What stops or overwrites has to be held: a ring fills meanwhile, and letting go early does nothing."""

from PySide6.QtCore import QElapsedTimer, QPoint, QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QCursor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from ribalta.core.engine.state.action import Held
from ribalta.core.ports.messages import Notice
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look

TURN_MS = 30
SIZE, WIDTH = 52, 320


def paint_ring(painter: QPainter, area: QRectF, share: float, ink: QColor = look.LAMP_WARM) -> None:
    """How much of the time is over, as a ring that closes."""
    thick = max(2.5, area.width() / 9)
    inside = area.adjusted(thick, thick, -thick, -thick)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(look.LAMP_OFF, thick))
    painter.drawEllipse(inside)
    painter.setPen(QPen(ink, thick, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
    painter.drawArc(inside, 90 * 16, -int(360 * 16 * share))


def share_held(bridge: Bridge, since: QElapsedTimer) -> float:
    """How much of the time is over for which a press has to be held, 0 to 1."""
    return min(1.0, since.elapsed() / (1000 * bridge.preferences.hold_s))


class HoldRing(QWidget):
    """Over the whole window, in its middle for a key, and at the pointer for a button of the mouse."""

    def __init__(self, bridge: Bridge, window: QWidget) -> None:
        super().__init__(window)
        self._bridge, self._over = bridge, window
        self._held: Held | None = None
        self._since = QElapsedTimer()
        self.timer = QTimer(self)
        self.timer.setInterval(TURN_MS)
        self.timer.timeout.connect(self._turn)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.resize(WIDTH, SIZE + 44)
        bridge.holding.connect(self._change)
        self.hide()

    def _change(self, held: Held | None, by_mouse: bool) -> None:
        before, self._held = self._held, held
        if held is None:
            self.timer.stop()
            self.hide()
            if before is not None:
                self._bridge.noticed.emit(Notice(f"Hold it until the ring is full to {before.words}."))
            return
        room = self._over.rect()
        at = self._over.mapFromGlobal(QCursor.pos()) if by_mouse else room.center()
        left = min(max(0, at.x() - self.width() // 2), room.width() - self.width())
        top = min(max(0, at.y() - self.height() - 12), room.height() - self.height())
        self.move(QPoint(left, top))
        self._since.start()
        self.timer.start()
        self.show()
        self.raise_()

    def _turn(self) -> None:
        self.update()
        if share_held(self._bridge, self._since) >= 1.0:
            self.fill()

    def fill(self) -> None:
        """It was held for long enough."""
        held, self._held = self._held, None
        self.timer.stop()
        self.hide()
        if held is not None:
            self._bridge.call(held.call)

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._held is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(look.font(15, look.MEDIUM))
        words = painter.fontMetrics().elidedText(
            f"Hold to {self._held.words}", Qt.TextElideMode.ElideRight, self.width() - 24
        )
        wide = max(painter.fontMetrics().horizontalAdvance(words) + 24, SIZE + 24)
        ground = QRectF((self.width() - wide) / 2, 0, wide, self.height())
        painter.setPen(QPen(look.EDGE, 1))
        painter.setBrush(look.WOOD)
        painter.drawRoundedRect(ground.adjusted(0.5, 0.5, -0.5, -0.5), 6, 6)
        ring = QRectF((self.width() - SIZE) / 2, 6, SIZE, SIZE)
        paint_ring(painter, ring, share_held(self._bridge, self._since))
        painter.setPen(look.TEXT)
        painter.drawText(ground.adjusted(0, SIZE + 8, 0, 0), Qt.AlignmentFlag.AlignCenter, words)
