"""A macro's steps as rows with a sign: groups indented and folded, dragged to another place and into groups, with what
the dry run said beside each, and the step that runs lit. One is changed in its row: a click or Enter opens it.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QDropEvent, QKeyEvent, QMouseEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QMenu,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QWidget,
)

from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.automation.macros import ELSE, HOLDERS, Macro, Path, Step, StepKind, step_at, walk
from ribalta.desk.cue.automation.open_row import OpenRow
from ribalta.desk.painting import look
from ribalta.desk.painting.icons import icon, sign_of
from ribalta.desk.widgets.lists.offered_menu import open_offered
from ribalta.desk.widgets.lists.several import Several
from ribalta.desk.widgets.macro_steps import key_of, path_of, step_trouble, step_words

KEY = Qt.ItemDataRole.UserRole
NO_STEPS = "No steps yet. Add one below, or record a macro with F8."


@dataclass(frozen=True, slots=True)
class StepRow:
    """What a row says: its words, what stands beside them, and in which ink."""

    key: str
    words: str
    beside: str
    sign: str
    state: str  # "wrong", "runs", "off" or ""
    tip: str = ""


def rows_of(state: LiveState, macro: Macro, now: Mapping[Path, str], dry: Mapping[Path, str]) -> list[StepRow]:
    """A row for each step. `now` are the paths that are run, with the time left; `dry` what a dry run said of each."""
    rows = []
    for path, step in walk(macro.steps):
        running, trouble = now.get(path), step_trouble(state, step)
        how = "wrong" if trouble else "runs" if running is not None else "off" if step.off else ""
        note = f"   – {step.note}" if step.note else ""
        off = "   (off)" if step.off else ""
        mark = "! " if trouble else "▶ " if running is not None else ""
        words = f"{mark}{path[-1] % ELSE + 1}   {step_words(state, step)}{off}{note}"
        action = step.call.action if step.call is not None else ""
        beside = running or dry.get(path, "")
        rows.append(StepRow(key_of(path), words, beside, sign_of(step.kind, action), how, trouble or ""))
    return rows


class StepTree(QTreeWidget):
    """`chosen` gets the path of the step that a person selected; `placed` comes with paths and the one to go before."""

    placed = Signal(list, tuple)

    def __init__(self, chosen: Callable[[Path | None], None], editor: QWidget) -> None:
        """`editor` changes the step that is chosen."""
        super().__init__()
        self._on_chosen = chosen
        self._macro: Macro | None = None
        self._rows: list[StepRow] = []
        self._offered: tuple[QPushButton, ...] = ()
        self._by_key: dict[str, QPushButton] = {}
        self._several: Several | None = None
        self._fills = False
        self._folded: set[str] = set()
        self._open = False  # the row that is chosen
        self._clicked = False
        self._editor, self._row = editor, OpenRow(self, editor, self)
        self.setAccessibleName("Steps")
        self.setFont(look.font(14))
        self.setColumnCount(2)
        self.setHeaderHidden(True)
        self.header().setStretchLastSection(False)
        self.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.header().setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        self.setIndentation(look.scaled(18))
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setExpandsOnDoubleClick(False)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.viewport().setToolTip("Click to change · drag to another place or into a group · Ctrl+arrows do that, too")
        self.currentItemChanged.connect(self._current)
        self.itemCollapsed.connect(lambda item: self._fold(item, True))
        self.itemExpanded.connect(lambda item: self._fold(item, False))

    def offer(self, *buttons: QPushButton, remove: QPushButton, duplicate: QPushButton, several: Several) -> None:
        """What the context menu has; Delete and Ctrl+D press these."""
        self._offered, self._several = (*buttons, duplicate, remove), several
        self._by_key = {"Del": remove, "Ctrl+D": duplicate}

    def fill(self, macro: Macro | None, rows: list[StepRow], key: str | None) -> None:
        """Filled anew only when there are other steps, so that what is selected and folded stays."""
        self._macro = macro
        self._fills = True
        if [r.key for r in rows] != [r.key for r in self._rows] or (not rows and self.topLevelItemCount() == 0):
            self._build(rows)
        items = self._items()
        for row in rows:
            self._say(items[row.key], row)
        self._rows = list(rows)
        self._shown(macro, items)
        at = items.get(key or "")
        if at is not self.currentItem() and len(self.selectedItems()) < 2:
            self.setCurrentItem(at)  # type: ignore[arg-type]  # None: none is
        self._fills = False
        self._row.open(at if self._open and len(self.selectedItems()) < 2 else None)
        self._row.settle()

    def open_row(self, on: bool) -> None:
        """What changes the step that is chosen, below it; or no longer."""
        at = self.currentItem()
        self._open = on and at is not None and bool(at.data(0, KEY))
        self._row.open(at if self._open else None)
        self._row.settle()
        if self._open and at is not None:
            self.scrollToItem(at)

    def open_next(self) -> None:
        """That which is made now, as soon as it is there."""
        self._open = True

    def _build(self, rows: list[StepRow]) -> None:
        self._row.forget()
        self.clear()
        made: dict[str, QTreeWidgetItem] = {}
        otherwise: dict[str, QTreeWidgetItem] = {}
        for row in rows:
            path = path_of(row.key)
            above = key_of(path[:-1]) if len(path) > 1 else ""
            parent = made.get(above)
            if path[-1] >= ELSE and parent is not None:
                if above not in otherwise:
                    head = otherwise[above] = QTreeWidgetItem(["otherwise", ""])
                    head.setFlags(Qt.ItemFlag.ItemIsEnabled)
                    head.setForeground(0, look.SOFT)
                    parent.addChild(head)
                parent = otherwise[above]
            item = made[row.key] = QTreeWidgetItem()
            item.setData(0, KEY, row.key)
            (self.addTopLevelItem if parent is None else parent.addChild)(item)
        if not rows:
            item = QTreeWidgetItem([NO_STEPS if self._macro is not None else "", ""])
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.addTopLevelItem(item)

    def _say(self, item: QTreeWidgetItem, row: StepRow) -> None:
        inks = {"wrong": look.WRONG, "runs": look.LAMP_WARM, "off": look.SOFT}
        ink = inks.get(row.state, look.TEXT)
        if item.text(0) != row.words or item.foreground(0).color() != ink:
            item.setText(0, row.words)
            item.setIcon(0, icon(row.sign, ink if row.state else look.SOFT))
            item.setForeground(0, ink)
            item.setToolTip(0, row.tip or row.words)
        if item.text(1) != row.beside:
            item.setText(1, row.beside)
            item.setForeground(1, look.WRONG if row.beside.startswith("!") else look.SOFT)

    def _shown(self, macro: Macro | None, items: Mapping[str, QTreeWidgetItem]) -> None:
        for key, item in items.items():
            if item.childCount() and item.isExpanded() == (key in self._folded):
                item.setExpanded(key not in self._folded)
                for inner in (item.child(k) for k in range(item.childCount())):
                    if inner is not None:
                        inner.setExpanded(True)

    def _items(self) -> dict[str, QTreeWidgetItem]:
        found: dict[str, QTreeWidgetItem] = {}
        left = [self.topLevelItem(k) for k in range(self.topLevelItemCount())]
        while left:
            item = left.pop()
            if item is None:
                continue
            key = item.data(0, KEY)
            if key:
                found[str(key)] = item
            left += [item.child(k) for k in range(item.childCount())]
        return found

    def selected_paths(self) -> list[Path]:
        """In their order."""
        return sorted(path_of(key) for item in self.selectedItems() if (key := item.data(0, KEY)))

    def bring_into_view(self, path: Path) -> None:
        item = self._items().get(key_of(path))
        if item is not None:
            self.scrollToItem(item)

    def _fold(self, item: QTreeWidgetItem, on: bool) -> None:
        key = item.data(0, KEY)
        if key and not self._fills:
            (self._folded.add if on else self._folded.discard)(str(key))

    def _current(self, item: QTreeWidgetItem | None, _: object) -> None:
        if not self._fills:
            key = item.data(0, KEY) if item is not None else None
            self._on_chosen(path_of(key) if key else None)

    # The row that is open

    def updateGeometries(self) -> None:
        super().updateGeometries()
        self._row.settle()

    def scrollContentsBy(self, across: int, down: int) -> None:
        super().scrollContentsBy(across, down)
        self._row.settle()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position().toPoint()
        item = self.itemAt(at)
        plain = event.button() is Qt.MouseButton.LeftButton and not event.modifiers()
        self._clicked = plain and item is not None and at.x() >= self.visualItemRect(item).left()
        if self._clicked and item is not self.currentItem():
            self._open = False  # it opens when it is let go of: it may be dragged
        super().mousePressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        super().mouseReleaseEvent(event)
        if self._clicked and self.itemAt(event.position().toPoint()) is self.currentItem():
            self.open_row(not self._open)
        self._clicked = False

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._clicked = False
        super().mouseDoubleClickEvent(event)

    # Dragging

    def startDrag(self, actions: Qt.DropAction) -> None:
        self._clicked = False
        self.open_row(False)
        super().startDrag(actions)

    def dropEvent(self, event: QDropEvent) -> None:
        """The steps are the show's: it is asked to move them, and they come anew."""
        before = self._place_at(event.position().toPoint())
        event.setDropAction(Qt.DropAction.IgnoreAction)
        event.accept()
        if before is not None and self.selected_paths():
            self.placed.emit(self.selected_paths(), before)

    def _place_at(self, at: QPoint) -> Path | None:
        """The path before which something goes that is let go there: between two rows, into a group, or at the end."""
        macro, item = self._macro, self.itemAt(at)
        if macro is None:
            return None
        if item is None:
            return (len(macro.steps),)
        where = self.dropIndicatorPosition()
        key = item.data(0, KEY)
        if not key:  # the head of “otherwise”
            above = item.parent()
            return (*path_of(above.data(0, KEY)), ELSE) if above is not None else None
        path = path_of(key)
        step = step_at(macro.steps, path)
        on = where is QAbstractItemView.DropIndicatorPosition.OnItem
        below = where is QAbstractItemView.DropIndicatorPosition.BelowItem
        if step.kind in HOLDERS and (on or (below and item.isExpanded() and step.steps)):
            return (*path, len(step.steps) if on else 0)
        return (*path[:-1], path[-1] + (1 if on or below else 0))

    def move_selected(self, by: int) -> None:
        """One place up or down among those beside them; out of its group at its end."""
        paths, macro = self.selected_paths(), self._macro
        if not paths or macro is None:
            return
        first, last = paths[0], paths[-1]
        before = (*first[:-1], first[-1] - 1) if by < 0 else (*last[:-1], last[-1] + 2)
        base = ELSE if first[-1] >= ELSE else 0
        if by < 0 and first[-1] == base:
            before = first[:-1] if len(first) > 1 else first
        elif by > 0 and last[-1] - base + 1 >= len(_siblings(macro, last)):
            before = (*last[:-2], last[-2] + 1) if len(last) > 1 else (*last[:-1], last[-1] + 1)
        self.placed.emit(paths, before)

    def shift_selected(self, into: bool) -> None:
        """Into the group above, as its last; or out of the group that they are in, behind it."""
        paths, macro = self.selected_paths(), self._macro
        if not paths or macro is None:
            return
        first = paths[0]
        if not into and len(first) > 1:
            self.placed.emit(paths, (*first[:-2], first[-2] + 1))
        elif into and first[-1] % ELSE > 0:
            above = (*first[:-1], first[-1] - 1)
            group = step_at(macro.steps, above)
            if group.kind in HOLDERS:
                self.placed.emit(paths, (*above, len(group.steps)))

    # Keys and menu

    def selected_keys(self) -> list[str]:
        """The paths that are selected, as text."""
        return [key_of(path) for path in self.selected_paths()]

    def keyPressEvent(self, event: QKeyEvent) -> None:
        control = event.modifiers() == Qt.KeyboardModifier.ControlModifier
        pressed = self._by_key.get("Del" if event.key() == Qt.Key.Key_Delete else "")
        pressed = self._by_key.get("Ctrl+D") if control and event.key() == Qt.Key.Key_D else pressed
        if self._several is not None and self._several.heeds(event, self.selected_keys()):
            return
        if control and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.move_selected(-1 if event.key() == Qt.Key.Key_Up else 1)
        elif control and event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.shift_selected(event.key() == Qt.Key.Key_Right)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2):
            self.open_row(True)
            self._editor.setFocus(Qt.FocusReason.TabFocusReason)
            self._editor.focusNextChild()
        elif event.key() == Qt.Key.Key_Escape and self._open:
            self.open_row(False)
            self.setFocus()
        elif pressed is not None and pressed.isEnabled():
            pressed.click()
        else:
            super().keyPressEvent(event)

    def open_menu(self, at: QPoint) -> QMenu:
        """The buttons that are about a step, in words."""
        return open_offered(self, at, self._offered, self._by_key, self._several, self.selected_keys())

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        item = self.itemAt(event.pos())
        if item is not None and not item.isSelected():
            self.setCurrentItem(item)
        self.open_menu(event.globalPos())


def _siblings(macro: Macro, path: Path) -> tuple[Step, ...]:
    if len(path) == 1:
        return macro.steps
    holder = step_at(macro.steps, path[:-1])
    return holder.otherwise if path[-1] >= ELSE and holder.kind is StepKind.IF else holder.steps
