"""The form parts of Rig: labelled fields that ask for an action when they are left or Enter is pressed."""

import time
from collections.abc import Callable, Mapping

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton, QSizePolicy, QWidget

from ribalta.desk.painting import look

ANSWERED_WITHIN_S = 0.4


class Field(QLineEdit):
    """A text that is kept by Enter or by leaving it, and dropped by Escape. `on_entered` gets what was typed.

    What was typed and not taken (it was refused) stays in the field, marked, to be mended; Escape drops it.
    """

    def __init__(self, name: str, on_entered: Callable[[str], None] | None = None, tip: str = "") -> None:
        super().__init__()
        self.setObjectName("field")
        self.setAccessibleName(name)
        self.setFont(look.font(14))
        self.setToolTip(tip)
        self._on_entered, self._tip = on_entered, tip
        self._shown = ""
        self._of: object = None
        self._asked_s = 0.0
        self._refused: tuple[str, object] | None = None  # what was shown, of what, as this was typed
        self.editingFinished.connect(self._done)

    def show_text(self, text: str, of: object = None) -> None:
        """What is known now; it does not disturb somebody who is typing. `of`: what it belongs to, if that changes."""
        self._shown, self._of = text, of
        if self._refused is not None:
            shown, owner = self._refused
            if shown == text and owner is of and self.text() != text:
                self._mark(time.monotonic() - self._asked_s > ANSWERED_WITHIN_S)
                return
            self._forget()
        if not (self.hasFocus() and self.isModified()) and self.text() != text:
            self.setText(text)
            self.setCursorPosition(0)

    def _done(self) -> None:
        if self._on_entered is not None and self.isModified() and self.text() != self._shown:
            self.setModified(False)
            self._refused, self._asked_s = (self._shown, self._of), time.monotonic()
            self._on_entered(self.text())

    def _forget(self) -> None:
        self._refused = None
        self._mark(False)

    def _mark(self, on: bool) -> None:
        """It was not taken: by its edge and in words."""
        if bool(self.property("refused")) != on:
            self.setProperty("refused", on)
            self.setToolTip("This was not taken. Mend it, or press Escape to drop it." if on else self._tip)
            self.style().unpolish(self)
            self.style().polish(self)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self._forget()
            self.setText(self._shown)
            self.setModified(False)
            self.window().setFocus()
        else:
            super().keyPressEvent(event)


class Choice(QComboBox):
    """One of several words. `chosen` gets the value of the one that a person chose."""

    def __init__(self, name: str, words: Mapping[str, str], chosen: Callable[[str], None] | None = None) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setFont(look.font(14))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumContentsLength(6)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for value, word in words.items():
            self.addItem(word, value)
        if chosen is not None:
            self.activated.connect(lambda _: chosen(self.value()))

    def offer(self, words: Mapping[str, str]) -> None:
        """Other words, if they are others; see `Choice`."""
        now = [(self.itemData(k), self.itemText(k)) for k in range(self.count())]
        if now != list(words.items()):
            self.clear()
            for value, word in words.items():
                self.addItem(word, value)

    def value(self) -> str:
        return str(self.currentData())

    def show_value(self, value: str) -> None:
        index = self.findData(value)
        if not self.view().isVisible() and index >= 0 and index != self.currentIndex():
            self.setCurrentIndex(index)


def button(text: str, pressed: Callable[[], None], tip: str = "") -> QPushButton:
    made = QPushButton(text)
    made.setFont(look.font(14, look.MEDIUM))
    made.setToolTip(tip)
    made.clicked.connect(lambda _=False: pressed())
    return made


def label(text: str = "", soft: bool = False, wrap: bool = False) -> QLabel:
    made = QLabel(text)
    made.setFont(look.font(13 if soft else 14))
    made.setWordWrap(wrap)
    if soft:
        palette = made.palette()
        palette.setColor(made.foregroundRole(), look.SOFT)
        made.setPalette(palette)
    return made


def heading(words: str) -> QLabel:
    """Above a part of a page."""
    made = label(words)
    made.setFont(look.font(17, look.BOLD))
    return made


def line(*parts: QWidget) -> QHBoxLayout:
    """Parts side by side."""
    made = QHBoxLayout()
    made.setContentsMargins(0, 0, 0, 0)
    for part in parts:
        made.addWidget(part)
    return made


class Form(QGridLayout):
    """Rows of a label and what belongs to it; two columns of rows when `wide`."""

    def __init__(self, owner: QWidget) -> None:
        super().__init__(owner)
        self.setContentsMargins(0, 4, 0, 0)
        self.setHorizontalSpacing(10)
        self.setVerticalSpacing(6)
        self._row = 0

    def add(self, text: str, part: QWidget, second: str = "", other: QWidget | None = None) -> None:
        left = label(text, soft=True)
        left.setBuddy(part)
        self.addWidget(left, self._row, 0)
        self.addWidget(part, self._row, 1, 1, 1 if other is not None else 3)
        if other is not None:
            right = label(second, soft=True)
            right.setBuddy(other)
            self.addWidget(right, self._row, 2)
            self.addWidget(other, self._row, 3)
        self._row += 1

    def show_row(self, part: QWidget, on: bool) -> None:
        """Show or hide a part with its label."""
        row = self.getItemPosition(self.indexOf(part))[0]  # type: ignore[index]
        for column in range(4):
            item = self.itemAtPosition(row, column)
            if item is not None and (inside := item.widget()) is not None:
                inside.setVisible(on)

    def add_whole(self, part: QWidget) -> None:
        self.addWidget(part, self._row, 0, 1, 4)
        self._row += 1

    def end(self) -> None:
        """What is left of the height stays empty below."""
        self.setRowStretch(self._row, 1)
        self.setColumnStretch(1, 1)
        self.setColumnStretch(3, 1)
