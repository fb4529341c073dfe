"""What ran: it stands in Wrap's place until the rest of that view is there."""

from typing import ClassVar

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from ribalta.desk.bridge import Bridge
from ribalta.desk.wrap.log import LogPage


class LogView(QWidget):
    """`hint` is what the lowest line says when nothing has happened."""

    own_keys: ClassVar = {"Up": "line before", "Down": "next line"}
    hint = "What ran, who asked, and what came of it. F10 shows why a camera moved, over any view."

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self.page = LogPage(bridge)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.page)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFocusProxy(self.page.list)
        bridge.changed.connect(self._refresh)

    def _refresh(self) -> None:
        if self.isVisible():
            self.page.refresh()

    def shown(self) -> None:
        """This view has come to the front."""
        self.page.refresh()
