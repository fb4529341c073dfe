"""How everything stood at a moment, in one line of the journal: what a server that died is started again from.

Only the document is not in it, which the journal keeps anyway.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType
from typing import Any

from ribalta.core.base.plain import NotPlain
from ribalta.core.base.values import changed
from ribalta.core.engine.journal.replaying import run_again
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.state.automation_state import VOICE_FOLLOW_OFF
from ribalta.core.engine.state.changes import StateChanges
from ribalta.core.engine.state.guests import GuestsState
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import Shot

LATEST_RECORDS = 30
LEFT_OUT = ("show", "edits")


def standing_of(changes: StateChanges, state: LiveState, now_s: float) -> dict[str, Any]:
    """A line of the journal."""
    few = state.with_program(records=state.program.records[-LATEST_RECORDS:])
    said = changes.between(None, few)
    return {"standing": {name: tree for name, tree in said.items() if name not in LEFT_OUT}, "t": now_s}


def aired_line(state: LiveState, now_s: float) -> dict[str, Any]:
    """A line of the journal: what went on air, and what was next then. A take that waited for its camera goes at its
    own time, and nothing of what comes in says so."""
    program = state.program
    then = [_short(shot) for shot in program.then]
    return {"t": now_s, "aired": [_short(program.on_air), _short(program.next), then, program.takes]}


def _short(shot: Shot | None) -> list[str | None]:
    """A shot's fields without those at the end that say nothing: there is one such line for every cut of an evening."""
    fields = [shot.camera_id, shot.framing_id, shot.medium_id, shot.scene_id] if shot is not None else []
    while fields and fields[-1] is None:
        fields.pop()
    return fields


def _aired(state: LiveState, said: Sequence[Any], at_s: float) -> LiveState:
    def shot(found: Sequence[str | None]) -> Shot | None:
        return Shot(str(found[0]), *found[1:]) if found else None

    on_air, following, later, takes = shot(said[0]), shot(said[1]), said[2], int(said[3])
    then = tuple(found for fields in later if (found := shot(fields)) is not None)
    since_s = state.program.since_s if on_air == state.program.on_air else at_s
    program = changed(state.program, on_air=on_air, next=following, then=then, takes=takes, since_s=since_s)
    return state.with_(program=changed(program, held=None))


def stood(changes: StateChanges, state: LiveState, line: Mapping[str, Any]) -> LiveState:
    """The state as it stood. Raises NotPlain when the line is damaged, or of another version."""
    groups = line.get("standing")
    if not isinstance(groups, dict):
        raise NotPlain("it is no record of how things stood")
    return changes.applied(state, {name: tree for name, tree in groups.items() if name not in LEFT_OUT})


def gone_on(state: LiveState, entries: Iterable[Mapping[str, Any]]) -> LiveState:
    """The state after the inputs that followed. What they did to the document is not asked of it again: `state` has it
    as it was in the end."""
    engine = Engine(state)
    for entry in entries:
        if "aired" in entry:
            engine.state = _aired(engine.state, entry["aired"], float(entry["t"]))
        else:
            run_again(engine, entry)
        engine.drain()
    return engine.state


def ended_line() -> dict[str, Any]:
    """A line of the journal: the show was ended by somebody, and is not to be gone on with."""
    return {"ended": True}


def in_own_time(before: LiveState, now_s: float) -> LiveState:
    """How things stood, on a machine that was started anew since: its clock is another, so no time of before counts."""
    automation = changed(before.automation, playlist=None, fired=MappingProxyType({}), asked=None, times_done_s=now_s)
    media = MappingProxyType({i: replace(live, started_s=None) for i, live in before.program.media.items()})
    black = replace(before.program.black, started_s=now_s, lasts_s=0.0, start=float(before.program.black.black))
    guests = GuestsState(open=before.guests.open, port=before.guests.port, beyond=before.guests.beyond)
    before = before.with_(guests=guests)  # when their invitations end is not known any more
    return before.with_program(since_s=now_s, media=media, black=black, records=()).with_(automation=automation)


def _nobody_there(guests: GuestsState) -> GuestsState:
    """Whose line is up is known when it comes again."""
    here = {guest_id: replace(guest, there=False) for guest_id, guest in guests.here.items()}
    quiet = {"talking": frozenset[str](), "crew_talks": False}
    return changed(guests, here=MappingProxyType(here), beats=MappingProxyType({}), **quiet)


def resumed(state: LiveState, before: LiveState) -> tuple[LiveState, tuple[str, ...]]:
    """The opening state of a server that goes on from how things stood before, and a sentence for each thing that
    could not be taken up again."""
    said: list[str] = []
    program, automation = before.program, before.automation
    if program.held is not None:
        said.append("A take that waited for its camera was dropped: take again.")
    in_transition = program.in_transition
    on_air = in_transition.after if in_transition is not None else program.on_air
    if on_air is not None and on_air.camera_id and state.show.camera(on_air.camera_id) is None:
        on_air = state.program.on_air
    program = changed(program, on_air=on_air, held=None, in_transition=None, fading=MappingProxyType({}))
    said += [f"The macro “{run.name}” was half-way and was ended." for run in automation.runs]
    if automation.recording is not None:
        said.append(f"The recording of “{automation.recording.name}” was dropped.")
    if before.voice.mode is not VOICE_FOLLOW_OFF.mode:
        said.append("Voice follow was on and is off now.")
    automation = changed(automation, runs=(), waiting_macros=(), recording=None, were_set=frozenset())
    desk = replace(before.desk, shortcuts=state.desk.shortcuts)
    automation = changed(automation, times_done_s=max(automation.times_done_s, state.automation.times_done_s))
    return (
        state.with_(
            program=program,
            sound=before.sound,
            automation=automation,
            desk=desk,
            desks=before.desks,
            guests=_nobody_there(before.guests),
            run=replace(before.run, id=0, depth=0, subject=None),
        ),
        tuple(said),
    )
