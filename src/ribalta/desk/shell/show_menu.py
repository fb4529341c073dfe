"""The menu of the show, on its name: another show, saving, its name, what was undone, preferences."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, QPoint, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu, QPushButton

from ribalta.desk.bridge import Bridge
from ribalta.desk.remembered import recent_shows
from ribalta.desk.shell.strip import chord_of
from ribalta.desk.widgets.choose_file import ENDING, SHOWS, ask_to_open, ask_to_save


class ShowMenu(QObject):
    """`wanted` comes with another show to be opened, as the arguments of the command line; the rest is done here."""

    wanted = Signal(tuple)
    asked = Signal(str)  # "rename", or the id of one of the desk's own actions

    def __init__(self, bridge: Bridge, at: QPushButton) -> None:
        super().__init__(at)
        self._bridge, self._at = bridge, at
        self._copy: Path | None = None
        self.menu = QMenu(at)
        self.menu.setToolTipsVisible(True)
        self.menu.aboutToShow.connect(self._fill)
        at.setMenu(self.menu)
        bridge.copy_saved.connect(self._copied)

    def _fill(self) -> None:
        self.menu.clear()
        act = self._bridge.act
        self._add("New …", "desk.new", self.new)
        self._add("Open …", "desk.open", self.open)
        recent = self.menu.addMenu("Open recent")
        here = self._bridge.file.path
        for path in (one for one in recent_shows() if one != here):
            one = recent.addAction(path.stem, partial(self.wanted.emit, ("open", str(path))))
            one.setToolTip(str(path))
        recent.setToolTipsVisible(True)
        recent.setEnabled(not recent.isEmpty())
        self.menu.addSeparator()
        self._add("Save", "show.save", lambda: act("show.save"))
        self._add("Save as …", "desk.save_as", self.save_as)
        self._add("Rename …", "", lambda: self.asked.emit("rename"))
        if here is not None and not self._bridge.state.crew.practice:
            then = partial(self.wanted.emit, ("practice", str(here)))
            practise = self._add("Practise with a copy", "", then)
            practise.setToolTip("On simulated cameras: no real device is reached, and every picture says so")
        self.menu.addSeparator()
        edits = self._bridge.state.edits
        for word, action, words in (("Undo", "edit.undo", edits.undo_words), ("Redo", "edit.redo", edits.redo_words)):
            said = f"{word}: {words[-1]}" if words else f"{word}: nothing"
            self._add(said, action, partial(act, action)).setEnabled(bool(words))
        self.menu.addSeparator()
        for word, action in (
            ("First evening: what to press", "desk.first_evening"),
            ("Preferences", "desk.preferences"),
            ("Every key", "desk.keys"),
            ("What was said", "desk.notices"),
            ("Fill the screen", "desk.full_screen"),
        ):
            self._add(word, action, partial(self.asked.emit, action))
        self.menu.addSeparator()
        self._add("Close the window …", "", lambda: self.asked.emit("close"))

    def _add(self, words: str, action: str, then: Callable[[], None]) -> QAction:
        """With the key of its action."""
        key = chord_of(action) if action else ""
        return self.menu.addAction(f"{words}\t{key}" if key else words, then)

    def popup(self) -> None:
        """Beside the button, without waiting for what is chosen."""
        self.menu.popup(self._at.mapToGlobal(QPoint(0, self._at.height())))

    def new(self) -> None:
        def chosen(path: Path) -> None:
            self.wanted.emit(("new", str(path.with_suffix(ENDING))))

        ask_to_save(self._bridge, self._at, "New show", f"New show{ENDING}", SHOWS, chosen)

    def open(self) -> None:
        ask_to_open(self._bridge, self._at, "Open a show", SHOWS, lambda path: self.wanted.emit(("open", str(path))))

    def save_as(self) -> None:
        """A copy; it takes this show's place in the window unless this one is on air."""

        def chosen(path: Path) -> None:
            self._copy = path.with_suffix(ENDING)
            self._bridge.file.save(self._copy)

        ask_to_save(self._bridge, self._at, "Save as", f"{self._bridge.state.show.title}{ENDING}", SHOWS, chosen)

    def _copied(self, path: Path) -> None:
        if path == self._copy and not self._bridge.doing():
            self.wanted.emit(("open", str(path)))
        self._copy = None
