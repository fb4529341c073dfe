"""A list of named things: filled anew only when something in it changed, so that a choice and a place stay."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from ribalta.desk.widgets import look


@dataclass(frozen=True, slots=True)
class ListRow:
    """`key` finds it again; a heading has none. `ink` None is the usual one."""

    key: str
    words: str
    ink: QColor | None = None
    tip: str = ""


class Listing(QListWidget):
    """`chosen` gets the key of the row that a person chose."""

    def __init__(self, name: str, chosen: Callable[[str], None]) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setFont(look.font(14))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._rows: list[ListRow] = []
        self._on_chosen = chosen
        self.currentRowChanged.connect(self._chosen)

    def fill(self, rows: Sequence[ListRow], key: str | None) -> None:
        self.blockSignals(True)
        if list(rows) != self._rows:
            at = self.verticalScrollBar().value()
            same = [r.key for r in rows] == [r.key for r in self._rows]
            if not same:
                self.clear()
            for k, row in enumerate(rows):
                item = self.item(k) if same else QListWidgetItem()
                item.setText(row.words)
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
