"""How well a camera's travel times are foretold: each fresh move as a dot, foretold against needed, and what is left.

On the left a dot on the line was foretold exactly; on the right its height says by how much it was not. The band is
the most that a director should have to put up with.
"""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from ribalta.core.show.document.model import Measured
from ribalta.desk.painting import look

BAND_S = 0.15
TALL, GAP, FOOT, LEFT = 132, 44, 18, 40  # at the usual size of text
DOT_PX = 4.0


class FitChart(QWidget):
    """Nothing is painted while nothing was measured."""

    def __init__(self) -> None:
        super().__init__()
        self._times_s: tuple[tuple[float, float], ...] = ()
        self.setFixedHeight(look.scaled(TALL))
        self.setAccessibleName("Foretold and needed seconds of each move")

    def show_measured(self, measured: Measured | None) -> None:
        self._times_s = measured.times_s if measured is not None else ()
        self.setVisible(bool(self._times_s))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if not self._times_s:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(look.font(12))
        wide = (self.width() - look.scaled(GAP)) / 2
        longest = max(1.0, *(max(pair) for pair in self._times_s)) * 1.08
        whole = QRectF(look.scaled(LEFT), 2, wide - look.scaled(LEFT), look.scaled(TALL) - look.scaled(FOOT) - 4)
        rest = whole.translated(wide + look.scaled(GAP), 0)
        self._frame(painter, whole, "needed, s", longest, (f"{longest:.1f}", "0 s"))
        self._frame(painter, rest, "needed, s", longest, ("+300", "−300 ms"))
        painter.setPen(QPen(look.SOFT, 1))
        painter.drawLine(whole.bottomLeft(), whole.topRight())
        band = BAND_S / 0.6 * rest.height()
        painter.fillRect(
            QRectF(rest.left(), rest.center().y() - band, rest.width(), 2 * band), QColor(255, 203, 125, 28)
        )
        painter.drawLine(QPointF(rest.left(), rest.center().y()), QPointF(rest.right(), rest.center().y()))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.LAMP_WARM)
        for foretold_s, needed_s in self._times_s:
            x = needed_s / longest * whole.width()
            painter.drawEllipse(
                QPointF(whole.left() + x, whole.bottom() - foretold_s / longest * whole.height()), DOT_PX, DOT_PX
            )
            off = max(-0.3, min(0.3, foretold_s - needed_s)) / 0.6 * rest.height()
            painter.drawEllipse(QPointF(rest.left() + x, rest.center().y() - off), DOT_PX, DOT_PX)

    @staticmethod
    def _frame(painter: QPainter, area: QRectF, foot: str, longest: float, ends: tuple[str, str]) -> None:
        painter.fillRect(area, look.WOOD)
        painter.setPen(look.SOFT)
        side = QRectF(area.left() - look.scaled(LEFT), area.top(), look.scaled(LEFT) - 5, area.height())
        right = Qt.AlignmentFlag.AlignRight
        painter.drawText(side, right | Qt.AlignmentFlag.AlignTop, ends[0])
        painter.drawText(side.adjusted(-20, 0, 0, 0), right | Qt.AlignmentFlag.AlignBottom, ends[1])
        below = QRectF(area.left(), area.bottom() + 1, area.width(), look.scaled(FOOT))
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft, "0")
        painter.drawText(below, Qt.AlignmentFlag.AlignHCenter, foot)
        painter.drawText(below, right, f"{longest:.1f}")
