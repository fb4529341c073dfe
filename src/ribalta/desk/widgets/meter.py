"""Meters of sound: one, and those of a whole show side by side."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from ribalta.core.engine.program.open_microphones import is_open
from ribalta.core.sound.levels import Level
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look

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
        painter.setPen(QPen(look.WRONG if level.hold_db > -1.5 else look.TEXT, 2))
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


MOST, UNDER = 12, 17


class Meters:
    """Every microphone's, by its number, then the sum's with its held peak."""

    def __init__(self, bridge: Bridge) -> None:
        self._bridge = bridge

    def paint(self, painter: QPainter, area: QRectF) -> None:
        heard, state = self._bridge.media.heard, self._bridge.state
        mics = sorted(state.show.microphones, key=lambda m: m.number)
        if not mics:
            painter.setFont(look.font(14))
            painter.setPen(look.SOFT)
            painter.drawText(area, Qt.TextFlag.TextWordWrap, "No microphones yet: a click adds them, in Cue.")
            return
        sum_wide = look.scaled(36)
        step = min(look.scaled(22), (area.width() - sum_wide) / max(1, min(MOST, len(mics))))
        for k, mic in enumerate(mics[:MOST]):
            bar = QRectF(area.left() + k * step, area.top(), step - 4, area.height() - look.scaled(UNDER))
            self._bridge.give_way()
            level, opened = heard.levels.get(mic.id, Level()), is_open(state, mic)
            meter(painter, bar, level, opened, vertical=True)
            painter.setPen(look.TEXT if opened else look.SOFT)
            self._under(painter, bar, str(mic.number))
        bar = QRectF(area.right() - sum_wide + 10, area.top(), sum_wide - 12, area.height() - look.scaled(UNDER))
        meter(painter, bar, heard.master, True, vertical=True)
        painter.setPen(look.TEXT)
        if heard.master.silent:  # the word is wider than its meter
            painter.setFont(look.font(14, narrow=True))
            under = QRectF(area.left(), bar.bottom() + 1, area.width(), look.scaled(UNDER))
            painter.drawText(under, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "silent")
        else:
            self._under(painter, bar, f"{heard.master.hold_db:.0f}")

    def _under(self, painter: QPainter, bar: QRectF, words: str) -> None:
        painter.setFont(look.font(14, narrow=True))
        painter.drawText(
            QRectF(bar.left() - 10, bar.bottom() + 1, bar.width() + 20, look.scaled(UNDER)),
            Qt.AlignmentFlag.AlignCenter,
            words,
        )
