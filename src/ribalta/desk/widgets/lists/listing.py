"""A list of named things: filled anew only when something in it changed, so that a choice and a place stay.

Its buttons are in its context menu too, with the same words; Delete and Ctrl+D press those that remove and duplicate,
letters find a row by its first ones, and where an order can be changed a row is dragged to its place. Where it says so
(`Several`), several rows are selected with Shift and Ctrl, removed, copied and pasted.
"""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QElapsedTimer, QPoint, Qt
from PySide6.QtGui import QColor, QContextMenuEvent, QDropEvent, QKeyEvent, QPixmap
from PySide6.QtWidgets import QApplication, QListWidget, QListWidgetItem, QMenu, QPushButton

from ribalta.desk.painting import look
from ribalta.desk.widgets.lists.offered_menu import open_offered
from ribalta.desk.widgets.lists.several import Several


@dataclass(frozen=True, slots=True)
class ListRow:
    """`key` finds it again; a heading has none. `ink` None is the usual one. `picture`: the name of a stored one, for
    lists that show them; `drawn` one that is there already."""

    key: str
    words: str
    ink: QColor | None = None
    tip: str = ""
    picture: str | None = None
    drawn: QPixmap | None = None


class Listing(QListWidget):
    """`chosen` gets the key of the row that a person chose."""

    def __init__(self, name: str, chosen: Callable[[str], None]) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setFont(look.font(14))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._rows: list[ListRow] = []
        self._on_chosen = chosen
        self._offered: tuple[QPushButton, ...] = ()
        self._by_key: dict[str, QPushButton] = {}
        self._reorder: Callable[[int], None] | None = None
        self._several: Several | None = None
        self._sought, self._typed = "", QElapsedTimer()  # letters, and since when the last one was typed
        self.currentRowChanged.connect(self._chosen)

    def offer(
        self,
        *buttons: QPushButton,
        remove: QPushButton | None = None,
        duplicate: QPushButton | None = None,
        reorder: Callable[[int], None] | None = None,
        several: Several | None = None,
    ) -> None:
        """What can be done with the row that is selected. `reorder` moves it by so many rows."""
        self._several = several
        if several is not None:
            self.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self._offered = tuple(b for b in (*buttons, duplicate, remove) if b is not None)
        self._by_key = {key: b for key, b in (("Del", remove), ("Ctrl+D", duplicate)) if b is not None}
        self._reorder = reorder
        if reorder is not None:
            self.setDragDropMode(QListWidget.DragDropMode.InternalMove)
            self.setDefaultDropAction(Qt.DropAction.MoveAction)

    def open_menu(self, at: QPoint) -> QMenu:
        """The buttons of this list, in words."""
        return open_offered(self, at, self._offered, self._by_key, self._several, self.selected_keys())

    def selected_keys(self) -> list[str]:
        """Of the rows that are selected, in their order."""
        rows = sorted(index.row() for index in self.selectedIndexes())
        return [self._rows[k].key for k in rows if k < len(self._rows) and self._rows[k].key]

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if not self._offered:
            return
        item = self.itemAt(event.pos())
        if item is not None and event.reason() is QContextMenuEvent.Reason.Mouse and not item.isSelected():
            self.setCurrentItem(item)
        self.open_menu(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._several is not None and self._several.heeds(event, self.selected_keys()):
            return
        delete = event.key() == Qt.Key.Key_Delete
        duplicate = event.key() == Qt.Key.Key_D and event.modifiers() == Qt.KeyboardModifier.ControlModifier
        pressed = self._by_key.get("Del" if delete else "Ctrl+D" if duplicate else "")
        if pressed is not None and pressed.isEnabled():
            pressed.click()
        else:
            super().keyPressEvent(event)

    def row_at(self, k: int) -> ListRow | None:
        """What is shown in a row."""
        return self._rows[k] if 0 <= k < len(self._rows) else None

    def keyboardSearch(self, search: str) -> None:
        """Letters that are typed one after another find the next row whose words begin so, signs before them aside."""
        again = self._typed.isValid() and self._typed.elapsed() < QApplication.keyboardInputInterval()
        self._sought = (self._sought if again else "") + search.casefold()
        self._typed.start()
        first = self.currentRow() + (0 if again else 1)
        order = [(first + k) % len(self._rows) for k in range(len(self._rows))]
        words = {k: re.sub(r"^[\W\d]+", "", row.words).casefold() for k, row in enumerate(self._rows) if row.key}
        found = next((k for k in order if words.get(k, "").startswith(self._sought)), None)
        if found is not None:
            self.setCurrentRow(found)

    def dropEvent(self, event: QDropEvent) -> None:
        """The rows are the show's: it is asked to move them, and they come anew."""
        before, under = self.currentRow(), self.indexAt(event.position().toPoint())
        below = self.dropIndicatorPosition() is QListWidget.DropIndicatorPosition.BelowItem
        to = under.row() + (1 if below else 0) if under.isValid() else self.count()
        event.setDropAction(Qt.DropAction.IgnoreAction)
        event.accept()
        by = to - before - (1 if to > before else 0)
        if self._reorder is not None and by:
            self._reorder(by)

    def fill(self, rows: Sequence[ListRow], key: str | None) -> None:
        self.blockSignals(True)
        if list(rows) != self._rows:
            at = self.verticalScrollBar().value()
            same = [r.key for r in rows] == [r.key for r in self._rows]
            if not same:
                self.clear()
            for k, row in enumerate(rows):
                item = self.item(k) if same else QListWidgetItem()
                mark = "! " if row.ink is look.WRONG and "!" not in row.words[:12] else ""
                item.setText(f"{mark}{row.words}")
                item.setToolTip(row.tip or row.words)
                item.setForeground(row.ink or (look.TEXT if row.key else look.SOFT))
                if not row.key:
                    item.setFlags(Qt.ItemFlag.NoItemFlags)
                if not same:
                    self.addItem(item)
            self._rows = list(rows)
            self.verticalScrollBar().setValue(at)
        at_row = next((k for k, row in enumerate(rows) if row.key and row.key == key), -1)
        if at_row != self.currentRow():
            self.setCurrentRow(at_row)
        self.blockSignals(False)

    def bring_into_view(self, key: str) -> None:
        """Scroll so far that this row is seen."""
        at_row = next((k for k, row in enumerate(self._rows) if row.key == key), None)
        if at_row is not None:
            self.scrollToItem(self.item(at_row))

    def _chosen(self, row: int) -> None:
        if 0 <= row < len(self._rows) and self._rows[row].key:
            self._on_chosen(self._rows[row].key)
