"""A meter of sound."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from ribalta.core.sound.levels import Level
from ribalta.desk.widgets import look

BOTTOM_DB = -60.0


def meter(painter: QPainter, bar: QRectF, level: Level, live: bool, vertical: bool) -> None:
    """RMS as a bar, the peak as its lighter end, the held peak as a line; nothing but a frame when there is silence."""

    def share(db: float) -> float:
        return min(1.0, max(0.0, 1 - db / BOTTOM_DB))

    painter.fillRect(bar, look.INK)
    for db, ink in ((level.peak_db, QColor(120, 98, 66)), (level.rms_db, look.LAMP_WARM if live else look.LAMP_OFF)):
        part = share(db)
        if vertical:
            tall = part * bar.height()
            painter.fillRect(QRectF(bar.left(), bar.bottom() - tall, bar.width(), tall), ink)
        else:
            painter.fillRect(QRectF(bar.left(), bar.top(), part * bar.width(), bar.height()), ink)
    if level.hold_db > BOTTOM_DB:
        painter.setPen(QPen(look.ALARM if level.hold_db > -1.5 else look.TEXT, 2))
        far = share(level.hold_db)
        if vertical:
            y = bar.bottom() - far * bar.height()
            painter.drawLine(QPointF(bar.left(), y), QPointF(bar.right(), y))
        else:
            x = bar.left() + far * bar.width()
            painter.drawLine(QPointF(x, bar.top()), QPointF(x, bar.bottom()))
    style = Qt.PenStyle.DotLine if level.silent else Qt.PenStyle.SolidLine
    painter.setPen(QPen(look.LINE if level.silent else look.SOFT, 1, style))
    painter.drawRect(bar)
