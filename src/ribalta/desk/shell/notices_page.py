"""What was said: the last hundred notices, to be read again. It lies over a view and stops nothing."""

from collections import deque
from dataclasses import dataclass

from PySide6.QtCore import QTime
from PySide6.QtWidgets import QWidget

from ribalta.core.ports.messages import Notice, Severity
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.shell.over_page import OverPage
from ribalta.desk.widgets.lists.listing import Listing, ListRow

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


class NoticesPage(OverPage):
    """The newest comes first."""

    def __init__(self, bridge: Bridge, parent: QWidget) -> None:
        super().__init__("What was said", parent)
        self.told: deque[Told] = deque(maxlen=MOST)
        self.list = Listing("What was said", lambda _: None)
        self.list.setWordWrap(True)
        self.column.addWidget(self.list, 1)
        bridge.noticed.connect(self._hear)

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
