"""A switch that looks like one: its knob on the right and lit when it is on, and the word beside it."""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton

from ribalta.desk.painting import look


class Switch(QAbstractButton):
    """`on` and `off` are what it says then."""

    def __init__(self, name: str, on: str = "On", off: str = "Off") -> None:
        super().__init__()
        self._words = {True: on, False: off}
        self.setCheckable(True)
        self.setAccessibleName(name)
        self.setFont(look.font(14, look.MEDIUM))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.toggled.connect(lambda on: self.setText(self._words[on]))
        self.setText(off)

    def sizeHint(self) -> QSize:
        wide = max(self.fontMetrics().horizontalAdvance(words) for words in self._words.values())
        return QSize(look.scaled(48) + wide, look.scaled(26))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        on = self.isChecked()
        tall = float(look.scaled(18))
        groove = QRectF(2, (self.height() - tall) / 2, 2 * tall, tall)
        painter.setPen(QPen(look.LAMP_WARM if self.hasFocus() else look.EDGE, 2 if self.hasFocus() else 1))
        painter.setBrush(look.LAMP_WARM if on else look.INK)
        painter.drawRoundedRect(groove, tall / 2, tall / 2)
        knob = QRectF(groove.right() - tall if on else groove.left(), groove.top(), tall, tall).adjusted(3, 3, -3, -3)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.INK if on else look.EDGE)
        painter.drawEllipse(knob)
        painter.setFont(self.font())
        painter.setPen(look.TEXT if on else look.SOFT)
        words = QRectF(groove.right() + 8, 0, self.width() - groove.right() - 8, self.height())
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, self.text())
