"""Asking for somebody: the best framing of a mark is readied, and the next best, and cameras are kept for a mark."""

from types import MappingProxyType
from typing import Annotated

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.actions.board import CameraNumber, camera_meant
from ribalta.core.engine.program import choosing, switching
from ribalta.core.engine.state.action import Action, NoParams, Outcome, Params
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice
from ribalta.core.ports.shots import MarkAsked
from ribalta.core.show.document.model import Mark


class SeeParams(Params):
    """By the mark's number on the floor plan, from 1; asked for again, the next best."""

    number: Annotated[int, Field(ge=1, le=999, description="the mark's number, from 1")]


class ReserveParams(Params):
    """Without a number the camera is free for everybody again."""

    camera: CameraNumber
    number: Annotated[int | None, Field(ge=1, le=999, description="the mark's number, from 1")] = None


def _mark(state: LiveState, number: int) -> Mark:
    mark = choosing.mark_numbered(state, number)
    if mark is None:
        count = len(state.show.marks)
        have = f"There are {count}" if count else "There are none yet: place them in Rig"
        raise ActionRefused(f"There is no mark {number} on the floor plan. {have}.")
    return mark


def see(state: LiveState, params: SeeParams, now_s: float) -> Outcome:
    mark = _mark(state, params.number)
    last = state.automation.asked
    again = last is not None and last.mark_id == mark.id and last.takes == state.program.takes
    place = last.place + 1 if again and last is not None else 0
    return _ready(state, mark, place, now_s)


def another(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    last = state.automation.asked
    mark = state.show.mark(last.mark_id) if last is not None else None
    if last is None or mark is None:
        raise ActionRefused("Nobody was asked for yet: choose a mark first.")
    return _ready(state, mark, last.place + 1, now_s)


def _ready(state: LiveState, mark: Mark, place: int, now_s: float) -> Outcome:
    found = choosing.best(state, mark.id, now_s, place)
    if found is None:
        raise ActionRefused(f"No camera that is off air and answers has a framing of {mark.name}.")
    state = state.with_automation(asked=MarkAsked(mark.id, place, state.program.takes)).with_desk(
        row=found.shot.camera_id
    )
    said = Notice(f"{mark.name}: {state.shot_words(found.shot)}, {found.words}.")
    return switching.ready(state, found.shot, now_s).saying(said)


def reserve(state: LiveState, params: ReserveParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    kept = {c: m for c, m in state.automation.reserved.items() if c != camera.id}
    said = f"Camera {camera.number} is free for everybody."
    if params.number is not None:
        mark = _mark(state, params.number)
        kept[camera.id] = mark.id
        said = f"Camera {camera.number} is kept for {mark.name}."
    return Outcome(state.with_automation(reserved=MappingProxyType(kept)), (Notice(said),))


ACTIONS = (
    Action(
        "mark.see",
        "Ready the best framing of mark {number}",
        SeeParams,
        see,
        {f"Num+{n}": {"number": n} for n in range(1, 10)},
    ),
    Action("mark.another", "Ready the next best of the mark asked for last", NoParams, another, {"Num+0": {}}),
    Action("camera.reserve", "Keep camera {camera} for a mark, or free it", ReserveParams, reserve),
)
