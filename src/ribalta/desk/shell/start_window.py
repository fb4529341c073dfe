"""The page to begin from: shows that run, shows from before, a new one, the demo."""

from datetime import datetime
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.files.journal import find_recovery
from ribalta.desk.painting import look
from ribalta.desk.remembered import forget_show, recent_shows
from ribalta.desk.widgets.choose_file import ENDING, SHOWS, ask_to_open, ask_to_save
from ribalta.desk.widgets.fields import button, label
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.widgets.style import wear_sheet
from ribalta.workers.crew import Crew

GUIDED = "The demo, with advice on what to press and why: for who has never directed"
EMPTY = "No show was opened here yet. Look at the demo, or begin a new one."
RUNS, UNSAVED = "running: ", "not saved"


def _known(path: Path) -> str:
    """When a show was saved, and what of it was not; reads the disk."""
    try:
        when = datetime.fromtimestamp(path.stat().st_mtime).strftime("%d %B %Y, %H:%M")
        recovery = find_recovery(path, None)
    except FileNotFoundError:
        return f"is not there any more: {path.parent}"
    except (OSError, LocalFault):  # said when it is opened
        return ""
    count = recovery.changes if recovery is not None else 0
    lost = f"    ! {count} {'change' if count == 1 else 'changes'} {UNSAVED}" if count else ""
    return f"saved {when}{lost}"


class StartWindow(QWidget):
    """`chosen` is what is to be opened, as the command line says it; empty while nothing is."""

    _found = Signal(str, str)

    def __init__(self, running: tuple[str, ...]) -> None:
        super().__init__()
        self.chosen: tuple[str, ...] = ()
        self.folder = Path.home()
        self._running, self._recent = running, recent_shows()
        self._known = dict[str, str]()  # of shows from before, by path
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
        self.practise = button("Practise", self._practise, "A copy on simulated cameras: nothing real is reached")
        self.forget = button("Remove from this list", self._forget, "The show itself stays: Delete")
        self.list.offer(self.open, self.restore, self.practise, remove=self.forget)
        self.browse = button("Open another …", self._browse)
        self.new = button("New show …", self._new)
        self.guided = button("First evening", partial(self._choose, ("demo", "--guided")), GUIDED)
        self.demo = button("Demo: the Clay Cup", partial(self._choose, ("demo",)), "With cameras that are simulated")
        above, below = QHBoxLayout(), QHBoxLayout()
        above.addWidget(title)
        above.addStretch(1)
        for part in (self.new, self.browse, self.guided, self.demo):
            above.addWidget(part)
        for part in (self.open, self.restore, self.practise, self.forget):
            below.addWidget(part)
        below.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 20)
        column.setSpacing(10)
        column.addLayout(above)
        column.addWidget(said)
        column.addWidget(self.list, 1)
        column.addLayout(below)
        wear_sheet(self)
        self._found.connect(self._mark, Qt.ConnectionType.QueuedConnection)
        self.refresh()
        self.list.setFocus()
        self._stops = False
        self._worker = Crew().begin("looking for what was not saved", self._look)

    def refresh(self) -> None:
        rows = [ListRow(f"{RUNS}{name}", f"{name}    runs now: a window on it") for name in self._running]
        rows += [ListRow(str(path), self._words(path), tip=str(path)) for path in self._recent]
        keys = [row.key for row in rows]
        if self._picked not in keys:
            self._picked = keys[0] if keys else ""
        self.list.fill(rows or [ListRow("", EMPTY)], self._picked or None)
        self._allow()

    def _words(self, path: Path) -> str:
        known = self._known.get(str(path), "")
        return f"{path.stem}    {known or path.parent}"

    def _look(self) -> None:
        """On a thread of its own: a disk may be far away."""
        for path in self._recent:
            if self._stops:
                return
            self._found.emit(str(path), _known(path))

    def _mark(self, path: str, known: str) -> None:
        self._known[path] = known
        self.refresh()

    def _pick(self, key: str) -> None:
        self._picked = key
        self._allow()

    def _allow(self) -> None:
        runs = self._picked.startswith(RUNS)
        self.open.setEnabled(bool(self._picked))
        self.restore.setEnabled(UNSAVED in self._known.get(self._picked, ""))
        self.forget.setEnabled(bool(self._picked) and not runs)
        self.practise.setEnabled(bool(self._picked) and not runs)

    def open_picked(self) -> None:
        if self._picked.startswith(RUNS):
            self._choose(("desk", self._picked.removeprefix(RUNS)))
        elif self._picked:
            self._choose(("open", self._picked))

    def _practise(self) -> None:
        self._choose(("practice", self._picked))

    def restore_picked(self) -> None:
        self._choose(("open", self._picked, "--recover", "take"))

    def _forget(self) -> None:
        forget_show(Path(self._picked))
        self._recent = recent_shows()
        self.refresh()

    def _browse(self) -> None:
        ask_to_open(self, self, "Open a show", SHOWS, lambda path: self._choose(("open", str(path))))

    def _new(self) -> None:
        ask_to_save(self, self, "New show", f"New show{ENDING}", SHOWS, lambda path: self._choose(("new", str(path))))

    def _choose(self, chosen: tuple[str, ...]) -> None:
        self.chosen = chosen
        self.close()

    def stop(self) -> None:
        """What is still looked for is waited for, two seconds at most."""
        self._stops = True
        self._worker.join(2.0)
