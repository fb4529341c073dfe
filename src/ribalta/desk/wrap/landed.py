"""What landed and what did not, of this evening: charts, and what they say in words."""

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from ribalta.core.handover.evening import Evening, Sitting, evening_of
from ribalta.core.handover.landings import Landings, landings_of
from ribalta.core.handover.travel import Travelled, travelled
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.widgets.pages import Page
from ribalta.desk.wrap.charts import (
    ROW,
    SCREEN,
    paint_bars,
    paint_evening,
    paint_lengths,
    paint_shares,
    paint_sound,
    paint_travel,
    takes_words,
)
from ribalta.desk.wrap.help_most import HelpMost

MOST = 10
HEAD, GAP, LENGTHS = 26, 14, 130
WHEN, BY_CAMERA, BY_FRAMING = "Who was on air when", "By camera: at once, waited (dotted), late (striped)", "By framing"
BY_CAUSE, SHARES, LONG = "By what asked", "How long each camera was on air", "How long shots were"
SOUND = "How loud program was"
TRAVEL = "How far each camera travelled between its shots"
EMPTY = "Nothing has been taken yet. Afterwards this shows what landed, what waited for its camera, and for how long."


class LandedDrawing(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._count = -1
        self.evening: Evening | None = None
        self.landings: Landings | None = None
        self.travel: tuple[Travelled, ...] = ()
        self.setAccessibleName("What landed")

    def refresh(self) -> None:
        """Counted anew when there are other lines."""
        lines = self._bridge.as_run.lines
        if len(lines) == self._count:
            return
        self._count = len(lines)
        self.evening = evening_of([Sitting(lines)], self._bridge.state.show.title)
        self.landings = landings_of(self.evening)
        self.travel = travelled(self._bridge.state.show, lines)
        self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def _rows(self) -> list[tuple[str, int]]:
        """The headings, and how tall what is below each is."""
        counted = self.landings
        if counted is None:
            return []
        row, cameras = look.scaled(ROW), len(counted.seconds)
        return [
            (WHEN, row * (cameras + 1)),
            (BY_CAMERA, row * len(counted.by_camera)),
            (BY_FRAMING, row * len(counted.by_framing[:MOST])),
            (BY_CAUSE, row * len(counted.by_cause[:MOST])),
            (SHARES, row * cameras),
            (TRAVEL, row * max(1, len(self.travel))),
            (LONG, look.scaled(LENGTHS)),
            (SOUND, look.scaled(LENGTHS)),
        ]

    def sizeHint(self) -> QSize:
        return QSize(600, sum(look.scaled(HEAD) + GAP + tall for _, tall in self._rows()) or 200)

    def accessible_parts(self) -> list[Part]:
        """Each heading with what it says, in words."""
        counted, y, found = self.landings, 0.0, list[Part]()
        for words, tall in self._rows():
            area = QRectF(0, y, self.width(), look.scaled(HEAD) + tall)
            said = takes_words(counted.whole) if counted is not None else ""
            found.append(Part(area, words, said))
            y += look.scaled(HEAD) + GAP + tall
        return found

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        counted, evening = self.landings, self.evening
        if counted is None or evening is None or not counted.whole.takes:
            painter.setPen(look.SOFT)
            painter.setFont(look.font(15))
            painter.drawText(QRectF(self.rect()).adjusted(8, 8, -8, -8), EMPTY)
            return
        names = {camera.number: camera.name for camera in self._bridge.state.show.cameras}
        unit, y = look.text_percent() / 100, 0.0
        called = {number: f"{number}  {name}" for number, name in names.items()} | {0: "scenes and media"}
        for words, tall in self._rows():
            painter.setPen(look.TEXT)
            painter.setFont(look.font(15, look.BOLD))
            painter.drawText(QRectF(0, y, self.width(), look.scaled(HEAD)), words)
            area = QRectF(0, y + look.scaled(HEAD), self.width() - 8, tall + 1)
            if words == WHEN:
                paint_evening(painter, area, evening, names, SCREEN, unit)
            elif words == BY_CAMERA:
                paint_bars(painter, area, [(called.get(k, str(k)), t) for k, t in counted.by_camera], SCREEN, unit)
            elif words == BY_FRAMING:
                paint_bars(painter, area, list(counted.by_framing[:MOST]), SCREEN, unit)
            elif words == BY_CAUSE:
                paint_bars(painter, area, list(counted.by_cause[:MOST]), SCREEN, unit)
            elif words == SHARES:
                paint_shares(painter, area, counted, names, SCREEN, unit)
            elif words == SOUND:
                paint_sound(painter, area, evening, SCREEN, unit)
            elif words == TRAVEL:
                paint_travel(painter, area, self.travel, names, SCREEN, unit)
            else:
                paint_lengths(painter, area, counted, SCREEN, unit)
            y += look.scaled(HEAD) + GAP + tall


class LandedPage(Page):
    """What would help, and the charts; all of it scrolls."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self.drawing = LandedDrawing(bridge)
        self.helping = HelpMost(bridge)
        inside, scrolls = QWidget(), QScrollArea()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 8, 0, 0)
        column.addWidget(self.helping)
        column.addWidget(self.drawing, 1)
        scrolls.setWidget(inside)
        scrolls.setWidgetResizable(True)
        scrolls.setAccessibleName("What landed")
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scrolls)
        self.setFocusProxy(scrolls)

    def refresh(self) -> None:
        self.drawing.refresh()
        self.helping.refresh()
