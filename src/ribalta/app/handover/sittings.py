"""The journals beside a show, run again: the evening that is to be handed over."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from itertools import chain
from pathlib import Path

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.journal.sittings import Logged, logs_of
from ribalta.core.handover.evening import Evening, Sitting, evening_of
from ribalta.core.show.files.journal import journal_path, lines_of, past_journals


@dataclass(frozen=True)
class Found:
    """The evening, how far local time was ahead of UTC, and sentences on what could not be read."""

    evening: Evening
    utc_offset_s: float
    troubles: tuple[str, ...]


def evening_beside(show: Path, title: str = "", went_on: Callable[[int], None] = lambda _: None) -> Found:
    """All that was run from a show, as far as its journals go. `went_on` is told how many lines have been run.

    Raises LocalFault when there is no journal.
    """
    journal = journal_path(show)
    paths = [*past_journals(show), *([journal] if journal.exists() else [])]
    if not paths:
        raise LocalFault(f"There is no journal beside {show}: nothing was run from it here, or it was moved.")
    logs: list[Logged] = []
    troubles: list[str] = []
    for path in paths:
        try:
            logs += logs_of(partial(lines_of, path), went_on)
        except LocalFault as fault:
            troubles.append(str(fault))
    sittings = [Sitting(one.log.lines, one.log.shown_at_s) for one in logs]
    return Found(evening_of(sittings, title or show.stem), logs[-1].utc_offset_s if logs else 0.0, tuple(troubles))


def files_named(evening: Evening) -> list[str]:
    """All files of recordings, in order."""
    return list(dict.fromkeys(chain.from_iterable(recorded.files.values() for recorded in evening.recorded)))
