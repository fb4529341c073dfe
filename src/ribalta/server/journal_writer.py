"""Writes the journal on a thread of its own, so that no take ever waits for a disk.

What cannot be written is said once and kept: every second it is tried again, also in a new file when the disk has come
back as another. Of inputs only so many are kept meanwhile; of the document always the newest, with its pictures.
"""

import contextlib
import os
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.journal import (
    JournalFile,
    fresh_path,
    journal_path,
    keep_line,
    line_of,
    make_way,
    next_past,
    picture_line,
    prune_past,
)
from ribalta.workers.crew import Crew

AGAIN_S, SYNC_EVERY_S, STOP_WITHIN_S = 1.0, 1.0, 5.0
MOST_WAITING = 4 * 1024 * 1024  # bytes of inputs that are kept while nothing can be written
LARGEST = 8 * 1024 * 1024  # then a new file is begun
DOCUMENT, WHILE_SAVING = "document", "while saving"


@dataclass
class _Job:
    """Lines to be written, made on the writer's thread, and what is done then. `essential` names what of the show they
    hold: the newest of that is kept until the show is saved."""

    make: Callable[[], bytes] = bytes
    then: Callable[[], None] | None = None
    essential: str = ""
    opening: bytes = b""
    saved: bool = False


class JournalWriter:
    """All but `start` and `stop` from any one thread, and none of them waits. `trouble` is told a sentence."""

    def __init__(
        self, show_path: Path, opening: bytes, trouble: Callable[[str], None], crew: Crew | None = None
    ) -> None:
        """Raises LocalFault when no journal can be begun. What is there must have been made way for."""
        self._show_path, self._opening, self._trouble = show_path, opening, trouble
        self._crew = crew or Crew()
        try:
            self._file: JournalFile | None = JournalFile(journal_path(show_path), opening)
        except OSError as error:
            raise LocalFault(_sentence(show_path, error)) from None
        self._there = threading.Condition()
        self._jobs: deque[_Job] = deque()
        self._waiting = 0  # bytes of inputs
        self._gap = 0
        self._turning, self._begun_with = False, len(opening)
        self._unwritten = b""
        self._essential: dict[str, bytes] = {}  # since the show was saved: the newest document, and its pictures
        self._failing, self._stopping, self._unsynced = False, False, False
        self._worker = self._crew.worker("journal", self._run)

    def start(self) -> None:
        self._worker.start()

    def stop(self) -> None:
        """When all that was put is written, or cannot be."""
        with self._there:
            self._stopping = True
            self._there.notify()
        self._worker.stop()
        self._worker.join(STOP_WITHIN_S)
        if self._file is not None:
            self._file.close()

    @property
    def is_large(self) -> bool:
        """It has grown so much that a new file should be begun, and that was not asked for yet."""
        file = self._file
        return file is not None and not self._turning and file.size - self._begun_with > LARGEST

    def put(self, line: bytes) -> None:
        """An input."""
        with self._there:
            if self._waiting > MOST_WAITING:
                self._gap += 1
                return
            self._waiting += len(line)
            self._add(_Job(lambda: line))

    def keep(self, show: Show, then: Callable[[], None] | None = None) -> None:
        """The document after an edit. `then` is called on the writer's thread when it is written, or cannot be."""
        with self._there:
            self._add(_Job(lambda: keep_line(show.model_dump_json()), then, DOCUMENT))

    def picture(self, name: str, data: bytes) -> None:
        with self._there:
            self._add(_Job(lambda: picture_line(name, data), None, f"picture {name}"))

    def saved(
        self, opening: bytes, then: Callable[[], None] | None = None, unsaved: Callable[[], bytes] = bytes
    ) -> None:
        """What was kept is in the show file; a new journal is begun, with what is `unsaved` even so (lines)."""
        with self._there:
            self._add(_Job(unsaved, then, opening=opening, saved=True))

    def begin_anew(self, opening: bytes) -> None:
        """A new file, with what is not saved yet."""
        self._turning = True
        with self._there:
            self._add(_Job(opening=opening))

    def _add(self, job: _Job) -> None:
        self._jobs.append(job)
        self._there.notify()

    # The thread

    def _run(self) -> None:
        synced_s = time.monotonic()
        while True:
            with self._there:
                if not self._jobs and not self._stopping:
                    self._there.wait(AGAIN_S if self._failing or self._unsynced else None)
                jobs, self._jobs, over = list(self._jobs), deque(), self._stopping
                self._waiting = len(self._unwritten)
            self._do(jobs)
            if over and not self._jobs:
                return
            if self._unsynced and time.monotonic() - synced_s >= SYNC_EVERY_S:
                synced_s, self._unsynced = time.monotonic(), False
                with contextlib.suppress(OSError):
                    if self._file is not None:
                        self._file.sync()

    def _do(self, jobs: list[_Job]) -> None:
        """In order: lines together, as far as the next file that is begun."""
        batch: list[_Job] = []
        for job in jobs:
            if not job.opening:
                batch.append(job)
                continue
            self._write(batch)
            batch = []
            self._turn_over(job)
            self._then(job)
        self._write(batch)

    def _write(self, batch: list[_Job]) -> None:
        lines = []
        for job in batch:
            with self._crew.guarded("a line of the journal", "It was left out: save the show."):
                lines.append((job.essential, job.make()))
        self._essential.update({name: line for name, line in lines if name})
        data = self._unwritten + b"".join(line for _, line in lines)
        if data or self._failing:
            self._try(data, b"".join(line for name, line in lines if not name))
        for job in batch:
            self._then(job)
        self._unsynced |= any(job.essential for job in batch)

    def _then(self, job: _Job) -> None:
        if job.then is not None:
            with self._crew.guarded("what follows from an edit", "Go on."):
                job.then()

    def _try(self, data: bytes, inputs: bytes) -> None:
        try:
            if self._failing or self._file is None:
                self._open_again()
                data = b"".join(self._essential.values()) + self._gap_line() + self._unwritten + inputs
            assert self._file is not None
            self._file.append(data)
            self._unwritten, self._gap = b"", 0
            if self._failing:
                self._failing = False
                self._crew.relieve("The journal is written again: nothing that was stored is lost.")
        except OSError as error:
            left = self._unwritten + inputs
            self._unwritten = left if len(left) <= MOST_WAITING else b""
            if not self._failing:
                self._failing = True
                self._trouble(_sentence(self._show_path, error))

    def _gap_line(self) -> bytes:
        return line_of({"gap": self._gap}) if self._gap else b""

    def _open_again(self) -> None:
        """The same file if it is still in its place, or a new one there. Raises OSError."""
        if self._file is not None and self._file.is_in_place():
            return
        if self._file is not None:
            self._file.close()
            self._file = None
        path = journal_path(self._show_path)
        if os.path.lexists(path):
            with contextlib.suppress(LocalFault):
                make_way(self._show_path, True)
        self._file = JournalFile(path, self._opening)
        self._begun_with, self._turning = self._file.size, False

    def _turn_over(self, job: _Job) -> None:
        """Begin a new file. It takes the place of the old one at once and whole: at no moment is nothing there."""
        self._opening = job.opening
        if job.saved:
            self._essential.clear()
            with self._crew.guarded("a line of the journal", "It was left out: save the show."):
                if unsaved := job.make():
                    self._essential[WHILE_SAVING] = unsaved
        if self._failing or self._file is None:
            return
        try:
            fresh = JournalFile(fresh_path(self._show_path), job.opening + b"".join(self._essential.values()))
            fresh.take_place_of(journal_path(self._show_path), next_past(self._show_path))
        except OSError as error:
            self._failing = True
            self._trouble(_sentence(self._show_path, error))
            return
        self._file.close()
        self._file, self._begun_with, self._turning = fresh, fresh.size, False
        prune_past(self._show_path)


def _sentence(show_path: Path, error: OSError) -> str:
    return (
        f"The journal cannot be written: {error.strerror or error}. Make room on {show_path.parent} and save the show:"
        " what is edited now would be lost in a crash. It is tried again every second."
    )
