"""The show's keys in every view and every window of a desk: the chords, and whatever a person has put on a key.

A filter sits on the widget that has the focus, wherever that goes, so that no button, list or text field takes them
first. Text fields keep what is typed in them, and their own editing keys.
"""

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QTextEdit,
    QWidget,
)
from shiboken6 import isValid

from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.desk.bridge import Bridge
from ribalta.desk.input.keyboard import CTRL, key_name, written_on
from ribalta.desk.remembered import remember_written, written_keys

CHORDS = frozenset(key for row in CATALOGUE.rows for key in row.chords)
Keys = QKeySequence.StandardKey
EDITING = (Keys.Undo, Keys.Redo, Keys.Copy, Keys.Cut, Keys.Paste, Keys.SelectAll, Keys.Delete, Keys.DeleteEndOfWord)
ENTER = (Qt.Key.Key_Return, Qt.Key.Key_Enter)
UNDO = ("Ctrl+Z", "Ctrl+Shift+Z")  # of the field that is typed in; with Alt they are the show's there too


def takes_text(widget: QObject | None) -> bool:
    """Does a person type words there?"""
    if isinstance(widget, QComboBox):
        return widget.isEditable()
    return isinstance(widget, QLineEdit | QTextEdit | QPlainTextEdit | QAbstractSpinBox)


def _typed(event: QKeyEvent, name: str) -> bool:
    """Is it a letter, or something that edits them?"""
    plain = not event.modifiers() & CTRL and bool(event.text()) and event.text().isprintable()
    ours = name in CHORDS and name not in UNDO
    return plain or (not ours and any(event.matches(key) for key in EDITING))


class ShowKeys(QObject):
    """`on_air` gives the view of Air while it is in front: there all keys are the show's, and it works them itself."""

    def __init__(self, bridge: Bridge, on_air: Callable[[], QWidget | None], parent: QObject) -> None:
        super().__init__(parent)
        self._bridge, self._on_air = bridge, on_air
        self._watched: QWidget | None = None
        self.locked_to: QWidget | None = None  # the only part of the desk that takes keys, while it is locked
        self._down: dict[int, str] = {}  # the controls of keys that are held
        self.written, self._learned = written_keys(), False
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.focusChanged.connect(self._follow)

    def stop(self) -> None:
        """The window is going."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.focusChanged.disconnect(self._follow)
        self._follow(None, None)
        self.remember()

    def remember(self) -> None:
        """What was learned of the keyboard; not at a key press, which waits for no disk."""
        if self._learned:
            remember_written(self.written)

    def _follow(self, _: QWidget | None, now: QWidget | None) -> None:
        if self._watched is not None and isValid(self._watched):  # one that is being deleted has lost the focus, too
            self._watched.removeEventFilter(self)
            self._watched.destroyed.disconnect(self._gone)
        self._watched = now
        if now is not None:
            now.installEventFilter(self)
            now.destroyed.connect(self._gone)
        else:
            self.let_go()

    def _gone(self) -> None:
        self._watched = None

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() is QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            return self.press(event, watched)
        if event.type() is QEvent.Type.KeyRelease and isinstance(event, QKeyEvent):
            return self.release(event)
        return False

    def press(self, event: QKeyEvent, watched: QObject | None) -> bool:
        """Returns whether it was one of the show's, and so nobody else's."""
        name = key_name(event)
        self._learn(event)
        if self.locked_to is not None:
            return not (isinstance(watched, QWidget) and self.locked_to.isAncestorOf(watched))
        if takes_text(watched) and _typed(event, name):
            return False
        air = self._on_air()
        if air is not None and isinstance(watched, QWidget) and watched.window() is air.window():
            if watched is air or takes_text(watched) or name in getattr(watched, "keeps", ()):
                return False
            if event.key() in ENTER and isinstance(watched, QAbstractButton):  # Space is a take here
                watched.click()
                return True
            event.accept()
            air.keyPressEvent(event)
            return event.isAccepted()
        if not self.is_everywhere(name):
            return False
        if self._bridge.press(f"key {name}", event.isAutoRepeat()) and not event.isAutoRepeat():
            self._down[event.key()] = f"key {name}"
        return True

    def _learn(self, event: QKeyEvent) -> None:
        """What is written on a key is known once it was pressed: no layout says it beforehand."""
        found = written_on(event)
        if found is not None and self.written.get(found[0], found[0]) != found[1]:
            self.written[found[0]] = found[1]
            self._learned = True

    def is_everywhere(self, name: str) -> bool:
        """Is a key the show's in every view?"""
        return name in CHORDS or self._bridge.controls.shortcuts.is_given(f"key {name}")

    def release(self, event: QKeyEvent) -> bool:
        if event.isAutoRepeat() or (control := self._down.pop(event.key(), None)) is None:
            return False
        self._bridge.release(control)
        return True

    def let_go(self) -> None:
        """Whatever is held: its release would go elsewhere."""
        for control in self._down.values():
            self._bridge.release(control)
        self._down.clear()
