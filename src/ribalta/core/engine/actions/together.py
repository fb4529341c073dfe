"""Several edits as one: all of them or none, said in one sentence and undone at once."""

import json
from collections.abc import Callable, Mapping
from typing import Annotated, Any

from pydantic import Field, field_validator

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.removing import StillUsed, Users
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import InUse, Notice, ShowEdited
from ribalta.core.show.automation.calls import Call, arguments_of

MOST = 500
Find = Callable[[str, Mapping[str, Any]], tuple[Action, Params]]


class TogetherParams(Params):
    """Each call is one of an action that changes the show. `what` is what they come to, as in “removed 3 macros”;
    `users` what becomes of those that use something that is removed."""

    calls: Annotated[tuple[Call, ...], Field(min_length=1, max_length=MOST)]
    what: Annotated[str, Field(min_length=1, max_length=200)]
    users: Users = "ask"

    @field_validator("calls", mode="before")
    @classmethod
    def _as_text(cls, given: object) -> object:
        """An answer to what was asked about comes back as text."""
        return json.loads(given) if isinstance(given, str) else given


def action(find: Find) -> Action:
    """`find` knows all actions: see `Catalogue.find`. Running it raises ActionRefused, StillUsed among them."""

    def together(state: LiveState, params: TogetherParams, now_s: float) -> Outcome:
        before, kept = state, Outcome(state)
        for call in params.calls:
            row, given = find(call.action, arguments_of(state.show, call))
            if not row.stores or row.id == ID:
                raise ActionRefused(f"“{row.sentence}” is no edit, so it cannot be one of several.")
            if "users" in type(given).model_fields and params.users != "ask":
                given = given.model_copy(update={"users": params.users})
            try:
                outcome = row.run(state, given, now_s)
            except StillUsed as used:
                asked = (
                    ("calls", json.dumps([c.model_dump(mode="json") for c in params.calls])),
                    ("what", params.what),
                )
                raise StillUsed(str(used), InUse(ID, asked, used.event.called, used.event.users)) from None
            state = outcome.state
            events = tuple(e for e in outcome.events if not isinstance(e, ShowEdited | Notice))
            kept = Outcome(state, (*kept.events, *events), (*kept.requests, *outcome.requests))
        whole = edited(state.with_(edits=before.edits, show=before.show), state.show, params.what)
        return Outcome(whole.state, (*kept.events, *whole.events), kept.requests)

    return Action(ID, "Do several edits at once", TogetherParams, together, stores=True, recordable=False, hidden=True)


ID = "edit.together"
