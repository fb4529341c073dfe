"""One page of several, as large as there is room: a page that would like more never pushes its neighbours away."""

from collections.abc import Callable, Iterable

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import button


class Pages(QWidget):
    def __init__(self, *pages: QWidget) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.current = pages[0]
        for page in pages:
            page.setParent(self)
            page.hide()
        self.turn_to(pages[0])

    def turn_to(self, page: QWidget) -> None:
        self.current.hide()
        self.current = page
        page.setGeometry(self.rect())
        page.show()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.current.setGeometry(self.rect())


class Tabs(QHBoxLayout):
    """A word for each page; the one that is shown is marked. A click leaves the keyboard where it is."""

    def __init__(self, names: Iterable[str], chosen: Callable[[str], None]) -> None:
        super().__init__()
        self.setSpacing(8 if look.text_percent() == 100 else 1)
        self.words: dict[str, QPushButton] = {}
        for name in names:
            word = button(name, lambda name=name: chosen(name))  # type: ignore[misc]
            word.setObjectName("page")
            word.setCheckable(True)
            word.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            self.addWidget(word)
            self.words[name] = word
        self.addStretch(1)

    def mark(self, name: str) -> None:
        for other, word in self.words.items():
            word.setChecked(other == name)
