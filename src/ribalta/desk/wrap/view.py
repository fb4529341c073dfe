"""Wrap: what went on air, what of it landed, handing over, and what ran."""

from typing import ClassVar

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from ribalta.desk.bridge import Bridge
from ribalta.desk.widgets.pages import Pages, Tabs
from ribalta.desk.wrap.aired import AiredPage
from ribalta.desk.wrap.handover import HandOverPage
from ribalta.desk.wrap.landed import LandedPage
from ribalta.desk.wrap.log import LogPage


class WrapView(QWidget):
    """`hint` is what the lowest line says when nothing has happened."""

    own_keys: ClassVar = {"Up": "line before", "Down": "next line"}
    hint = "What went on air, what of it landed, and what is handed over. F10 shows why a camera moved, over any view."

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self.aired = AiredPage(bridge)
        self.landed = LandedPage(bridge)
        self.handover = HandOverPage(bridge)
        self.log = LogPage(bridge)
        self.pages: dict[str, AiredPage | LandedPage | HandOverPage | LogPage] = {
            "On air": self.aired,
            "What landed": self.landed,
            "Hand over": self.handover,
            "What ran": self.log,
        }
        self.tabs = Tabs(self.pages, self.show_page)
        self._stack = Pages(*self.pages.values())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(self.tabs)
        column.addWidget(self._stack, 1)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFocusProxy(self.aired.list)
        self.tabs.mark("On air")
        bridge.changed.connect(self._refresh)

    def show_page(self, name: str) -> None:
        """One of its pages, by the word above it; others are passed over."""
        if name in self.pages:
            self.tabs.mark(name)
            page = self.pages[name]
            self._stack.turn_to(page)
            self.setFocusProxy(page.list if not isinstance(page, LandedPage) else page)
            page.refresh()

    def _refresh(self) -> None:
        if self.isVisible():
            self._now().refresh()

    def _now(self) -> AiredPage | LandedPage | HandOverPage | LogPage:
        return next(page for page in self.pages.values() if page is self._stack.current)

    def shown(self) -> None:
        """This view has come to the front."""
        self._now().refresh()
