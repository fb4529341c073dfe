"""Arranging framings: other places on the board, what they show and how good they are, a camera's own memories."""

from typing import Annotated, Any

from pydantic import Field

from ribalta.core.base.faults import ActionRefused, NextStep
from ribalta.core.engine.actions.board import CameraNumber, FramingParams, camera_meant, framing_meant, place_of
from ribalta.core.engine.program.landing import set_at_s
from ribalta.core.engine.state.action import Action, Outcome, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.planning.matching_view import same_view
from ribalta.core.ports.messages import Notice, PictureWanted, Recall, Remember
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import LETTERS, Camera, Framing, ShotSize, Show

PAGES = 100
Letter = Annotated[str, Field(pattern=f"^[{LETTERS}]$")]


class MoveParams(FramingParams):
    """To another letter, of another page or camera too; framings change places if one is there."""

    to_letter: Letter
    to_page: Annotated[int, Field(ge=0, le=PAGES - 1)] | None = None
    to_camera: CameraNumber | None = None


class DescribeParams(FramingParams):
    """What is left out stays. Marks by id, none for an empty list; a rating below 0 drops the director's own."""

    marks: tuple[str, ...] | None = None
    size: ShotSize | None = None
    rating: Annotated[int, Field(ge=-1, le=100)] | None = None


class MemoryParams(FramingParams):
    memory: Annotated[int, Field(ge=0, le=255)]


def free_slot(show: Show, camera_id: str, start: int = 0) -> int:
    """The first free place of a camera from `start` on. Raises ActionRefused when there is none."""
    used = {f.slot for f in show.framings if f.camera_id == camera_id}
    slot = next((k for k in range(start, PAGES * len(LETTERS)) if k not in used), None)
    if slot is None:
        raise ActionRefused("All places of this camera are in use.")
    return slot


def move(state: LiveState, params: MoveParams, now_s: float) -> Outcome:
    framing = framing_meant(state, params)
    camera = state.show.camera(framing.camera_id)
    assert camera is not None
    page = framing.page if params.to_page is None else params.to_page
    slot = page * len(LETTERS) + LETTERS.index(params.to_letter)
    other = camera_meant(state, params.to_camera) if params.to_camera is not None else camera
    if other.id != camera.id:
        return _to_other(state, camera, framing, other, slot)
    if slot == framing.slot:
        return Outcome(state)
    there = state.show.framing_at(camera.id, slot)
    moved = [framing.model_copy(update={"slot": slot})]
    if there is not None:
        moved.append(there.model_copy(update={"slot": framing.slot}))
    changed = {f.id: f for f in moved}
    framings = tuple(changed.get(f.id, f) for f in state.show.framings)
    what = f"moved “{framing.name}” to {params.to_letter}"
    if there is not None:
        what += f", and “{there.name}” to {framing.letter}"
    return edited(state, state.show.model_copy(update={"framings": framings}), what)


def _to_other(state: LiveState, camera: Camera, framing: Framing, other: Camera, slot: int) -> Outcome:
    """A copy that looks at the same point of the room; the framing itself stays where it is."""
    if camera.recall_only or other.recall_only:
        blind = camera if camera.recall_only else other
        raise ActionRefused(f"Camera {blind.number} does not say where it points: its framings cannot be carried over.")
    try:
        carried = same_view(state.show, camera, framing, other)
    except ValueError as error:
        raise ActionRefused(f"“{framing.name}” cannot go there: {error}.") from None
    if carried.why_not:
        raise ActionRefused(f"“{framing.name}” is out of reach of camera {other.number}: {', '.join(carried.why_not)}.")
    if state.show.framing_at(other.id, slot) is not None:
        slot = free_slot(state.show, other.id, slot - slot % len(LETTERS))
    number = state.show.next_number
    aim = carried.aim
    changes: dict[str, Any] = {"id": f"f{number}", "camera_id": other.id, "slot": slot, "seen": False, "memory": None}
    changes |= {"pan_deg": aim.pan_deg, "tilt_deg": aim.tilt_deg, "zoom": aim.zoom, "kept": (), "protected": False}
    copy = framing.model_copy(update=changes | {"picture": None, "pictured_at_s": None, "rating": None})
    show = state.show.with_framing(copy).model_copy(update={"next_number": number + 1})
    what = (
        f"carried “{framing.name}” over to camera {other.number}, {copy.letter}, aimed by {carried.by} and not yet seen"
    )
    return edited(state, show, what)


def describe(state: LiveState, params: DescribeParams, now_s: float) -> Outcome:
    framing = framing_meant(state, params)
    changes: dict[str, Any] = {}
    if params.marks is not None:
        unknown = [m for m in params.marks if state.show.mark(m) is None]
        if unknown:
            raise ActionRefused("That mark is not on the plan any more.")
        changes |= {"mark_id": params.marks[0] if params.marks else None, "more_mark_ids": params.marks[1:]}
    if params.size is not None:
        changes["size"] = params.size
    if params.rating is not None:
        changes["rating"] = params.rating if params.rating >= 0 else None
    new = framing.model_copy(update=changes)
    if new == framing:
        return Outcome(state)
    return edited(state, state.show.with_framing(new), f"described “{framing.name}” anew")


def _settled(state: LiveState, framing: Framing, now_s: float) -> Camera:
    """The camera of a framing, if it is set there untrimmed. Raises ActionRefused."""
    camera = state.camera(Shot(framing.camera_id))
    live = state.live(camera.id)
    there = live.goal_framing_id == framing.id and live.goal == framing.aim
    if not there or set_at_s(state, Shot(camera.id, framing.id)) > now_s:
        said = f"Camera {camera.number} is not set at “{framing.name}”: send it there first."
        raise ActionRefused(said, NextStep("Send it there", "framing.restore", place_of(camera, framing)))
    return camera


def write_memory(state: LiveState, params: MemoryParams, now_s: float) -> Outcome:
    """What the camera does by itself, for those who recall without Ribalta."""
    framing = framing_meant(state, params)
    camera = _settled(state, framing, now_s)
    if camera.head is None or params.memory >= camera.head.memories:
        count = camera.head.memories if camera.head is not None else 0
        raise ActionRefused(f"Camera {camera.number} has {count} memories of its own, and no number {params.memory}.")
    show = state.show.with_framing(framing.model_copy(update={"memory": params.memory}))
    outcome = edited(state, show, f"wrote “{framing.name}” to memory {params.memory} of camera {camera.number}")
    return Outcome(outcome.state, outcome.events, (Remember(camera.id, params.memory),))


def read_memory(state: LiveState, params: MemoryParams, now_s: float) -> Outcome:
    """The camera goes to its memory; what it shows then can be stored on the letter."""
    camera = camera_meant(state, params.camera)
    if camera.head is None or params.memory >= camera.head.memories:
        raise ActionRefused(f"Camera {camera.number} has no memory {params.memory} of its own.")
    if state.on_air(camera.id) or state.is_next(camera.id):
        raise ActionRefused(f"Camera {camera.number} is on air or Next: it does not go to its memories now.")
    if not state.live(camera.id).answers:
        raise ActionRefused(f"Camera {camera.number} does not answer.")
    state = state.with_live(camera.id, goal=None, goal_framing_id=None, due_s=None)
    said = (
        f"Camera {camera.number} goes to its own memory {params.memory}."
        f" Shift+{params.letter} stores what it shows when it is there."
    )
    return Outcome(state.with_desk(row=camera.id), (Notice(said),), (Recall(camera.id, params.memory),))


def retake(state: LiveState, params: FramingParams, now_s: float) -> Outcome:
    """A new picture of a framing as it is now; its aim stays."""
    framing = framing_meant(state, params)
    camera = _settled(state, framing, now_s)
    if not state.live(camera.id).picture:
        raise ActionRefused(f"No picture comes from camera {camera.number}: “{framing.name}” keeps the one it has.")
    number = state.show.next_number
    name = f"{framing.id}-{number}.jpg"
    changes = {"picture": name, "pictured_at_s": now_s + state.wall_clock.offset_s, "seen": True}
    show = state.show.with_framing(framing.model_copy(update=changes)).model_copy(update={"next_number": number + 1})
    outcome = edited(state, show, f"took a new picture of “{framing.name}”")
    return Outcome(outcome.state, (PictureWanted(camera.id, name), *outcome.events))


ACTIONS = (
    Action("framing.move", "Move framing {letter} to another place", MoveParams, move, stores=True),
    Action("framing.describe", "Say what framing {letter} shows", DescribeParams, describe, stores=True),
    Action("framing.retake", "Take a new picture of framing {letter}", FramingParams, retake, stores=True),
    Action(
        "framing.write_memory",
        "Write framing {letter} to the camera's own memory",
        MemoryParams,
        write_memory,
        stores=True,
    ),
    Action("camera.read_memory", "Send the camera to its own memory", MemoryParams, read_memory),
)
