"""Starter sets: what each would set and replace, line by line; those that are ticked are applied."""

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from ribalta.core.engine.automation.starter_pads import page_of_32
from ribalta.core.engine.views.offers import call_words
from ribalta.core.engine.views.starter_sets import SETS, replaced
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import button, label


class Starters(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.open = ""
        self.buttons = {one.name: button(one.name, partial(self.show_set, one.name), one.words) for one in SETS}
        self.said = label("Starter sets, with a look at what they would replace:", soft=True, wrap=True)
        self.list = QListWidget()
        self.list.setAccessibleName("What the set would do")
        self.list.setFont(look.font(13))
        self.list.setMinimumHeight(120)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.apply = button("Apply what is ticked", self._apply)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.said)
        line = QHBoxLayout()
        for part in self.buttons.values():
            part.setCheckable(True)
            line.addWidget(part)
        column.addLayout(line)
        column.addWidget(self.list)
        column.addWidget(self.apply)
        self.show_set("")

    def show_set(self, name: str) -> None:
        """Open a set, or close it again."""
        self.open = "" if name == self.open else name
        for other, part in self.buttons.items():
            part.setChecked(other == self.open)
        found = next((s for s in SETS if s.name == self.open), None)
        self.list.setVisible(found is not None)
        self.apply.setVisible(found is not None)
        self.list.clear()
        if found is None:
            return
        state, known = self._bridge.state, self._bridge.controls.shortcuts
        for shortcut in found.shortcuts:
            assert shortcut.call is not None
            before = replaced(known, shortcut)
            place = f"{shortcut.control.partition(' ')[2]}{f' [{shortcut.layer}]' if shortcut.layer else ''}"
            words = f"{place}   {call_words(state, shortcut.call)}"
            if before is not None and before.action != shortcut.call.action:
                words += f"   – in place of: {call_words(state, before)}"
            self._row(words)
        if found.page:
            count = len(page_of_32(state, "q").pads)
            self._row(
                f"A new page of pads with {count} pads, for a controller of 8 by 4 from note 36. Replaces nothing."
            )

    def _row(self, words: str) -> None:
        item = QListWidgetItem(words)
        item.setToolTip(words)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(Qt.CheckState.Checked)
        self.list.addItem(item)

    def _apply(self) -> None:
        found = next((s for s in SETS if s.name == self.open), None)
        if found is None:
            return
        ticked = [self.list.item(k).checkState() == Qt.CheckState.Checked for k in range(self.list.count())]
        wanted = [s for s, on in zip(found.shortcuts, ticked, strict=False) if on]
        if wanted:
            self._bridge.act("shortcuts.import", shortcuts=[s.model_dump(mode="json") for s in wanted])
        if found.page and ticked[-1]:
            self._bridge.act("page.import", starter="32 pads")
        self.show_set("")
