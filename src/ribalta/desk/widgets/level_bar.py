"""The live level of a microphone, or of the whole."""

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from ribalta.core.sound.levels import Level
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.meter import meter


class LiveBar(QWidget):
    """Painted anew at every other tick. `of` is a microphone's id, or empty for the whole."""

    def __init__(self, bridge: Bridge, of: str) -> None:
        super().__init__()
        self._bridge, self._of, self._ticks = bridge, of, 0
        self.setMinimumSize(120, 18)
        bridge.tick.connect(self._tick)

    def _tick(self) -> None:
        self._ticks += 1
        if self._ticks % 2 == 0 and self.isVisible():
            self.update()


class LevelBar(LiveBar):
    """With what it was at most lately, in dBFS; upright beside a fader."""

    def __init__(self, bridge: Bridge, of: str, upright: bool = False) -> None:
        super().__init__(bridge, of)
        self._upright = upright
        self.setAccessibleName("Level")
        if upright:
            self.setMinimumSize(look.scaled(34), 90)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        heard = self._bridge.media.heard
        level = heard.levels.get(self._of, Level()) if self._of else heard.master
        live = not self._of or heard.gains.get(self._of, 0.0) > 0
        wide, tall = float(self.width()), float(self.height())
        foot = float(look.scaled(18))
        bar = QRectF(2, 2, wide - 4, tall - foot - 4) if self._upright else QRectF(0, 2, wide - 44, tall - 4)
        meter(painter, bar, level, live, vertical=self._upright)
        painter.setFont(look.font(12, narrow=True))
        painter.setPen(look.SOFT)
        said = "silent" if level.silent else f"{level.hold_db:.0f}"
        if self._upright:
            painter.drawText(QRectF(0, tall - foot, wide, foot), Qt.AlignmentFlag.AlignCenter, said)
        else:
            area = QRectF(wide - 42, 0, 42, tall)
            painter.drawText(area, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, said)
