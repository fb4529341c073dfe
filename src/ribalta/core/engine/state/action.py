"""What an action is. Its row is the only declaration; help, keys and later addresses are derived from it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from pydantic import BaseModel, ConfigDict

from ribalta.core.base.faults import NextStep
from ribalta.core.engine.state.automation_state import Queued
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.guests import Role
from ribalta.core.ports.messages import Event, Notice, Request, Severity, ShowEdited
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.model import Show


class Params(BaseModel):
    """Typed arguments; unknown ones are refused."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)


class NoParams(Params):
    pass


@dataclass(frozen=True)
class Outcome:
    """`calls` run next, because of this."""

    state: LiveState
    events: tuple[Event, ...] = ()
    requests: tuple[Request, ...] = ()
    calls: tuple[Queued, ...] = ()

    def then(self, step: Callable[[LiveState], "Outcome"]) -> "Outcome":
        """This outcome followed by what `step` makes of its state."""
        more = step(self.state)
        return Outcome(more.state, self.events + more.events, self.requests + more.requests, self.calls + more.calls)

    def saying(self, *events: Event) -> "Outcome":
        """This outcome with more events behind its own."""
        return Outcome(self.state, self.events + events, self.requests, self.calls)


def turned_down(state: LiveState, sentence: str, step: NextStep | None = None) -> Outcome:
    """A refusal that still leaves something behind (a named row, a place in the queue)."""
    return Outcome(state, (Notice(sentence, Severity.REFUSED, step),))


def edited(state: LiveState, show: Show, what: str) -> Outcome:
    """The document changed: it can be undone, and `what` says it ("stored “Hands”")."""
    return Outcome(
        state.with_show(show, what), (ShowEdited(what), Notice(f"{what[0].upper()}{what[1:]}. Ctrl+Z undoes it."))
    )


@dataclass(frozen=True)
class Held:
    """What stops or overwrites, so that a slip must not do it: `words` as in “Hold it to stop …”, and the call."""

    words: str
    call: Call


@dataclass(frozen=True)
class Action:
    """`sentence` is what it does, for people. `keys` maps key names (Qt's portable ones) to arguments: those of Air.
    `chords` are the same in every view, also while a text field has the focus.

    `stores`: it changes the show, which surfaces that may only recall cannot do. `let_go`: with these arguments it runs
    again when what was pressed for it is let go. `says` puts it into words for arguments, where `sentence` cannot.

    Traits: `continuous`: it comes many times while something is moved, and counts as one. `recordable`: it may
    become a step of a recorded macro. `repeats`: a key that is kept down asks for it again. `hidden`: nobody wants
    to see that it ran. `role` is who may do it at least, and `touches` says the ids of the cameras that it touches:
    what a guest may do is decided by these two alone (see `roles`). `changes_air`: what is seen may change, so a
    trigger that is only tried leaves it out. `names_row`: letters refer to the row of its camera afterwards.
    `heeds_voices`: who speaks may matter to it, `heeds_cameras`: where cameras stand may. `on_scenes` is the action
    that it means when letters refer to scenes. `also` are other words that people look for it by. `at_desk`: a desk
    does it itself when one of its own keys asks. `held` says whether a key or button has to be held for it now, and
    what it is then. `recorded` is the call that a recorded macro gets in its place.
    """

    id: str
    sentence: str
    params: type[Params]
    run: Callable[[LiveState, Any, float], Outcome]
    keys: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    stores: bool = False
    let_go: Mapping[str, Any] | None = None
    says: Callable[[LiveState, Any], str] | None = None
    continuous: bool = False
    recordable: bool = True
    repeats: bool = False
    hidden: bool = False
    changes_air: bool = False
    names_row: bool = False
    heeds_voices: bool = False
    heeds_cameras: bool = True
    on_scenes: str = ""
    at_desk: bool = False
    chords: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    held: Callable[[LiveState, Any], "Held | None"] | None = None
    recorded: Callable[[LiveState, Any, float], Call | None] | None = None
    also: str = ""
    role: Role = Role.DEPUTY
    touches: Callable[[LiveState, Any], tuple[str, ...]] | None = None

    @property
    def every_key(self) -> Mapping[str, Mapping[str, Any]]:
        """Keys and chords."""
        return {**self.keys, **self.chords}
