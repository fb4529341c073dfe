"""The crew's lists: steps are added, changed, moved, and ticked when they are done. And the end of an evening."""

from types import MappingProxyType
from typing import Annotated, Literal

from pydantic import Field, ValidationError

from ribalta.core.base.faults import ActionRefused
from ribalta.core.base.validation import why_not
from ribalta.core.base.values import replaced, without
from ribalta.core.engine.state.action import Action, Held, NoParams, Outcome, Params, edited
from ribalta.core.engine.state.crew_lists import LISTS, is_closed, steps_of
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.crew import EndWanted
from ribalta.core.ports.guests import Role
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.crew_lists import ListStep, Seen
from ribalta.core.show.document.part import StoredName

MOST = 100
ListName = Annotated[Literal["opening", "closing"], Field(description="which list")]
Words = Annotated[str, Field(min_length=1, max_length=200)]


class ListParams(Params):
    list: ListName


class StepParams(ListParams):
    """`step` by id."""

    step: Annotated[str, Field(max_length=40)]


class AddParams(ListParams):
    words: Words = "A step"


class ChangeParams(StepParams):
    """`picture` by its stored name, empty: none any more; `nothing`: it has no action any more."""

    words: Words | None = None
    picture: StoredName | Literal[""] | None = None
    call: Call | None = None
    nothing: bool = False
    seen: Seen | None = None


class MoveParams(StepParams):
    by: Annotated[int, Field(ge=-100, le=100)]


class TickParams(StepParams):
    """`on` None turns it over."""

    on: bool | None = None


def _meant(state: LiveState, params: StepParams) -> ListStep:
    found = next((step for step in steps_of(state, params.list) if step.id == params.step), None)
    if found is None:
        raise ActionRefused(f"The {LISTS[params.list].lower()} has no such step: it was removed.")
    return found


def _with(state: LiveState, name: str, steps: tuple[ListStep, ...], what: str, new: int = 0) -> Outcome:
    changes = {name: steps, "next_number": state.show.next_number + new}
    return edited(state, state.show.model_copy(update=changes), what)


def add(state: LiveState, params: AddParams, now_s: float) -> Outcome:
    steps = steps_of(state, params.list)
    if len(steps) >= MOST:
        raise ActionRefused(f"{MOST} steps are the most there can be.")
    step = ListStep(id=f"s{state.show.next_number}", words=params.words)
    return _with(state, params.list, (*steps, step), f"added “{step.words}” to the {LISTS[params.list].lower()}", 1)


def change(state: LiveState, params: ChangeParams, now_s: float) -> Outcome:
    step = _meant(state, params)
    changes = params.model_dump(include={"words", "seen"}, exclude_none=True)
    changes |= {"picture": params.picture or None} if params.picture is not None else {}
    changes |= {"call": params.call.model_dump()} if params.call is not None else {}
    changes |= {"call": None} if params.nothing else {}
    try:
        made = ListStep.model_validate(step.model_dump() | changes)
    except ValidationError as error:
        raise ActionRefused(f"“{step.words}” stays as it is: {why_not(error)}.") from None
    return _with(state, params.list, replaced(steps_of(state, params.list), made), f"changed step “{made.words}”")


def remove(state: LiveState, params: StepParams, now_s: float) -> Outcome:
    step = _meant(state, params)
    return _with(state, params.list, without(steps_of(state, params.list), step.id), f"removed step “{step.words}”")


def move(state: LiveState, params: MoveParams, now_s: float) -> Outcome:
    step, steps = _meant(state, params), list(steps_of(state, params.list))
    at = steps.index(step)
    steps.insert(min(max(0, at + params.by), len(steps) - 1), steps.pop(at))
    return _with(state, params.list, tuple(steps), f"moved step “{step.words}”")


def tick(state: LiveState, params: TickParams, now_s: float) -> Outcome:
    step, ticked = _meant(state, params), dict(state.crew.ticked)
    on = step.id not in ticked if params.on is None else params.on
    if on:
        ticked[step.id] = now_s + state.wall_clock.offset_s
    else:
        ticked.pop(step.id, None)
    return Outcome(state.with_crew(ticked=MappingProxyType(ticked)))


def begin_anew(state: LiveState, params: ListParams, now_s: float) -> Outcome:
    mine = {step.id for step in steps_of(state, params.list)}
    ticked = {step_id: at_s for step_id, at_s in state.crew.ticked.items() if step_id not in mine}
    return Outcome(state.with_crew(ticked=MappingProxyType(ticked)))


def end_evening(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    return Outcome(state, (EndWanted(),))


def end_again(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    return Outcome(state, (EndWanted(again=True),))


def _ends(state: LiveState, params: NoParams) -> Held | None:
    return None if is_closed(state) else Held("end the evening", Call(action="evening.end"))


ACTIONS = (
    Action("list.add", "Add a step to the crew's {list} list", AddParams, add, stores=True),
    Action("list.change", "Change a step of the crew's {list} list", ChangeParams, change, stores=True),
    Action("list.remove", "Remove a step of the crew's {list} list", StepParams, remove, stores=True),
    Action("list.move", "Move a step of the crew's {list} list", MoveParams, move, stores=True),
    Action("list.tick", "Tick a step of the crew's {list} list", TickParams, tick, recordable=False),
    Action("list.begin", "Begin the {list} list anew: no step is ticked", ListParams, begin_anew, recordable=False),
    Action(
        "evening.end",
        "End the evening: stop what runs, stream and recording, send cameras home, clear, tally off",
        NoParams,
        end_evening,
        recordable=False,
        held=_ends,
        also="close down wrap up standby",
        role=Role.DIRECTOR,
    ),
    Action(
        "evening.again",
        "Try again what failed as the evening was ended",
        NoParams,
        end_again,
        recordable=False,
        role=Role.DIRECTOR,
    ),
)
