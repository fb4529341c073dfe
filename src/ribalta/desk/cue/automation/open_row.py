"""A row of a tree that is open: what it says stays at its top, and what changes it lies below, in the row itself."""

from PySide6.QtCore import QModelIndex, QObject, QPersistentModelIndex, QRect, QSize
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QTreeWidget, QTreeWidgetItem, QWidget

from ribalta.desk.painting import look

Index = QModelIndex | QPersistentModelIndex
LEFT, GAP = 26, 6


class OpenRow(QStyledItemDelegate):
    """Leaves room for a widget below one row of a tree, and keeps it there."""

    def __init__(self, tree: QTreeWidget, inside: QWidget, parent: QObject) -> None:
        super().__init__(parent)
        self._tree, self._inside = tree, inside
        self.item: QTreeWidgetItem | None = None
        self._tall = 0
        self._settles = False
        inside.setParent(tree.viewport())
        inside.hide()
        tree.setItemDelegate(self)

    def open(self, item: QTreeWidgetItem | None) -> None:
        """That row from now on; None: no row."""
        if item is self.item:
            return
        self.item = item
        self._tree.scheduleDelayedItemsLayout()
        if item is None:
            self._inside.hide()

    def forget(self) -> None:
        """The rows are made anew."""
        self.item = None
        self._inside.hide()

    def settle(self) -> None:
        """What is inside lies where its row is now, as tall as it has to be."""
        if self.item is None or self._settles:
            return
        self._settles = True
        self._settle(self.item)
        self._settles = False

    def _settle(self, item: QTreeWidgetItem) -> None:
        row = self._tree.visualItemRect(item)
        if not row.isValid():
            self._inside.hide()  # folded away
            return
        left = row.left() + look.scaled(LEFT)
        wide = max(220, self._tree.viewport().width() - left - GAP)
        layout = self._inside.layout()
        tall = layout.totalHeightForWidth(wide) if layout is not None and layout.hasHeightForWidth() else -1
        tall = max(tall, self._inside.sizeHint().height()) + GAP
        if tall != self._tall:
            self._tall = tall
            self._tree.scheduleDelayedItemsLayout()
            row = self._tree.visualItemRect(item)
        self._inside.setGeometry(QRect(left, row.bottom() - tall, wide, tall - GAP))
        self._inside.show()

    # Of the delegate

    def _is_open(self, index: Index) -> bool:
        return self.item is not None and self._tree.itemFromIndex(index) is self.item

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        size = super().sizeHint(option, index)
        return QSize(size.width(), size.height() + self._tall) if self._is_open(index) else size

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        if self._is_open(index):
            whole = option.rect
            painter.fillRect(whole, look.CHOSEN)
            tall = super().sizeHint(option, index).height()
            option.rect = QRect(whole.left(), whole.top(), whole.width(), tall)
        super().paint(painter, option, index)
