"""Going on where a server died: from the last record of how things stood, and what followed it in the journal."""

import time
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ribalta.core.base.faults import LocalFault
from ribalta.core.base.plain import NotPlain
from ribalta.core.engine.journal.replaying import state_of
from ribalta.core.engine.journal.standing import gone_on, in_own_time, resumed, stood
from ribalta.core.engine.state.changes import StateChanges
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.files.journal import find_recovery, journal_path, lines_of
from ribalta.core.show.files.storage import StoredShow

MOST_INPUTS = 20_000
OTHER_CLOCK_S = 30.0  # the machine was started anew, or somebody has set its clock


class Ended(Exception):
    """The show was ended by somebody: it begins anew."""


@dataclass(frozen=True)
class Resumed:
    """What a new server takes up: how things stood (None: it begins anew), what was not saved (None: everything was),
    which outputs were on, and what could not be read, as a sentence."""

    state: LiveState | None = None
    unsaved: StoredShow | None = None
    outputs: tuple[str, ...] = field(default=())
    trouble: str = ""


def resumed_from(path: Path, stored: StoredShow) -> Resumed:
    """What the journal beside a show says; nothing of it is changed. Raises nothing: what cannot be read is said."""
    recovery = find_recovery(path, stored)
    unsaved = recovery.stored if recovery is not None else None
    try:
        opening, line, entries = _behind(journal_path(path))
        state = state_of(opening)
        state = state.with_(show=(unsaved or stored).show)
        changes = StateChanges()
        if line is not None:
            state = stood(changes, state, line)
        before = gone_on(state, entries[-MOST_INPUTS:])
        if abs(float(opening["wall_s"]) - float(opening["t"]) - (time.time() - time.monotonic())) > OTHER_CLOCK_S:
            before = in_own_time(before, time.monotonic())
    except Ended:
        return Resumed()  # what was not saved is offered, as at any start
    except (LocalFault, NotPlain, OSError, KeyError, TypeError, ValueError) as error:
        return Resumed(None, unsaved, (), f"How the show stood could not be read ({error}): it begins anew.")
    wanted = tuple(name for name, live in before.outputs.live.items() if live.on)
    return Resumed(before, unsaved, wanted)


def taken_up(state: LiveState, found: Resumed) -> tuple[LiveState, tuple[str, ...]]:
    """An opening state with what was found, and a sentence for what could not be taken up again."""
    if found.unsaved is not None:
        state = state.with_edits(count=1)
    return resumed(state, found.state) if found.state is not None else (state, ())


def _behind(path: Path) -> tuple[Mapping[str, Any], Mapping[str, Any] | None, list[Mapping[str, Any]]]:
    """The opening of a journal, its last record of how things stood, and the inputs behind that."""
    opening: Mapping[str, Any] | None = None
    standing: Mapping[str, Any] | None = None
    entries: list[Mapping[str, Any]] = []
    for line in lines_of(path):
        if opening is None:
            opening = line
        elif "standing" in line:
            standing, entries = line, []
        elif "ended" in line:
            raise Ended
        elif "t" in line:
            entries.append(line)
    if opening is None:
        raise LocalFault("its journal is empty")
    return opening, standing, entries
