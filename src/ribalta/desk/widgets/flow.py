"""Parts one after another, in as many lines as their room needs."""

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QWidget


class Flow(QLayout):
    """Parts keep the width that they would like; those that are hidden take no room."""

    def __init__(self, owner: QWidget | None = None, gap: int = 6) -> None:
        super().__init__(owner)
        self._gap = gap
        self._held: list[QLayoutItem] = []
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem) -> None:
        self._held.append(item)

    def count(self) -> int:
        return len(self._held)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._held[index] if 0 <= index < len(self._held) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._held.pop(index) if 0 <= index < len(self._held) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._lay(QRect(0, 0, width, 0), False)

    def setGeometry(self, area: QRect) -> None:
        super().setGeometry(area)
        self._lay(area, True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        sizes = [item.minimumSize() for item in self._held if not item.isEmpty()]
        return QSize(max((s.width() for s in sizes), default=0), max((s.height() for s in sizes), default=0))

    def _lay(self, area: QRect, place: bool) -> int:
        """The height that is needed."""
        x, y, tall = area.x(), area.y(), 0
        for item in self._held:
            if item.isEmpty():
                continue
            size = item.sizeHint()
            wide = min(size.width(), area.width())
            if x > area.x() and x + wide > area.right() + 1:
                x, y, tall = area.x(), y + tall + self._gap, 0
            if place:
                item.setGeometry(QRect(QPoint(x, y), QSize(wide, size.height())))
            x, tall = x + wide + self._gap, max(tall, size.height())
        return y + tall - area.y()
