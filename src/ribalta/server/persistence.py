"""What is kept: the journal beside the show, its file, its pictures.

Nothing stored is lost: every edit is in the journal before anybody hears of it, and a file is written whole or not at
all. A journal that cannot be written is said once and never stops the show.
"""

import contextlib
import time
from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.automation.triggers import of_message
from ribalta.core.engine.journal.replaying import opening_of
from ribalta.core.engine.journal.standing import aired_line, ended_line, standing_of
from ribalta.core.engine.journal.thinning import Thinner
from ribalta.core.engine.loop import Entry
from ribalta.core.engine.program.landing import parts
from ribalta.core.engine.program.open_microphones import with_strips
from ribalta.core.engine.state.automation_state import VoiceMode
from ribalta.core.engine.state.changes import StateChanges
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.ports.saving import CopySaved
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Show
from ribalta.core.show.files import storage
from ribalta.core.show.files.journal import (
    Recovery,
    find_recovery,
    holds_something,
    keep_line,
    line_of,
    make_way,
    picture_line,
    refuse_if_open_elsewhere,
)
from ribalta.core.show.files.storage import StoredShow
from ribalta.server.chores import Chores
from ribalta.server.inbox import Inbox
from ribalta.server.journal_writer import JournalWriter
from ribalta.workers.crew import Crew

MOST_INPUTS, STANDS_EVERY_S = 2000, 300.0  # what a server that died has to run again at the most


class Persistence:
    """`path` None is a show without a file: it has no journal either. Raises LocalFault when it is open elsewhere.

    All but `save` on the engine's thread; what comes of a save is put into the inbox, to be seen to there.
    """

    def __init__(
        self,
        stored: StoredShow,
        path: Path | None,
        chores: Chores,
        inbox: Inbox,
        crew: Crew | None = None,
        now_s: Callable[[], float] = time.monotonic,
    ) -> None:
        if path is not None:
            refuse_if_open_elsewhere(path)
        self.path, self._chores, self._inbox = path, chores, inbox
        self._crew, self._now_s = crew or Crew(), now_s
        self.recovery: Recovery | None = find_recovery(path, stored) if path is not None else None
        self.pictures: dict[str, bytes] = dict(stored.pictures)
        self._journal: JournalWriter | None = None
        self._changes, self._inputs, self._stood_s = StateChanges(), 0, float("-inf")
        self._aired: Shot | None = None  # as the journal has it
        self._thinner = Thinner(self._is_waited_for, self._listens, self._waits)
        self._state: LiveState | None = None  # as the last input met it
        self._saved_show, self.saved_edits = stored.show, 0
        self.troubles: list[str] = []

    def begin(self, state: LiveState, now_s: float) -> None:
        """Begin the journal with how the show stands; what was there before is set aside if anybody may need it."""
        if self.path is None:
            return
        try:
            if self.recovery is not None:
                self.recovery = self.recovery.set_aside(self.path)
            odd = holds_something(self.path)
            make_way(self.path, odd)
            if odd:
                self.troubles.append(f"The journal of “{self.path.name}” could not be read whole: it was set aside.")
            opening = line_of(opening_of(state, now_s))
            self._journal = JournalWriter(self.path, opening, self._say, self._crew)
            self._inputs = MOST_INPUTS
        except LocalFault as fault:
            self.troubles.append(str(fault))

    def start(self) -> None:
        if self._journal is not None:
            self._journal.start()

    def close(self) -> None:
        if self._journal is not None:
            self._journal.put(line_of(ended_line()))
            self._journal.stop()

    def _say(self, sentence: str) -> None:
        self._inbox.say(Notice(sentence, Severity.FAULT))

    # The journal

    def record(self, entry: Entry, state: LiveState) -> None:
        """Every input of the engine, before it has any effect, and the state that it meets. It is written by a thread
        of its own."""
        if self._journal is None:
            return
        self._state = state
        if self._journal.is_large:
            self._journal.begin_anew(line_of(opening_of(state, float(entry["t"]))))
            self._inputs = MOST_INPUTS
        self._note_standing(state, float(entry["t"]))
        for one in self._thinner.passed(entry):
            self._inputs += 1
            self._journal.put(line_of(one))

    def _note_standing(self, state: LiveState, now_s: float) -> None:
        """Now and then, and what goes on air at once: what a server that died would go on from, without much to run
        again behind it."""
        if self._journal is None:
            return
        if state.program.on_air is not self._aired:
            self._aired = state.program.on_air
            self._journal.put(line_of(aired_line(state, now_s)))
        if not self._inputs:
            return
        if self._inputs >= MOST_INPUTS or now_s - self._stood_s >= STANDS_EVERY_S:
            self._inputs, self._stood_s = 0, now_s
            self._journal.put(line_of(standing_of(self._changes, state, now_s)))

    def _is_waited_for(self, line: str) -> bool:
        return self._state is not None and any(of_message(self._state, line))

    def _listens(self) -> bool:
        """Does anything that runs depend on who speaks?"""
        if self._state is None:
            return True
        state = self._state
        return state.voice.mode is not VoiceMode.OFF or state.automation.playlist is not None

    def _waits(self, camera_id: str) -> bool:
        """Does a take, or anything that takes by itself, wait for the picture of a camera?"""
        if self._state is None:
            return True
        state = self._state
        held = parts(state, state.program.held.shot) if state.program.held is not None else ()
        return any(shot.camera_id == camera_id for shot in held) or bool(state.automation.runs) or self._listens()

    def add_files(self, pictures: Mapping[str, bytes]) -> None:
        """Pictures that belong to an edit, before it or after it."""
        self.pictures.update(pictures)
        if self._journal is not None:
            for name, data in pictures.items():
                self._journal.picture(name, data)

    def keep(self, show: Show, then: Callable[[], None] | None = None) -> None:
        """The document after an edit; `then` is called when it is in the journal, or cannot be, on another thread."""
        if self._journal is not None:
            self._journal.keep(show, then)
        elif then is not None:
            then()

    # What an earlier session left unsaved

    def recovered(self, recovery: Recovery) -> Show:
        """Its show, kept here from now on."""
        self.add_files(recovery.stored.pictures)
        self.keep(recovery.stored.show)
        recovery.forget()
        return recovery.stored.show

    def take_up_unsaved(self, unsaved: StoredShow) -> None:
        """What a server that died has left is the show now; nobody is asked."""
        recovery, self.recovery = self.recovery, None
        self.add_files(unsaved.pictures)
        self.keep(unsaved.show, recovery.forget if recovery is not None else None)

    # The file

    def save(self, state: LiveState, path: Path | None) -> None:
        """In the background; a notice says how it went. At another `path` it is a copy: this show stays where it is."""
        stored, edits = self._to_store(state), state.edits.count
        if path is not None and path != self.path:
            self._chores.put(lambda: self._save_copy(stored, path))
        else:
            self._chores.put(lambda: self._save(stored, edits, self.path))

    def keep_lessons(self, state: LiveState) -> None:
        """At the end: what was learned of the cameras is kept, if nothing else waits to be saved."""
        if self.path is not None and state.edits.count == self.saved_edits and state.show is not self._saved_show:
            with contextlib.suppress(LocalFault):
                storage.save(self.path, self._to_store(state))

    def _to_store(self, state: LiveState) -> StoredShow:
        return StoredShow(with_strips(state), dict(self.pictures))

    def _save_copy(self, stored: StoredShow, path: Path) -> None:
        try:
            refuse_if_open_elsewhere(path)
            storage.save(path, stored)
        except LocalFault as fault:
            self._inbox.say(Notice(str(fault), Severity.FAULT))
            return
        self._inbox.say(CopySaved(path))
        self._inbox.say(Notice(f"Saved a copy as {path.name}."))

    def _save(self, stored: StoredShow, edits: int, path: Path | None) -> None:
        try:
            if path is None:
                raise LocalFault("This show has no file yet: start it with the name of one, then save.")
            storage.save(path, stored)
        except LocalFault as fault:
            self._inbox.say(Notice(str(fault), Severity.FAULT))
            return
        self._inbox.put(lambda engine: self._after_save(stored, edits, path, engine.state))

    def _after_save(self, stored: StoredShow, edits: int, path: Path, state: LiveState) -> None:
        def saved() -> None:
            self._saved_show, self.saved_edits = stored.show, edits
            self._inbox.say(Notice(f"Saved as {path.name}."))

        if self._journal is not None:
            opening = line_of(opening_of(state, self._now_s()))
            unsaved = partial(self._unsaved, state, stored) if state.edits.count != edits else bytes
            self._journal.saved(opening, saved, unsaved)  # saved when nothing would be offered after a crash either
            self._inputs = MOST_INPUTS
        else:
            saved()

    def _unsaved(self, state: LiveState, stored: StoredShow) -> bytes:
        """Lines of what was edited while the show was being saved."""
        fresh = [(name, data) for name, data in list(self.pictures.items()) if name not in stored.pictures]
        pictures = b"".join(picture_line(name, data) for name, data in fresh)
        return pictures + keep_line(state.show.model_dump_json())
