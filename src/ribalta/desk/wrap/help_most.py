"""What would have helped the evening most, each tried in a rehearsal of it; and how evening after evening fared."""

from collections.abc import Mapping, Sequence
from typing import Any

from PySide6.QtCore import QRectF, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from ribalta.core.handover.landings import Tally
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.widgets.fields import button, label
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.wrap.charts import ROW, SCREEN, paint_bars, takes_words
from ribalta.desk.wrap.child_work import ChildWork, Progress

ABOUT = (
    "Rehearses the last evening with one change after the other, and says which three would have saved most waiting."
)
NO_FILE = "Save the show first: what went on air is kept beside its file."
NONE = "No change that was tried would have saved half a second of waiting."
EVENINGS = 12


class Evenings(QWidget):
    """A bar for each evening, the newest last."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[tuple[str, Tally]] = []
        self.setAccessibleName("Evening by evening")

    def show_rows(self, rows: Sequence[Mapping[str, Any]]) -> None:
        fields = Tally.__dataclass_fields__
        self.rows = [(str(row["date"]), Tally(**{k: row[k] for k in fields})) for row in rows][-EVENINGS:]
        self.setMinimumHeight(look.scaled(ROW) * len(self.rows) + 2)
        self.setVisible(len(self.rows) > 1)
        self.update()

    def accessible_parts(self) -> list[Part]:
        """Each evening, in words."""
        tall = look.scaled(ROW)
        return [
            Part(QRectF(0, k * tall, self.width(), tall), date, takes_words(tally))
            for k, (date, tally) in enumerate(self.rows)
        ]

    def paintEvent(self, event: QPaintEvent) -> None:
        area = QRectF(self.rect()).adjusted(0, 0, -8, 1)
        paint_bars(QPainter(self), area, self.rows, SCREEN, look.text_percent() / 100)


class HelpMost(QWidget):
    told = Signal(object)  # how it goes, from a thread of its own

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._work = ChildWork(bridge.crew, self.told.emit)
        self.found: list[Mapping[str, Any]] = []
        self.chosen: int | None = None
        self.begin = button("What would help most", self._begin, ABOUT)
        self.stop = button("Stop", self._work.stop)
        self.apply = button("Apply", self._apply, "It is stored; Ctrl+Z undoes it")
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setMaximum(1000)
        self.said = label("", wrap=True)
        self.list = Listing("What would help most", self._choose)
        self.list.setWordWrap(True)
        self.evenings_head = label("Evening by evening")
        self.evenings_head.setFont(look.font(15, look.BOLD))
        self.evenings = Evenings()
        head = QHBoxLayout()
        for part in (self.begin, self.stop):
            head.addWidget(part)
        head.addWidget(self.bar, 1)
        head.addWidget(self.said, 2)
        head.addWidget(self.apply)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 8, 8)
        column.addLayout(head)
        column.addWidget(self.list)
        column.addWidget(self.evenings_head)
        column.addWidget(self.evenings)
        self.evenings.show_rows(())
        self.told.connect(self._show)
        self.refresh()

    def refresh(self) -> None:
        """What can be pressed now."""
        path, runs = self._bridge.file.path, self._work.runs
        self.begin.setEnabled(path is not None and not runs)
        self.stop.setVisible(runs)
        self.bar.setVisible(runs)
        if path is None:
            self.said.setText(NO_FILE)
        elif self.said.text() in ("", NO_FILE):
            self.said.setText(ABOUT)
        self.list.setVisible(bool(self.found))
        self.apply.setVisible(bool(self.found))
        one = self.found[self.chosen] if self.chosen is not None and self.chosen < len(self.found) else None
        self.apply.setEnabled(one is not None and bool(one["camera"]))
        rows = [
            ListRow(str(k), f"{k + 1}  {x['words']}  ({x['saves_s']:.1f} s less)") for k, x in enumerate(self.found)
        ]
        self.list.fill(rows, str(self.chosen) if self.chosen is not None else None)
        self.list.setFixedHeight(look.scaled(30) * max(1, len(rows)) + 4)
        self.evenings_head.setVisible(len(self.evenings.rows) > 1)

    def _begin(self) -> None:
        path = self._bridge.file.path
        if path is not None and not self._work.runs:
            self.said.setText("Begins …")
            self._work.begin(["landings", str(path)])
            self.refresh()

    def _show(self, progress: Progress) -> None:
        self.bar.setValue(round(1000 * progress.share))
        self.said.setText(progress.words)
        if progress.result is not None:
            done = progress.result["done"]
            proposals = done["proposals"]
            self.found = list(proposals["found"])
            self.chosen = 0 if self.found else None
            held, left = proposals["held_s"], proposals["foretold_s"]
            waits = f"{proposals['takes']} takes waited {held:.1f} s in a rehearsal of the evening"
            self.said.setText(f"{waits}; with these, {left:.1f} s." if self.found else f"{waits}. {NONE}")
            self.evenings.show_rows(done["evenings"])
        self.refresh()

    def _choose(self, key: str) -> None:
        self.chosen = int(key)
        self.refresh()

    def _apply(self) -> None:
        one = self.found[self.chosen] if self.chosen is not None else None
        framing = self._bridge.state.show.framing(one["framing_id"]) if one is not None else None
        camera = self._bridge.state.show.camera(framing.camera_id) if framing is not None else None
        if one is None or framing is None or camera is None or not one["camera"]:
            return
        place = {"camera": camera.number, "letter": framing.letter, "page": framing.page}
        self._bridge.act("framing.move", **place, to_letter=framing.letter, to_page=0, to_camera=one["camera"])
