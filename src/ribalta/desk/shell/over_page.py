"""A page that lies over a view, with a title, and is closed by Escape. It stops nothing."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import button, label


class OverPage(QWidget):
    """`left` when it is to be put away. What is on it goes into `column`."""

    left = Signal()
    keeps = ("Esc",)  # on Air too

    def __init__(self, title: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAutoFillBackground(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        words = label(title)
        words.setFont(look.font(16, look.BOLD))
        head = QHBoxLayout()
        head.addWidget(words)
        head.addStretch(1)
        head.addWidget(button("Close  Esc", self.left.emit))
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(12, 8, 12, 8)
        self.column.addLayout(head)
        self.hide()

    def refresh(self) -> None:
        raise NotImplementedError

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
