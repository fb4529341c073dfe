"""What was said: the last hundred notices, to be read again. It lies over a view and stops nothing."""

from collections import deque
from dataclasses import dataclass

from PySide6.QtCore import Qt, QTime, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.ports.messages import Notice, Severity
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import button, label
from ribalta.desk.widgets.listing import Listing, ListRow

MOST = 100
SIGNS = {Severity.INFO: "", Severity.REFUSED: "! Not done:  ", Severity.FAULT: "! Trouble:  "}


@dataclass(frozen=True)
class Told:
    """`at` is the time of day, as a clock shows it."""

    at: str
    notice: Notice

    @property
    def words(self) -> str:
        return f"{SIGNS[self.notice.severity]}{self.notice.sentence}"


class NoticesPage(QWidget):
    """The newest comes first."""

    left = Signal()
    keeps = ("Esc",)  # on Air too

    def __init__(self, bridge: Bridge, parent: QWidget) -> None:
        super().__init__(parent)
        self.told: deque[Told] = deque(maxlen=MOST)
        self.setAutoFillBackground(True)
        self.list = Listing("What was said", lambda _: None)
        self.list.setWordWrap(True)
        head = QHBoxLayout()
        title = label("What was said")
        title.setFont(look.font(16, look.BOLD))
        head.addWidget(title)
        head.addStretch(1)
        head.addWidget(button("Close  Esc", self.left.emit))
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 8)
        column.addLayout(head)
        column.addWidget(self.list, 1)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        bridge.noticed.connect(self._hear)
        self.hide()

    def _hear(self, notice: Notice) -> None:
        self.told.appendleft(Told(QTime.currentTime().toString("HH:mm:ss"), notice))
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        rows = [
            ListRow(str(k), f"{one.at}   {one.words}", look.WRONG if one.words.startswith("!") else None)
            for k, one in enumerate(self.told)
        ]
        self.list.fill(rows or [ListRow("", "Nothing was said yet.")], None)

    def open(self) -> None:
        self.refresh()
        self.show()
        self.raise_()
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)
