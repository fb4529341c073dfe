"""The page to begin from: shows that run, shows from before, a new one, the demo."""

import contextlib
from datetime import datetime
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.files.journal import find_recovery
from ribalta.desk.painting import look
from ribalta.desk.remembered import forget_show, recent_shows
from ribalta.desk.widgets.fields import button, label
from ribalta.desk.widgets.listing import Listing, ListRow
from ribalta.workers.crew import Crew

SHOWS, ENDING = "Shows (*.ribalta)", ".ribalta"
EMPTY = "No show was opened here yet. Look at the demo, or begin a new one."
RUNS = "running: "


class StartWindow(QWidget):
    """`chosen` is what is to be opened, as the command line says it; empty while nothing is."""

    _found = Signal(str, int)

    def __init__(self, running: tuple[str, ...]) -> None:
        super().__init__()
        self.chosen: tuple[str, ...] = ()
        self._running, self._unsaved = running, dict[str, int]()
        self._picked = ""
        self.setWindowTitle("Ribalta")
        self.setMinimumSize(look.scaled(760), 480)
        title = label("Ribalta")
        title.setFont(look.font(28, look.BOLD))
        said = label("Every cut lands on a prepared framing.", soft=True)
        self.list = Listing("Shows", self._pick)
        self.list.itemActivated.connect(lambda _: self.open_picked())
        self.open = button("Open", self.open_picked, "Enter")
        self.restore = button("Open and restore", self.restore_picked, "With what was not saved the last time")
        self.forget = button("Remove from this list", self._forget, "The show itself stays: Delete")
        self.list.offer(self.open, self.restore, remove=self.forget)
        self.browse = button("Open another …", self._browse)
        self.new = button("New show …", self._new)
        self.demo = button("Demo: the Clay Cup", partial(self._choose, ("demo",)), "With cameras that are simulated")
        above, below = QHBoxLayout(), QHBoxLayout()
        above.addWidget(title)
        above.addStretch(1)
        for part in (self.new, self.browse, self.demo):
            above.addWidget(part)
        for part in (self.open, self.restore, self.forget):
            below.addWidget(part)
        below.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 20)
        column.setSpacing(10)
        column.addLayout(above)
        column.addWidget(said)
        column.addWidget(self.list, 1)
        column.addLayout(below)
        self._found.connect(self._mark, Qt.ConnectionType.QueuedConnection)
        self.refresh()
        self.list.setFocus()
        self._stops = False
        self._worker = Crew().begin("looking for what was not saved", self._look)

    def refresh(self) -> None:
        rows = [ListRow(f"{RUNS}{name}", f"{name}    runs now: a window on it") for name in self._running]
        rows += [ListRow(str(path), self._words(path), tip=str(path)) for path in recent_shows()]
        keys = [row.key for row in rows]
        if self._picked not in keys:
            self._picked = keys[0] if keys else ""
        self.list.fill(rows or [ListRow("", EMPTY)], self._picked or None)
        self._allow()

    def _words(self, path: Path) -> str:
        try:
            when = datetime.fromtimestamp(path.stat().st_mtime).strftime("%d %B %Y, %H:%M")
        except OSError:
            return f"{path.stem}    is not there any more: {path.parent}"
        count = self._unsaved.get(str(path), 0)
        lost = f"    ! {count} {'change' if count == 1 else 'changes'} not saved" if count else ""
        return f"{path.stem}    saved {when}{lost}"

    def _look(self) -> None:
        """On a thread of its own: a disk may be far away."""
        for path in recent_shows():
            if self._stops:
                return
            with contextlib.suppress(LocalFault, OSError):  # said when it is opened
                recovery = find_recovery(path, None) if path.exists() else None
                self._found.emit(str(path), recovery.changes if recovery is not None else 0)

    def _mark(self, path: str, changes: int) -> None:
        self._unsaved[path] = changes
        self.refresh()

    def _pick(self, key: str) -> None:
        self._picked = key
        self._allow()

    def _allow(self) -> None:
        runs = self._picked.startswith(RUNS)
        self.open.setEnabled(bool(self._picked))
        self.restore.setEnabled(bool(self._unsaved.get(self._picked)))
        self.forget.setEnabled(bool(self._picked) and not runs)

    def open_picked(self) -> None:
        if self._picked.startswith(RUNS):
            self._choose(("desk", self._picked.removeprefix(RUNS)))
        elif self._picked:
            self._choose(("open", self._picked))

    def restore_picked(self) -> None:
        self._choose(("open", self._picked, "--recover", "take"))

    def _forget(self) -> None:
        forget_show(Path(self._picked))
        self.refresh()

    def _browse(self) -> None:
        self._ask("Open a show", QFileDialog.FileMode.ExistingFile, "open")

    def _new(self) -> None:
        self._ask("New show", QFileDialog.FileMode.AnyFile, "new")

    def _ask(self, title: str, mode: QFileDialog.FileMode, command: str) -> None:
        dialog = QFileDialog(self, title, str(Path.home()), SHOWS)
        dialog.setFileMode(mode)
        if command == "new":
            dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
            dialog.setDefaultSuffix(ENDING.lstrip("."))
        dialog.fileSelected.connect(lambda path: self._choose((command, path)))
        dialog.finished.connect(dialog.deleteLater)
        dialog.show()

    def _choose(self, chosen: tuple[str, ...]) -> None:
        self.chosen = chosen
        self.close()

    def stop(self) -> None:
        """What is still looked for is waited for, two seconds at most."""
        self._stops = True
        self._worker.join(2.0)
