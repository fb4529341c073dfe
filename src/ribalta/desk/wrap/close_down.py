"""Close down: one held press ends the evening in order, and each part says what really happened."""

from datetime import datetime

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QProgressBar, QPushButton, QVBoxLayout, QWidget

from ribalta.core.engine.state.crew_lists import is_closed
from ribalta.core.ports.crew import Ending, EndingStep
from ribalta.core.show.automation.calls import Call
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import button, label
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.widgets.pages import Page

ABOUT = (
    "Holding it stops what runs, ends the stream, ends the recording and reads it back, sends the cameras home and to"
    " standby, clears titles and insets, and puts tally off."
)
SIGNS = {Ending.WAITS: "○", Ending.DOES: "▶", Ending.DONE: "✓", Ending.FAILED: "!"}
INKS = {Ending.WAITS: look.SOFT, Ending.DOES: look.LAMP_WARM, Ending.DONE: None, Ending.FAILED: look.WRONG}


def row_of(step: EndingStep) -> ListRow:
    """A part of the end, and what happened."""
    said = f": {step.said}" if step.said else ""
    return ListRow(step.key, f"{SIGNS[step.ending]} {step.words}{said}", INKS[step.ending], step.said)


class CloseDownPage(Page):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.end = QPushButton("Hold to end the evening")
        self.end.setFont(look.font(16, look.MEDIUM))
        self.end.setToolTip(ABOUT)
        self.end.pressed.connect(lambda: bridge.begin(Call(action="evening.end")))
        self.end.released.connect(bridge.let_go)
        self.again = button("Try again what failed", lambda: bridge.act("evening.again"))
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setMaximum(1000)
        self.said = label("", wrap=True)
        self.steps = Listing("The end of the evening", lambda _: None)
        self.steps.setWordWrap(True)
        self.steps.setFont(look.font(16))
        column = QVBoxLayout(self)
        column.setSpacing(8)
        column.addWidget(self.end, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self.said)
        column.addWidget(self.bar)
        column.addWidget(self.steps, 1)
        column.addWidget(self.again, 0, Qt.AlignmentFlag.AlignLeft)
        column.setContentsMargins(0, 8, 0, 0)

    @property
    def focus_at(self) -> QWidget:
        """See `Page`."""
        return self.steps

    def refresh(self) -> None:
        """From how far the end is."""
        now, closed = self._bridge.closing.now, is_closed(self._bridge.state)
        over = sum(step.ending in (Ending.DONE, Ending.FAILED) for step in now.steps)
        self.end.setEnabled(not now.running)
        self.again.setVisible(bool(now.failed) and not now.running)
        self.bar.setVisible(now.running)
        self.bar.setValue(1000 * over // max(1, len(now.steps)))
        self.steps.setVisible(bool(now.steps))
        self.steps.fill([row_of(step) for step in now.steps], None)
        if now.running:
            said = "Ends the evening, one thing after the other."
        elif not now.steps:
            said = ABOUT
        elif now.failed:
            count = len(now.failed)
            said = f"! {count} of {len(now.steps)} could not be ended. Everything else is."
        else:
            again = "" if closed else " Something was taken since: the show goes on."
            said = f"The evening was ended at {datetime.fromtimestamp(now.at_s):%H:%M}.{again}"
        self.said.setText(said)
