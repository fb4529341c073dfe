"""Speaking to each other: guests to the crew, and the director to the guests."""

from typing import Annotated

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.state.action import Action, Outcome, Params
from ribalta.core.engine.state.guests import GUEST_HAND
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.guests import Role


class TalkParams(Params):
    """`hand` is that of the guest who asks."""

    on: bool
    hand: Annotated[str, Field(max_length=60)] = ""


class CrewTalkParams(Params):
    """`on` None turns it over."""

    on: bool | None = None


def talk(state: LiveState, params: TalkParams, now_s: float) -> Outcome:
    """A guest speaks to the crew, or stops."""
    guests = state.guests
    guest = guests.here.get(params.hand.removeprefix(GUEST_HAND))
    if guest is None or not guest.talks:
        raise ActionRefused("Only a guest who was given that speaks to the crew.")
    talking = guests.talking | {guest.id} if params.on else guests.talking - {guest.id}
    return Outcome(state.with_guests(talking=talking) if talking != guests.talking else state)


def crew_talk(state: LiveState, params: CrewTalkParams, now_s: float) -> Outcome:
    """The director speaks to the guests, or stops."""
    guests = state.guests
    on = not guests.crew_talks if params.on is None else params.on
    if on and not guests.open:
        raise ActionRefused("The guests' door is closed: nobody would hear it.")
    if on and state.show.microphone(state.show.sound.talkback_id) is None:
        raise ActionRefused("Choose a microphone to talk with in Rig, under Microphones, first.")
    return Outcome(state.with_guests(crew_talks=on) if on != guests.crew_talks else state)


ACTIONS = (
    Action(
        "guest.talk",
        "Speak to the crew, or stop",
        TalkParams,
        talk,
        recordable=False,
        hidden=True,
        role=Role.WATCHER,
    ),
    Action(
        "crew.talk",
        "Talk to the guests",
        CrewTalkParams,
        crew_talk,
        chords={"Ctrl+T": {"on": True}},
        let_go={"on": False},
        recordable=False,
        also="talkback intercom speak",
        role=Role.DIRECTOR,
    ),
)
