"""Pads in a window of their own. A plain page fills it and stays until its code is typed: for a volunteer's hands."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QCloseEvent, QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from ribalta.core.show.automation.triggers_pads_shortcuts import Page
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Field, button, label
from ribalta.desk.widgets.pad_page import PadGrid
from ribalta.desk.widgets.style import wear_sheet


class PadsPane(QWidget):
    """A row of page names above the pads; on a plain page only its name, and a field for the code."""

    unlocked = Signal()

    def __init__(self, bridge: Bridge, owner: QWidget | None = None, can_lock: bool = True) -> None:
        super().__init__(owner)
        self._bridge, self._can_lock = bridge, can_lock
        self.grid = PadGrid(bridge)
        self.locked = False
        self.names = QHBoxLayout()
        self.buttons: dict[str, QPushButton] = {}
        self.title = label("")
        self.title.setFont(look.font(17, look.BOLD))
        self.code = Field("Code", self._try)
        self.code.setPlaceholderText("code")
        self.code.setFixedWidth(look.scaled(90))
        self.code.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.lock = button("Hand it over", self.hand_over, "Only these pads, until the code is typed")
        self.lock.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addLayout(self.names)
        head.addStretch(1)
        head.addWidget(self.lock)
        head.addWidget(self.code)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 6, 8, 8)
        column.addLayout(head)
        column.addWidget(self.grid, 1)
        bridge.changed.connect(self.refresh)
        self.refresh()

    @property
    def page(self) -> Page | None:
        return self.grid.page

    def turn_to(self, page_id: str) -> None:
        if not self.locked:
            self.grid.show_page(page_id)
            self.refresh()

    def refresh(self) -> None:
        pages = self._bridge.state.show.pages
        if self.page is None:
            if self.locked:  # its page is gone, and its code with it
                self.locked = False
                self.unlocked.emit()
            self.grid.show_page(pages[0].id if pages else None)
        if [p.id for p in pages] != list(self.buttons):
            for old in self.buttons.values():
                self.names.removeWidget(old)
                old.deleteLater()
            self.buttons = {}
            for page in pages:
                made = button(page.name, lambda page_id=page.id: self.turn_to(page_id))  # type: ignore[misc]
                made.setObjectName("page")
                made.setCheckable(True)
                made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                self.buttons[page.id] = made
                self.names.addWidget(made)
        for page in pages:
            self.buttons[page.id].setText(page.name)
            self.buttons[page.id].setChecked(page.id == self.grid.page_id)
            self.buttons[page.id].setVisible(not self.locked)
        page_now = self.page
        self.title.setVisible(self.locked)
        self.title.setText(page_now.name if page_now is not None else "")
        self.code.setVisible(self.locked)
        plain = page_now is not None and page_now.plain
        self.lock.setVisible(self._can_lock and plain and not self.locked)

    def hand_over(self) -> None:
        """Only this page, until its code is typed."""
        self.locked = True
        self.refresh()

    def _try(self, code: str) -> None:
        page = self.page
        opens = self.locked and (page is None or page.opens_with(code))
        self.locked = self.locked and not opens
        self.code.clear()
        self.code.setPlaceholderText("code" if not self.locked else "not that one")
        self.setFocus()
        self.refresh()
        if opens:
            self.unlocked.emit()


class PadsWindow(QWidget):
    """A window for another screen, or a touch screen beside the desk. F fills the screen."""

    closed = Signal()

    def __init__(self, bridge: Bridge) -> None:
        super().__init__(None, Qt.WindowType.Window)
        self.setWindowTitle("Pads – Ribalta")
        self.resize(820, 520)
        self.pane = PadsPane(bridge)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.pane)
        wear_sheet(self)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_F and not self.pane.locked:
            self.showNormal() if self.isFullScreen() else self.showFullScreen()
        else:
            super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        """Handed over, it does not close by a stray click."""
        if self.pane.locked and event.spontaneous():
            event.ignore()
            return
        self.closed.emit()
        event.accept()
