"""The log over a view, at what made a camera move."""

from PySide6.QtWidgets import QWidget

from ribalta.desk.bridge import Bridge
from ribalta.desk.shell.over_page import OverPage
from ribalta.desk.wrap.log import LogPage


class LogOver(OverPage):
    def __init__(self, bridge: Bridge, parent: QWidget) -> None:
        super().__init__("What ran", parent)
        self._bridge = bridge
        self.page = LogPage(bridge)
        self.column.addWidget(self.page, 1)
        bridge.changed.connect(lambda: self.page.refresh() if self.isVisible() else None)

    def refresh(self) -> None:
        """At the camera selected last."""
        self.page.show_camera(self._bridge.state.desk.row or "")
