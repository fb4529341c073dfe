"""The lines of a check by what they are about, each with its rating as a shape and a word."""

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHeaderView, QTreeWidget, QTreeWidgetItem

from ribalta.core.readiness.lines import Line, Rating, worst
from ribalta.desk.painting import look
from ribalta.desk.painting.icons import icon

AT = Qt.ItemDataRole.UserRole
INKS = {Rating.PASS: look.SOFT, Rating.LOOK: look.WRONG, Rating.STOP: look.WRONG}
SIGNS = {Rating.PASS: "pass", Rating.LOOK: "look", Rating.STOP: "stop"}
MARKS = {Rating.PASS: "", Rating.LOOK: "! ", Rating.STOP: "! "}


class LinesTree(QTreeWidget):
    """`chosen` gets the line that a person selected; None when it is none."""

    def __init__(self, chosen: Callable[[Line | None], None]) -> None:
        super().__init__()
        self._on_chosen, self._lines = chosen, tuple[Line, ...]()
        self.setAccessibleName("What was checked")
        self.setFont(look.font(14))
        self.setColumnCount(3)
        self.setHeaderLabels(["What", "How it is", "What was measured"])
        self.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        self.header().setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        self.header().setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        self.setIndentation(look.scaled(16))
        self.setUniformRowHeights(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.currentItemChanged.connect(lambda item, _: self._chosen(item))

    def fill(self, lines: Sequence[Line]) -> None:
        """Anew, if there are other lines; groups in which all is well are folded."""
        if tuple(lines) == self._lines:
            return
        self._lines = tuple(lines)
        self.blockSignals(True)
        self.clear()
        groups: dict[str, list[Line]] = {}
        for line in lines:
            groups.setdefault(str(line.group), []).append(line)
        first = None
        for name, its in groups.items():
            rating = worst(its)
            bad = sum(line.rating is not Rating.PASS for line in its)
            said = f"{bad} of {len(its)}" if bad else f"all {len(its)}" if len(its) > 1 else ""
            head = self._row(name, rating, said)
            head.setFont(0, look.font(14, look.MEDIUM))
            self.addTopLevelItem(head)
            for line in its:
                row = self._row(line.subject, line.rating, f"{MARKS[line.rating]}{line.measured}")
                row.setData(0, AT, self._lines.index(line))
                row.setToolTip(2, f"{line.measured}. {line.why}".strip())
                head.addChild(row)
                first = first or (row if line.rating is not Rating.PASS else None)
            head.setExpanded(bad > 0)
        self.blockSignals(False)
        if first is not None:
            self.setCurrentItem(first)
        else:
            self._on_chosen(None)

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self.setColumnWidth(0, int(self.viewport().width() * 0.4))

    def _row(self, name: str, rating: Rating, said: str) -> QTreeWidgetItem:
        made = QTreeWidgetItem([name, str(rating), said])
        made.setIcon(1, icon(SIGNS[rating], INKS[rating]))
        for column in (1, 2):
            made.setForeground(column, INKS[rating] if rating is not Rating.PASS else look.SOFT)
        made.setToolTip(0, name)
        return made

    def _chosen(self, item: QTreeWidgetItem | None) -> None:
        at = item.data(0, AT) if item is not None else None
        self._on_chosen(self._lines[at] if at is not None else None)
