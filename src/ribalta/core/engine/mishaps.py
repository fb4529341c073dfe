"""What is left of a state when something that runs by itself has failed: it is ended or switched off, and nothing else.

Each of these only replaces fields: none of them calls what may just have failed.
"""

from dataclasses import dataclass, replace
from types import MappingProxyType

from ribalta.core.base.values import without
from ribalta.core.engine.state.automation_state import VOICE_FOLLOW_OFF, Fired, Owner
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import By

SWITCHED_OFF = "it failed and was switched off: switch it on again to try it"


@dataclass(frozen=True)
class SwitchedOff:
    """A state without what failed. `what` names that, as the beginning of a sentence; `then` says what became of it."""

    state: LiveState
    what: str
    then: str


def without_change(state: LiveState) -> SwitchedOff:
    """Without the transition under way."""
    return SwitchedOff(
        state.with_program(in_transition=None), "The end of the transition", "The new picture is on air."
    )


def without_fades(state: LiveState) -> SwitchedOff:
    """Without overlays that come or go."""
    state = state.with_program(fading=MappingProxyType({}))
    return SwitchedOff(state, "The fading of what lies over program", "It is on or off now.")


def without_held(state: LiveState) -> SwitchedOff:
    """Without the take that is held."""
    return SwitchedOff(
        state.with_program(held=None).with_run(id=0), "The take that was held", "Nothing was taken: take it again."
    )


def without_playlist(state: LiveState) -> SwitchedOff:
    """Without the playlist that runs, and what it has put under Next and Then."""
    playing = state.automation.playlist
    if playing is None:
        return SwitchedOff(state, "Looking after playlists", "None is running.")
    mine = (playing.readied, *playing.queued)
    readied = None if state.program.next is not None and state.program.next in mine else state.program.next
    then = tuple(shot for shot in state.program.then if shot not in mine)
    held = None if playing.asked else state.program.held
    state = state.with_automation(playlist=None).with_program(next=readied, then=then, held=held)
    return SwitchedOff(state, f"Playlist “{playing.name}”", "It was stopped.")


def without_voice(state: LiveState) -> SwitchedOff:
    """Without voice follow, and what it has put under Next and Then."""
    follow = state.voice
    mine = (follow.readied, *follow.queued)
    readied = None if follow.readied is not None and state.program.next == follow.readied else state.program.next
    then = tuple(shot for shot in state.program.then if shot not in mine)
    heard = replace(VOICE_FOLLOW_OFF, mics=follow.mics, quiet=follow.quiet, voices=follow.voices)
    return SwitchedOff(
        state.with_(voice=heard).with_program(next=readied, then=then), "Voice follow", "It was switched off."
    )


def without_run(state: LiveState, run_id: int | None) -> SwitchedOff:
    """Without one macro that runs, or without all of them and those that wait, if it is not known which."""
    gone = next((run for run in state.automation.runs if run.id == run_id), None)
    if gone is None:
        return SwitchedOff(state.with_automation(runs=(), waiting_macros=()), "A macro", "All macros were stopped.")
    runs = without(state.automation.runs, run_id)
    return SwitchedOff(state.with_automation(runs=runs), f"Macro “{gone.name}”", "It was stopped.")


def without_trigger(state: LiveState, trigger_id: str) -> SwitchedOff:
    """With a trigger marked as broken: it does nothing until it is switched on again."""
    trigger = state.show.trigger(trigger_id)
    fared = replace(state.automation.fired.get(trigger_id, Fired()), why_not=SWITCHED_OFF, broken=True)
    state = state.with_automation(fired=MappingProxyType({**state.automation.fired, trigger_id: fared}))
    return SwitchedOff(
        state, f"Trigger “{trigger.name if trigger is not None else trigger_id}”", "It was switched off."
    )


def without_alarms(state: LiveState, trigger_ids: tuple[str, ...]) -> SwitchedOff:
    """Without triggers that wait on a time."""
    names: list[str] = []
    for trigger_id in trigger_ids:
        ended = without_trigger(state, trigger_id)
        state, names = ended.state, [*names, ended.what.removeprefix("Trigger ")]
    state = state.with_automation(alarm_s=float("inf"))
    if len(names) == 1:
        return SwitchedOff(state, f"Trigger {names[0]}", "It was switched off.")
    return SwitchedOff(state, "A trigger that waits on a time", f"Switched off: {', '.join(names) or 'none'}.")


def without_owner(state: LiveState, owner: Owner | None) -> SwitchedOff | None:
    """Without what asked for an action that failed; None when that was a person."""
    if owner is None:
        return None
    match owner.by:
        case By.MACRO:
            return without_run(state, int(owner.id))
        case By.TRIGGER:
            return without_trigger(state, owner.id)
        case By.PLAYLIST:
            return without_playlist(state)
        case _:
            return None


def mistake(error: BaseException) -> str:
    """As a phrase for people; what it was in detail is in the log file."""
    return f"a mistake of Ribalta's ({type(error).__name__})"


def without_beats(state: LiveState) -> SwitchedOff:
    """Without what guests push."""
    return SwitchedOff(
        state.with_guests(beats=MappingProxyType({})), "A camera that a guest pushed", "Stop it by hand."
    )


def without_invitations(state: LiveState) -> SwitchedOff:
    """Without any that ends at a time, and who came with them."""
    lasting = {k: i for k, i in state.guests.invitations.items() if i.ends_at_s is None}
    here = {k: g for k, g in state.guests.here.items() if g.invitation in lasting}
    state = state.with_guests(invitations=MappingProxyType(lasting), here=MappingProxyType(here))
    return SwitchedOff(state, "Ending an invitation", "All that end at a time were taken back.")
