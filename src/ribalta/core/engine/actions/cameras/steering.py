"""Moving a camera by hand, in shares of its picture: 0,0 is the top left corner and 1,1 the bottom right.

Steering a camera that stands at a framing is a trim: the shot keeps its framing, and the landing is judged
against the trimmed aim. A camera on air moves only when `live` is given, and then slowly.
"""

import functools
from collections.abc import Callable
from types import MappingProxyType
from typing import Annotated, Any, TypeVar

from pydantic import Field

from ribalta.core.base.aim import STILL, Aim
from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.actions.board import CameraNumber, camera_meant, camera_named
from ribalta.core.engine.program import switching
from ribalta.core.engine.program.landing import NEVER_S
from ribalta.core.engine.program.manual_control import touched
from ribalta.core.engine.state.action import Action, Outcome, Params
from ribalta.core.engine.state.live import LiveState
from ribalta.core.optics.projection import HD, Reached, centre_on, fill_with
from ribalta.core.ports.guests import Role
from ribalta.core.ports.messages import Drive, Notice, Request, Severity
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Camera

DRIVEN = 6.0  # of full speed for each width of the picture that the hand goes in one step
BLIND_LIVE_PACE = 0.15
BEAT_S = 0.35  # a push that is not said again for so long is over
BLIND_S = 0.5  # when a camera that cannot tell is taken to stand still again
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Step = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]


class HandParams(Params):
    """Which hand moves it, and a number for each of its touches; see `core/engine/program/manual_control.py`."""

    hand: Annotated[str, Field(min_length=1, max_length=40)] = "mouse"
    stroke: Annotated[int, Field(ge=0)] = 0


class SteerParams(HandParams):
    camera: CameraNumber
    live: Annotated[bool, Field(description="move the camera even on air, slowly")] = False


class StopParams(Params):
    camera: CameraNumber


class CentreParams(SteerParams):
    x: Share
    y: Share


class BoxParams(SteerParams):
    left: Share
    top: Share
    right: Share
    bottom: Share


class DragParams(SteerParams):
    """The picture follows the hand: by how much of its width and height it is pulled right and down."""

    right: Step
    down: Step


class ZoomParams(SteerParams):
    """By how many tenths the picture grows (above 0) or shrinks."""

    steps: Annotated[float, Field(ge=-20, le=20, allow_inf_nan=False)]


class PushParams(SteerParams):
    """A stick that is pushed: a step each time, to be said again within BEAT_S. `right` and `down` as for a drag of the
    head (the picture goes the other way), `steps` as for zooming."""

    right: Step = 0.0
    down: Step = 0.0
    steps: Annotated[float, Field(ge=-20, le=20, allow_inf_nan=False)] = 0.0


class AimParams(SteerParams):
    """Where the head is to point, degrees in its own axes, and zoom 0..1; `pace` is a share of full speed."""

    pan_deg: Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]
    tilt_deg: Annotated[float, Field(ge=-180, le=180, allow_inf_nan=False)]
    zoom: Share
    pace: Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)] = 1.0


P = TypeVar("P", bound=SteerParams)


def by_hand(move: Callable[[LiveState, P, float], Outcome]) -> Callable[[LiveState, P, float], Outcome]:
    """A move of a hand: without effect when another hand has taken the camera from it."""

    @functools.wraps(move)
    def moved(state: LiveState, params: P, now_s: float) -> Outcome:
        camera = camera_meant(state, params.camera)
        allowed(state, camera, params.live)
        taken = touched(state, camera, params.hand, params.stroke, now_s)
        if taken is None:
            return Outcome(state)
        state, notices = taken
        outcome = move(state, params, now_s)
        return Outcome(outcome.state, notices + outcome.events, outcome.requests)

    return moved


def allowed(state: LiveState, camera: Camera, live: bool) -> None:
    """Raises ActionRefused when the camera may not or cannot be moved by hand now."""
    if not camera.steered:
        raise ActionRefused(f"Camera {camera.number} is fixed: it cannot be steered.")
    if not state.live(camera.id).answers:
        raise ActionRefused(f"Camera {camera.number} does not answer, so it cannot be steered.")
    if state.on_air(camera.id) and not live:
        raise ActionRefused(f"Camera {camera.number} is on air. Hold Ctrl to move it, slowly.")


def steerable(state: LiveState, camera: Camera, live: bool) -> Aim:
    """Where steering starts from: the goal while it is on its way, else where it stands. Raises ActionRefused."""
    allowed(state, camera, live)
    now = state.live(camera.id)
    if camera.recall_only:
        raise ActionRefused(
            f"Camera {camera.number} does not say where it stands: drag its picture, and turn the wheel to zoom."
        )
    if now.aim is None:
        raise ActionRefused(f"Camera {camera.number} does not say where it stands, so it cannot be steered.")
    return now.goal or now.aim


def blindly(state: LiveState, camera: Camera, now_s: float, request: Request) -> Outcome:
    """A camera that does not say where it stands is moved all the same: it is at none of its framings then."""
    gone = {"goal": None, "goal_framing_id": None, "left_framing_id": None}
    state = state.with_live(camera.id, **gone, asked_s=now_s, expected_s=now_s + BLIND_S)
    return Outcome(state.with_desk(row=camera.id), (), (request,))


def driven(state: LiveState, camera: Camera, now_s: float, right: float, up: float, zoom: float) -> Outcome:
    """Shares of full speed as the picture shows them."""
    most = BLIND_LIVE_PACE if state.on_air(camera.id) else camera.steer_pace
    sign = -1.0 if camera.place.hung else 1.0

    def held(value: float) -> float:
        return max(-most, min(most, value))

    return blindly(state, camera, now_s, Drive(camera.id, held(sign * right), held(sign * up), held(zoom)))


def _shot_of(state: LiveState, camera: Camera) -> Shot:
    """The shot that a camera is being steered in: Next or program if it is there, else as it was last sent."""
    for shot in (state.program.next, state.program.on_air):
        if shot is not None and shot.camera_id == camera.id:
            return shot
    return Shot(camera.id, state.live(camera.id).goal_framing_id)


def go(state: LiveState, camera: Camera, reached: Reached, now_s: float) -> Outcome:
    """Steer a camera to what it can reach of an aim, and name its row. Raises ActionRefused when it is on air."""
    shot = _shot_of(state, camera)
    framing = state.framing(shot)
    trim = reached.aim - framing.aim if framing else STILL
    state = state.with_desk(row=camera.id)
    if state.on_air(camera.id):
        outcome = switching.ease(state, shot, reached.aim, now_s, trim)
    else:
        outcome = switching.send(state, shot, reached.aim, now_s, trim, camera.steer_pace)
    if reached.limits_met:
        said = f"Camera {camera.number} goes as far as it can: {'; '.join(reached.limits_met)}."
        return outcome.saying(Notice(said, Severity.REFUSED))
    return outcome


def zoomed(camera: Camera, aim: Aim, steps: float) -> Aim:
    """An aim with the field of view a tenth narrower for each of `steps` (below 0: wider)."""
    lens = camera.lens
    return Aim(aim.pan_deg, aim.tilt_deg, lens.zoom_for(lens.hfov_deg(aim.zoom) / 1.1**steps))


def limited(camera: Camera, aim: Aim) -> Reached:
    """An aim as far as the head can reach it."""
    assert camera.head is not None
    return Reached(*camera.head.limits.clamp(aim))


def shifted(camera: Camera, aim: Aim, right: float, down: float) -> Reached:
    """The aim that brings a point to the middle, given as shares of the picture's width and height from its middle."""
    assert camera.head is not None
    u, v = HD.width * (0.5 + right), HD.height * (0.5 + down)
    return centre_on(u, v, aim, camera.lens, camera.head.limits, camera.place.hung)


@by_hand
def centre(state: LiveState, params: CentreParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    steerable(state, camera, params.live)
    seen = state.live(camera.id).aim  # what was clicked on is what the picture shows, not where it is going
    assert seen is not None
    return go(state, camera, shifted(camera, seen, params.x - 0.5, params.y - 0.5), now_s)


@by_hand
def box(state: LiveState, params: BoxParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    steerable(state, camera, params.live)
    seen, head = state.live(camera.id).aim, camera.head
    assert seen is not None
    assert head is not None
    pixels = (params.left * HD.width, params.top * HD.height, params.right * HD.width, params.bottom * HD.height)
    try:
        reached = fill_with(pixels, seen, camera.lens, head.limits, camera.place.hung)
    except ValueError as error:
        raise ActionRefused(f"Camera {camera.number} stays: {error}.") from None
    return go(state, camera, reached, now_s)


@by_hand
def drag(state: LiveState, params: DragParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    if camera.recall_only:
        allowed(state, camera, params.live)
        return driven(state, camera, now_s, -DRIVEN * params.right, DRIVEN * params.down, 0.0)
    start = steerable(state, camera, params.live)
    return go(state, camera, shifted(camera, start, -params.right, -params.down), now_s)


@by_hand
def zoom(state: LiveState, params: ZoomParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    if camera.recall_only:
        allowed(state, camera, params.live)
        return driven(state, camera, now_s, 0.0, 0.0, params.steps / 2)
    start = steerable(state, camera, params.live)
    return go(state, camera, limited(camera, zoomed(camera, start, params.steps)), now_s)


@by_hand
def push(state: LiveState, params: PushParams, now_s: float) -> Outcome:
    """A camera that is pushed stops by itself when it is not pushed again: what lets go may be lost on the way."""
    camera = camera_meant(state, params.camera)
    if camera.recall_only:
        allowed(state, camera, params.live)
        return driven(state, camera, now_s, DRIVEN * params.right, -DRIVEN * params.down, params.steps / 2)
    start = steerable(state, camera, params.live)
    if params.right or params.down:
        start = shifted(camera, start, params.right, params.down).aim
    reached = limited(camera, zoomed(camera, start, params.steps))
    beats = MappingProxyType({**state.guests.beats, camera.id: now_s + BEAT_S})
    return go(state.with_guests(beats=beats), camera, reached, now_s)


def beat_s(state: LiveState) -> float:
    """When the next camera stops that is not pushed any more, in clock time."""
    return min(state.guests.beats.values(), default=NEVER_S)


def without_beat(state: LiveState, camera_id: str) -> LiveState:
    """Nobody pushes it."""
    beats = {k: at_s for k, at_s in state.guests.beats.items() if k != camera_id}
    return state.with_guests(beats=MappingProxyType(beats)) if camera_id in state.guests.beats else state


def stop_pushed(state: LiveState, now_s: float) -> Outcome:
    """Cameras whose push was not said again stand still."""
    outcome = Outcome(state)
    for camera_id, at_s in state.guests.beats.items():
        if at_s <= now_s:
            camera = state.show.camera(camera_id)
            outcome = outcome.then(lambda s, gone=camera_id: Outcome(without_beat(s, gone)))  # type: ignore[misc]
            if camera is not None:
                outcome = outcome.then(lambda s, c=camera: _stopped(s, c, now_s))  # type: ignore[misc]
    return outcome


def aim(state: LiveState, params: AimParams, now_s: float) -> Outcome:
    """To an exact aim, as the camera stands: it belongs to no framing then, unless it is Next or on air."""
    camera = camera_meant(state, params.camera)
    steerable(state, camera, params.live)
    reached = limited(camera, Aim(params.pan_deg, params.tilt_deg, params.zoom))
    if reached.limits_met or state.on_air(camera.id) or state.is_next(camera.id):
        return go(state, camera, reached, now_s)
    return switching.send(state, Shot(camera.id), reached.aim, now_s, STILL, params.pace)


def stop(state: LiveState, params: StopParams, now_s: float) -> Outcome:
    """It stays where it is now: for a hand that is suddenly gone."""
    camera = camera_meant(state, params.camera)
    return _stopped(without_beat(state, camera.id), camera, now_s)


def _stopped(state: LiveState, camera: Camera, now_s: float) -> Outcome:
    live = state.live(camera.id)
    if not camera.steered or not live.answers:
        return Outcome(state)
    if camera.recall_only or live.aim is None:
        return blindly(state, camera, now_s, Drive(camera.id, 0.0, 0.0, 0.0))
    return go(state, camera, Reached(live.aim), now_s)


def _steered(id_: str, sentence: str, params: type[Params], run: Callable[[LiveState, Any, float], Outcome]) -> Action:
    """A move of a hand: guests may do it with the cameras that they are given."""
    return Action(
        id_, sentence, params, run, recordable=False, continuous=True, role=Role.OPERATOR, touches=camera_named
    )


ACTIONS = (
    _steered("steer.centre", "Centre camera {camera} on a point of its picture", CentreParams, centre),
    _steered("steer.box", "Fill camera {camera}'s frame with a box", BoxParams, box),
    _steered("steer.drag", "Pull camera {camera}'s picture", DragParams, drag),
    _steered("steer.zoom", "Zoom camera {camera}", ZoomParams, zoom),
    _steered("steer.push", "Push camera {camera}", PushParams, push),
    _steered("steer.stop", "Stop camera {camera}", StopParams, stop),
    Action("camera.aim", "Send camera {camera} to an aim", AimParams, aim),
)
