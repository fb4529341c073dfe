"""What a show wants to be looked at before doors."""

from typing import Annotated

from pydantic import Field

from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState


class PlannedParams(Params):
    minutes: Annotated[float, Field(ge=1, le=2880, allow_inf_nan=False, description="how long the show is to be")]


class LeftOutParams(Params):
    """`key` is a kind of line of the check, as “framing.age”; `on`: it matters to this show."""

    key: Annotated[str, Field(pattern=r"^[a-z_.]{1,40}$")]
    on: bool = False


def planned(state: LiveState, params: PlannedParams, now_s: float) -> Outcome:
    readiness = state.show.readiness.model_copy(update={"planned_minutes": params.minutes})
    show = state.show.model_copy(update={"readiness": readiness})
    return edited(state, show, f"planned {params.minutes:g} minutes")


def left_out(state: LiveState, params: LeftOutParams, now_s: float) -> Outcome:
    kept = tuple(key for key in state.show.readiness.left_out if key != params.key)
    keys = kept if params.on else (*kept, params.key)
    readiness = state.show.readiness.model_copy(update={"left_out": keys})
    said = "looks at it again before doors" if params.on else "leaves it out of the check"
    return edited(state, state.show.model_copy(update={"readiness": readiness}), said)


ACTIONS = (
    Action("check.planned", "Plan the show to be {minutes} minutes long", PlannedParams, planned, stores=True),
    Action("check.leave_out", "Leave a kind of line out of the check", LeftOutParams, left_out, stores=True),
)
