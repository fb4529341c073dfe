"""One page of several, as large as there is room: a page that would like more never pushes its neighbours away."""

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget


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
