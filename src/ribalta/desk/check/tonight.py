"""Before doors: one press looks at everything, and says of each thing what was measured and why it matters."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from ribalta.core.readiness.kinds import KINDS
from ribalta.core.readiness.lines import Line, Rating
from ribalta.desk.bridge import Bridge
from ribalta.desk.check.lines_tree import LinesTree
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Choice, Field, button, label
from ribalta.desk.widgets.pages import Page
from ribalta.desk.words.check_words import summary_words

EVERYTHING, BAD = "everything", "bad"
SHOWS = {EVERYTHING: "everything", BAD: "what is not well"}
ABOUT = (
    "Looks at cameras and their pictures, framings, macros, triggers and playlists, titles and media, sound, outputs,"
    " controllers and this machine. A second of recording is made and read back. Nothing on air is touched."
)
NONE = "Select a line to see why it matters and what can be done."
WELL = "All is well. Open the doors."
IN_WORDS = {
    Rating.PASS: "It is well.",
    Rating.LOOK: "Look at this.",
    Rating.STOP: "Stop: everybody would see or hear it.",
}


def minutes_of(typed: str) -> float | None:
    """“2:30” and “2 h 30” are hours and minutes, “150” minutes; None for what is neither."""
    parts = typed.replace("min", " ").replace("h", ":").replace(" ", "").strip(":").split(":")
    try:
        numbers = [float(part) for part in parts]
    except ValueError:
        return None
    if len(numbers) == 1:
        return numbers[0] * (60 if "h" in typed else 1)
    return 60 * numbers[0] + numbers[1] if len(numbers) == 2 else None


class TonightPage(Page):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._line: Line | None = None
        self.begin = button("Check everything", bridge.readiness.begin, ABOUT)
        self.stop = button("Stop", bridge.readiness.cancel, "What the last check found stays")
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setRange(0, 1000)
        self.doing = label("", soft=True)
        self.shows = Choice("What is shown", SHOWS, lambda _: self.refresh())
        self.planned = Field("Planned length", self._plan, "For how long recordings need room: 2:30 or 150 min")
        self.planned.setFixedWidth(look.scaled(110))
        self.said = label("", wrap=True)
        self.said.setFont(look.font(16, look.MEDIUM))
        self.tree = LinesTree(self._chosen)
        self.tree.itemActivated.connect(lambda _: self._go())
        self.empty = label(ABOUT, soft=True, wrap=True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.subject = label("", wrap=True)
        self.subject.setFont(look.font(16, look.MEDIUM))
        self.rating, self.measured, self.why = label(wrap=True), label(wrap=True), label(soft=True, wrap=True)
        self.go = button("Go there", self._go, "The place where it is changed")
        self.fix = button("", self._fix)
        self.leave = button("Leave out", self._leave_out, "This kind of line does not matter to this show")
        self.left = Choice("Left out of this show's check", {})
        self.back = button("Look at it again", self._again, "Lines of this kind are among them again")
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        for mine in (self.begin, self.stop, self.doing):
            head.addWidget(mine)
        head.addWidget(self.bar, 1)
        head.addStretch(1)
        for part in (label("Planned length", soft=True), self.planned, label("Shown", soft=True), self.shows):
            head.addWidget(part)
        detail = QVBoxLayout()
        detail.setSpacing(8)
        for part in (self.subject, self.rating, self.measured, self.why):
            detail.addWidget(part)
        presses = QHBoxLayout()
        presses.addWidget(self.go)
        presses.addWidget(self.leave)
        presses.addStretch(1)
        detail.addWidget(self.fix, 0, Qt.AlignmentFlag.AlignLeft)
        detail.addLayout(presses)
        detail.addStretch(1)
        self._left_words = label("Left out of this show's check", soft=True)
        detail.addWidget(self._left_words)
        detail.addWidget(self.left)
        detail.addWidget(self.back, 0, Qt.AlignmentFlag.AlignLeft)
        side = QWidget()
        side.setFixedWidth(look.scaled(320))
        side.setLayout(detail)
        detail.setContentsMargins(0, 0, 0, 0)
        lower = QHBoxLayout()
        lower.setSpacing(16)
        lower.addWidget(self.tree, 1)
        lower.addWidget(self.empty, 1)
        lower.addWidget(side)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 8, 0, 0)
        whole.setSpacing(8)
        whole.addLayout(head)
        whole.addWidget(self.said)
        whole.addLayout(lower, 1)

    @property
    def focus_at(self) -> QWidget:
        """See `Page`."""
        return self.begin if self.tree.isHidden() else self.tree

    def refresh(self) -> None:
        """From what the server says of the check now."""
        now, readiness = self._bridge.readiness.now, self._bridge.state.show.readiness
        if now.running and self.begin.hasFocus():  # what cannot be pressed any more would hand it on to a field
            self.stop.show()
            self.stop.setFocus()
        over = not now.running and self.stop.hasFocus()
        self.begin.setEnabled(not now.running)
        self.begin.setText("Check again" if now.at_s else "Check everything")
        self.stop.setVisible(now.running)
        self.bar.setVisible(now.running)
        self.bar.setValue(round(1000 * now.share))
        self.doing.setVisible(now.running)
        self.doing.setText(f"{now.doing} …")
        self.said.setText(summary_words(self._bridge))
        hours, minutes = divmod(round(readiness.planned_minutes), 60)
        self.planned.show_text(f"{hours}:{minutes:02d} h", readiness.planned_minutes)
        bad = self.shows.value() == BAD
        lines = [x for x in now.lines if x.key not in readiness.left_out and not (bad and x.rating is Rating.PASS)]
        self.tree.fill(lines)
        self.tree.setVisible(bool(lines))
        self.empty.setVisible(not lines)
        self.empty.setText(WELL if now.at_s else ABOUT)
        if self._line is not None and self._line not in lines:
            self._line = None
        self.left.offer({key: KINDS.get(key, key) for key in readiness.left_out})
        for part in (self._left_words, self.left, self.back):
            part.setVisible(bool(readiness.left_out))
        if over:
            (self.tree if lines else self.begin).setFocus()
        self._tell()

    def _tell(self) -> None:
        line = self._line
        for part in (self.rating, self.measured, self.why, self.go, self.leave, self.fix):
            part.setVisible(line is not None)
        if line is None:
            self.subject.setText(NONE if self.tree.isVisibleTo(self) else "")
            return
        self.subject.setText(line.subject)
        mark = "" if line.rating is Rating.PASS else "! "
        self.rating.setText(f"{mark}{IN_WORDS[line.rating]}")
        self.measured.setText(f"{line.measured[:1].upper()}{line.measured[1:].rstrip('.')}.")
        self.why.setText(line.why)
        self.go.setVisible(bool(line.view))
        self.leave.setVisible(line.rating is not Rating.PASS)
        self.fix.setVisible(line.fix is not None)
        self.fix.setText(line.fix.label if line.fix is not None else "")

    def _chosen(self, line: Line | None) -> None:
        self._line = line
        self._tell()

    def _go(self) -> None:
        if self._line is not None:
            self._bridge.place_wanted.emit(self._line.view, self._line.page)

    def _fix(self) -> None:
        if self._line is not None and self._line.fix is not None:
            self._bridge.act(self._line.fix.action, **self._line.fix.arguments)

    def _leave_out(self) -> None:
        if self._line is not None:
            self._bridge.act("check.leave_out", key=self._line.key)

    def _again(self) -> None:
        if self.left.value():
            self._bridge.act("check.leave_out", key=self.left.value(), on=True)

    def _plan(self, typed: str) -> None:
        minutes = minutes_of(typed)
        self._bridge.act("check.planned", minutes=minutes if minutes is not None else typed)
