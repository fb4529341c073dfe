"""The rows of a title as a table: its cells are typed in, rows are pasted from any table, and a row is turned to."""

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.document.scenes import Title
from ribalta.core.show.files.title_rows import MOST_ROWS, Row, pasted_rows
from ribalta.desk.painting import look


class TitleTable(QTableWidget):
    """`changed` gets all rows as they are to be, `turn` a row's number from 1, `say` a sentence and whether it is a
    refusal."""

    def __init__(
        self,
        changed: Callable[[tuple[Row, ...]], None],
        turn: Callable[[int], None],
        say: Callable[[str, bool], None],
    ) -> None:
        super().__init__()
        self._changed, self._turn, self._say = changed, turn, say
        self._shown: tuple[object, ...] = ()
        self._title: Title | None = None
        self.names: list[str] = []
        self.setAccessibleName("Rows of the title")
        self.setFont(look.font(14))
        self.setToolTip(
            "Type into a cell · Ctrl+V pastes rows of any table · Delete takes rows out · Enter turns to one"
        )
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
            | QAbstractItemView.EditTrigger.AnyKeyPressed
        )
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.horizontalHeader().setHighlightSections(False)
        self.verticalHeader().setDefaultSectionSize(look.scaled(27))
        self.itemChanged.connect(self._typed)
        self.itemClicked.connect(lambda item: self._turn(item.row() + 1) if self._is_row(item.row()) else None)

    def show_title(self, title: Title | None, names: Sequence[str]) -> None:
        """Its rows, and an empty one below them to type another into."""
        rows = title.rows if title is not None else ()
        now = (title.id if title is not None else "", tuple(names), rows, title.row if title is not None else 0)
        if now == self._shown or self.state() is QAbstractItemView.State.EditingState:
            return
        self._shown, self._title, self.names = now, title, list(names)
        self.blockSignals(True)
        self.setColumnCount(len(names))
        self.setHorizontalHeaderLabels([name.capitalize() for name in names])
        self.setRowCount(min(len(rows) + 1, MOST_ROWS) if title is not None else 0)
        for y in range(self.rowCount()):
            words = dict(rows[y]) if y < len(rows) else {}
            for x, name in enumerate(names):
                item = QTableWidgetItem(words.get(name, ""))
                if title is not None and y == title.row and rows:
                    item.setForeground(look.LAMP_WARM)
                self.setItem(y, x, item)
        labels = [
            f"▶ {y + 1}" if title is not None and y == title.row and rows else str(y + 1) for y in range(len(rows))
        ]
        self.setVerticalHeaderLabels([*labels, "+"])
        self.blockSignals(False)

    def _is_row(self, y: int) -> bool:
        return self._title is not None and y < len(self._title.rows)

    def _rows(self) -> tuple[Row, ...]:
        """As they stand in the table, without empty ones."""
        made = []
        for y in range(self.rowCount()):
            cells = [self.item(y, x) for x in range(len(self.names))]
            words = [cell.text().strip() if cell is not None else "" for cell in cells]
            if any(words):
                made.append(tuple(zip(self.names, words, strict=True)))
        return tuple(made)

    def _typed(self, item: QTableWidgetItem) -> None:
        rows = self._rows()
        if rows:
            self._changed(rows)

    def paste(self) -> None:
        """What was copied elsewhere, behind the rows that are there."""
        title = self._title
        if title is None:
            return
        try:
            rows, said = pasted_rows(QGuiApplication.clipboard().text(), self.names)
        except LocalFault as fault:
            self._say(str(fault), True)
            return
        self._changed((*title.rows, *rows)[:MOST_ROWS])
        if said:
            self._say(" ".join(said[:3]), True)

    def _take_out(self) -> None:
        title = self._title
        gone = {index.row() for index in self.selectedIndexes()}
        if title is None or not gone:
            return
        left = tuple(row for y, row in enumerate(title.rows) if y not in gone)
        if left:
            self._changed(left)
        else:
            self._say("One row has to stay: type other words into it.", True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Paste):
            self.paste()
        elif event.key() == Qt.Key.Key_Delete:
            self._take_out()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._is_row(self.currentRow()):
            self._turn(self.currentRow() + 1)
        else:
            super().keyPressEvent(event)
