"""A first evening on the window: what to press now and why, above every view, until it is ended."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from ribalta.core.engine.views.first_evening import Advice, advise
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import button

OVER = "The evening is over. You have directed a show."
OVER_WHY = "Hand over the log and the recordings in Wrap, or close the window."


class GuideLine(QWidget):
    """Two lines of words, and what can be pressed at their right. Nothing here takes the keyboard."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.on = False
        self.advice: Advice | None = None
        self._skipped: set[str] = set()
        self.does, self.why, self.count = QLabel(), QLabel(), QLabel()
        self.does.setFont(look.font(16, look.BOLD))
        self.why.setFont(look.font(14))
        self.count.setFont(look.font(14, look.MEDIUM))
        self.show_me = button("Show me", self._go, "The place where it is done")
        self.skip = button("Skip", self._skip, "This step is not wanted")
        self.end = button("End", self.leave, "No more advice: it is in the Show menu again")
        words = QVBoxLayout()
        words.setSpacing(2)
        for label in (self.does, self.why):
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setWordWrap(True)
            words.addWidget(label)
        line = QHBoxLayout(self)
        line.setContentsMargins(12, 6, 10, 6)
        line.setSpacing(10)
        line.addWidget(self.count, 0, Qt.AlignmentFlag.AlignTop)
        line.addLayout(words, 1)
        for part in (self.show_me, self.skip, self.end):
            part.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            line.addWidget(part)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setStyleSheet(
            f"GuideLine {{ background: {look.RAIL.name()}; border-left: 4px solid {look.LAMP_WARM.name()}; }}"
        )
        self.setAccessibleName("First evening")
        self.hide()
        bridge.changed.connect(self.refresh)

    def begin(self) -> None:
        """From what the show needs next."""
        self.on, self._skipped = True, set()
        self.refresh()

    def leave(self) -> None:
        self.on = False
        self.hide()

    def refresh(self) -> None:
        if not self.on:
            return
        self.advice = advise(self._bridge.state, self._bridge.now_s, self._skipped)
        one = self.advice
        self.count.setText(f"{one.number} of {one.of}" if one is not None else "Done")
        for label, said in ((self.does, one.does if one else OVER), (self.why, one.why if one else OVER_WHY)):
            if label.text() != said:
                label.setText(said)
        self.show_me.setVisible(one is not None)
        self.skip.setVisible(one is not None)
        self.show()

    def _go(self) -> None:
        if self.advice is not None:
            self._bridge.place_wanted.emit(self.advice.view, self.advice.page)

    def _skip(self) -> None:
        if self.advice is not None:
            self._skipped.add(self.advice.key)
            self.refresh()
