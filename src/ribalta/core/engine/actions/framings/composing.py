"""Frame it for me: framings that are computed from the floor plan. They count as not yet seen."""

from typing import Annotated

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.base.values import without
from ribalta.core.engine.actions.board import CameraNumber, camera_meant
from ribalta.core.engine.actions.cameras.cameras import Degrees, Metres
from ribalta.core.engine.actions.framings.arranging import Letter, free_slot
from ribalta.core.engine.actions.framings.floor_plan import MOST_MARKS, MarkName
from ribalta.core.engine.program import switching
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.planning.composing import LOOK_ROOM, compose
from ribalta.core.planning.fit import Suggestion, fit_of
from ribalta.core.planning.naming import name_of
from ribalta.core.planning.starter_board import Planned, as_framing, planned
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import LETTERS, Camera, Mark, Obstacle, ShotSize

Share = Annotated[float, Field(ge=0, le=0.4, allow_inf_nan=False)]


class ComposeParams(Params):
    """`marks` by id. Headroom is a share of the height, look-room of the width; the size's own if none is given."""

    camera: CameraNumber
    marks: Annotated[tuple[str, ...], Field(min_length=1, max_length=MOST_MARKS)]
    size: ShotSize = ShotSize.MEDIUM
    headroom: Share | None = None
    look_room: Share = LOOK_ROOM


class ProposeParams(ComposeParams):
    """Stored on a letter, or on the first free one; a long press of the letter's framing would be needed to replace."""

    letter: Letter | None = None
    page: Annotated[int, Field(ge=0, le=99)] = 0


class FillParams(Params):
    """All steered cameras if none is given."""

    camera: CameraNumber | None = None


def _composed(state: LiveState, params: ComposeParams) -> tuple[Camera, tuple[Mark, ...], Suggestion]:
    """Raises ActionRefused with the reason when it cannot be had."""
    camera = camera_meant(state, params.camera)
    marks = tuple(mark for m in params.marks if (mark := state.show.mark(m)) is not None)
    if len(marks) != len(params.marks):
        raise ActionRefused("That mark is not on the plan any more.")
    if camera.recall_only:
        raise ActionRefused(f"Camera {camera.number} does not say where it points, so it cannot be aimed by the plan.")
    try:
        composed = compose(camera, marks, params.size, params.headroom, params.look_room)
    except ValueError as error:
        raise ActionRefused(f"That cannot be framed: {error}.") from None
    who = name_of(marks, params.size, state.show)
    if composed.why_not:
        raise ActionRefused(f"Camera {camera.number} cannot frame “{who}”: {', '.join(composed.why_not)}.")
    fit = fit_of(state.show, camera, marks, composed)
    if fit.sight < 0.2:
        raise ActionRefused(f"Camera {camera.number} cannot see “{who}”: it is {fit.words}.")
    return camera, marks, Suggestion(camera.id, params.marks, params.size, composed, fit)


def aim(state: LiveState, params: ComposeParams, now_s: float) -> Outcome:
    """Only look: the camera goes there, and nothing is stored."""
    camera, _, one = _composed(state, params)
    if state.on_air(camera.id):
        raise ActionRefused(f"Camera {camera.number} is on air: it is not aimed anew now.")
    if not state.live(camera.id).answers:
        raise ActionRefused(f"Camera {camera.number} does not answer.")
    state = state.with_desk(row=camera.id)
    if state.is_next(camera.id):
        state = state.with_program(next=Shot(camera.id))
    return switching.send(state, Shot(camera.id), one.composed.aim, now_s)


def propose(state: LiveState, params: ProposeParams, now_s: float) -> Outcome:
    """Store it, and send the camera there if it is free."""
    camera, marks, one = _composed(state, params)
    if params.letter is not None:
        slot = params.page * len(LETTERS) + LETTERS.index(params.letter)
        there = state.show.framing_at(camera.id, slot)
        if there is not None:
            raise ActionRefused(f"“{there.name}” is on {params.letter}: choose a free letter.")
    else:
        slot = free_slot(state.show, camera.id)
    number = state.show.next_number
    framing = as_framing(Planned(name_of(marks, params.size, state.show), one), number, slot)
    show = state.show.with_framing(framing).model_copy(update={"next_number": number + 1})
    outcome = edited(state, show, f"framed “{framing.name}” for camera {camera.number}, {framing.letter}")
    if state.on_air(camera.id) or state.is_next(camera.id) or not state.live(camera.id).answers:
        return outcome
    return outcome.then(lambda s: switching.send_to_framing(s, Shot(camera.id, framing.id), now_s))


def fill(state: LiveState, params: FillParams, now_s: float) -> Outcome:
    if not state.show.marks:
        raise ActionRefused("The floor plan has no marks yet: add them in Rig, then fill the board from them.")
    cameras = [camera_meant(state, params.camera)] if params.camera is not None else list(state.show.cameras)
    cameras = [c for c in cameras if c.steered and not c.recall_only]
    if not cameras:
        raise ActionRefused("There is no steered camera that says where it points, so none can be aimed by the plan.")
    show, number, count = state.show, state.show.next_number, 0
    for camera in cameras:
        for plan in planned(state.show, camera):
            show = show.with_framing(as_framing(plan, number + count, free_slot(show, camera.id)))
            count += 1
    if not count:
        raise ActionRefused("Nothing to add: what these cameras can do well is on the board already.")
    show = show.model_copy(update={"next_number": number + count})
    return edited(state, show, f"put {count} framings on the board from the plan, not yet seen")


class ObstacleParams(Params):
    """Furniture or a wall: a box on the floor. What is left out stays, or is a metre."""

    obstacle: str | None = None
    name: MarkName | None = None
    x_m: Metres | None = None
    y_m: Metres | None = None
    wide_m: Annotated[float, Field(gt=0, le=200)] | None = None
    deep_m: Annotated[float, Field(gt=0, le=200)] | None = None
    height_m: Annotated[float, Field(gt=0, le=100)] | None = None
    turned_deg: Degrees | None = None


class RemoveObstacleParams(Params):
    obstacle: str


def obstacle(state: LiveState, params: ObstacleParams, now_s: float) -> Outcome:
    """Add a piece of furniture, or change one."""
    changes = params.model_dump(exclude={"obstacle"}, exclude_none=True)
    number = state.show.next_number
    if params.obstacle is None:
        new = Obstacle(id=f"o{number}", **{"name": "Furniture", "x_m": 0.0, "y_m": 0.0} | changes)
        obstacles = (*state.show.obstacles, new)
    else:
        old = next((o for o in state.show.obstacles if o.id == params.obstacle), None)
        if old is None:
            raise ActionRefused("That piece of furniture is not on the plan any more.")
        if "name" in changes and not str(changes["name"]).strip():
            raise ActionRefused(f"Furniture needs a name: “{old.name}” keeps its own.")
        new = old.model_copy(update=changes)
        obstacles = tuple(new if o.id == old.id else o for o in state.show.obstacles)
    changes = {"obstacles": obstacles, "next_number": number + 1}
    return edited(state, state.show.model_copy(update=changes), f"placed “{new.name}” on the plan")


def remove_obstacle(state: LiveState, params: RemoveObstacleParams, now_s: float) -> Outcome:
    left = without(state.show.obstacles, params.obstacle)
    if len(left) == len(state.show.obstacles):
        raise ActionRefused("That piece of furniture is not on the plan any more.")
    return edited(state, state.show.model_copy(update={"obstacles": left}), "removed furniture from the plan")


ACTIONS = (
    Action("compose.aim", "Aim camera {camera} at marks", ComposeParams, aim),
    Action("compose.store", "Store a framing of marks for camera {camera}", ProposeParams, propose, stores=True),
    Action("board.fill", "Fill the board from the floor plan", FillParams, fill, stores=True),
    Action("furniture.place", "Place furniture on the plan", ObstacleParams, obstacle, stores=True),
    Action("furniture.remove", "Remove furniture from the plan", RemoveObstacleParams, remove_obstacle, stores=True),
)
