"""What is kept: the journal beside the show, its file, its pictures; and a thread for what is too slow for the engine.

Nothing stored is lost: every edit is in the journal before anybody hears of it, and a file is written whole or not at
all. A journal that cannot be written is said once and never stops the show.
"""

import contextlib
from collections.abc import Callable, Mapping
from pathlib import Path
from queue import SimpleQueue

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.loop import Entry
from ribalta.core.engine.messages import Event, Notice, Severity
from ribalta.core.engine.sounding import with_strips
from ribalta.core.engine.state import LiveState
from ribalta.core.show import storage
from ribalta.core.show.model import Show
from ribalta.core.show.recovery import (
    JournalFile,
    Recovery,
    find_recovery,
    journal_path,
    refuse_if_open_elsewhere,
)
from ribalta.core.show.storage import StoredShow
from ribalta.workers.crew import Crew

Tell = Callable[[Event], None]
Later = Callable[[Callable[[LiveState], None]], None]


class Chores:
    """Slow things, one after another, on a thread of their own; one that fails is said, and the next is done."""

    def __init__(self, crew: Crew | None = None) -> None:
        self._crew = crew or Crew()
        self._queue: SimpleQueue[Callable[[], None] | None] = SimpleQueue()
        self._worker = self._crew.worker("chores", self._run)

    def start(self) -> None:
        self._worker.start()

    def put(self, chore: Callable[[], None]) -> None:
        self._queue.put(chore)

    def stop(self) -> None:
        """When everything that was put off is done."""
        self._queue.put(None)
        self._worker.join()

    def _run(self) -> None:
        while (chore := self._queue.get()) is not None:
            with self._crew.guarded("what was put off", "It was not done: try it again."):
                chore()


class Safekeeping:
    """`path` None is a show without a file: it has no journal either. Raises LocalFault when it is open elsewhere.

    All but `save` on the engine's thread; what comes of a save is handed to `later`, to be run there with the state.
    """

    def __init__(self, stored: StoredShow, path: Path | None, chores: Chores, tell: Tell, later: Later) -> None:
        if path is not None:
            refuse_if_open_elsewhere(path)
        self.path, self._chores, self._tell, self._later = path, chores, tell, later
        self.recovery: Recovery | None = find_recovery(path, stored) if path is not None else None
        self.pictures: dict[str, bytes] = dict(stored.pictures)
        self._fresh: dict[str, bytes] = {}  # pictures that the journal does not have yet
        self._journal: JournalFile | None = None
        self._failed = False
        self.saved_show, self.saved_edits = stored.show, 0
        self.troubles: list[str] = []
        if path is not None:
            self._open_journal(path)

    def _open_journal(self, path: Path) -> None:
        try:
            if self.recovery is not None:
                self.recovery = self.recovery.set_aside(path)
            self._journal = JournalFile(journal_path(path))
        except LocalFault as fault:
            self.troubles.append(str(fault))

    def close(self) -> None:
        if self._journal is not None:
            self._journal.close()

    # The journal

    def record(self, entry: Entry) -> None:
        self._guard(lambda journal: journal.append(entry))

    def take_in(self, pictures: Mapping[str, bytes]) -> None:
        """Pictures that belong to the next edit."""
        self.pictures.update(pictures)
        self._fresh.update(pictures)

    def keep(self, show: Show) -> None:
        """The document after an edit, with its new pictures."""
        fresh, self._fresh = self._fresh, {}
        self._keep(show, fresh)

    def _keep(self, show: Show, fresh: Mapping[str, bytes]) -> None:
        if self._journal is not None:
            self._guard(lambda journal: journal.keep(show, fresh))
            self._chores.put(self._sync)

    def _sync(self) -> None:
        if self._journal is not None:
            with contextlib.suppress(OSError):
                self._journal.sync()

    def _guard(self, write: Callable[[JournalFile], None]) -> None:
        if self._journal is None:
            return
        try:
            write(self._journal)
            self._failed = False
        except LocalFault as fault:
            if not self._failed:
                self._failed = True
                self._tell(Notice(str(fault), Severity.FAULT))

    # What an earlier session left unsaved

    def taken_back(self, recovery: Recovery) -> Show:
        """Its show, kept here from now on."""
        self.pictures.update(recovery.stored.pictures)
        self._keep(recovery.stored.show, recovery.stored.pictures)
        recovery.forget()
        return recovery.stored.show

    # The file

    def save(self, state: LiveState, path: Path | None) -> None:
        """In the background; a notice says how it went."""
        stored, edits = self._to_store(state), state.edits
        self._chores.put(lambda: self._save(stored, edits, path or self.path))

    def keep_lessons(self, state: LiveState) -> None:
        """At the end: what was learned of the cameras is kept, if nothing else waits to be saved."""
        if self.path is not None and state.edits == self.saved_edits and state.show is not self.saved_show:
            with contextlib.suppress(LocalFault):
                storage.save(self.path, self._to_store(state))

    def _to_store(self, state: LiveState) -> StoredShow:
        return StoredShow(with_strips(state), dict(self.pictures))

    def _save(self, stored: StoredShow, edits: int, path: Path | None) -> None:
        try:
            if path is None:
                raise LocalFault("This show has no file yet: start it with the name of one, then save.")
            storage.save(path, stored)
        except LocalFault as fault:
            self._tell(Notice(str(fault), Severity.FAULT))
            return
        self._later(lambda state: self._after_save(stored, edits, path, state))

    def _after_save(self, stored: StoredShow, edits: int, path: Path, state: LiveState) -> None:
        self.saved_show, self.saved_edits = stored.show, edits
        self._guard(lambda journal: journal.mark_saved())
        if state.edits != edits:  # something was edited meanwhile
            self._keep(state.show, self.pictures)
        self._tell(Notice(f"Saved as {path.name}."))
