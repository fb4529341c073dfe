"""Ready and take: what is next and what goes out."""

from typing import Annotated

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine import programme
from ribalta.core.engine.action import Action, NoParams, Outcome, Params, edited, turned_down
from ribalta.core.engine.actions.board import CameraNumber, FramingParams, camera_meant, reachable_framing_meant
from ribalta.core.engine.landing import landing_state, set_at_s
from ribalta.core.engine.messages import Notice, Severity
from ribalta.core.engine.shots import LandingState, Shot
from ribalta.core.engine.state import LiveState
from ribalta.core.show.model import LETTERS, LandingRule


class CameraParams(Params):
    camera: CameraNumber


class ReadyFramingParams(FramingParams):
    live: Annotated[bool, Field(description="move the camera even on air, in a given time")] = False
    seconds: Annotated[float | None, Field(ge=0.5, le=120, description="of such a move; the show's own if none")] = None


class LiveMoveParams(Params):
    seconds: Annotated[float, Field(ge=0.5, le=60, allow_inf_nan=False)]


class TakeMixParams(Params):
    frames: Annotated[int, Field(ge=1, le=250)] | None = None


def ready_camera(state: LiveState, params: CameraParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    state = state.with_(row=camera.id)
    if state.on_air(camera.id):
        return turned_down(
            state, f"Camera {camera.number} is on air. A letter now queues one of its framings for afterwards."
        )
    return programme.ready(state, Shot(camera.id), now_s)


def name_row(state: LiveState, params: CameraParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    return Outcome(state.with_(row=camera.id))


def ready_framing(state: LiveState, params: ReadyFramingParams, now_s: float) -> Outcome:
    framing = reachable_framing_meant(state, params)
    shot = Shot(framing.camera_id, framing.id)
    state = state.with_(row=framing.camera_id)
    if not state.on_air(framing.camera_id):
        return programme.ready(state, shot, now_s)
    if not params.live:
        return programme.busy_on_air(state, shot, framing, now_s)
    if state.mixing:
        raise ActionRefused("A mix is running: wait for its end before moving a camera on air.")
    asked_s = params.seconds or state.show.settings.live_move_s
    outcome = programme.move_live(state, shot, now_s, asked_s)
    due_s = outcome.state.live(framing.camera_id).due_s
    said = f"Camera {state.camera(shot).number} moves on air to “{framing.name}”"
    if due_s is None:
        return outcome.saying(Notice(f"{said}."))
    in_s = due_s - now_s
    short = f" It cannot in {asked_s:g} s." if in_s > asked_s + 0.05 else ""
    return outcome.saying(Notice(f"{said}, in {in_s:.1f} s.{short}"))


def live_move(state: LiveState, params: LiveMoveParams, now_s: float) -> Outcome:
    settings = state.show.settings.model_copy(update={"live_move_s": params.seconds})
    show = state.show.model_copy(update={"settings": settings})
    return edited(state, show, f"set moves on air to {params.seconds:g} s")


def queue_framing(state: LiveState, params: FramingParams, now_s: float) -> Outcome:
    framing = reachable_framing_meant(state, params)
    return programme.queue(state.with_(row=framing.camera_id), Shot(framing.camera_id, framing.id), now_s)


def _take(state: LiveState, frames: int, now_s: float) -> Outcome:
    if state.mixing is not None:
        return programme.end_mix(state, now_s).saying(Notice("The mix was finished at once."))
    shot = state.next
    if shot is None:
        raise ActionRefused("Nothing is readied. Press a camera's number, then a framing's letter.")
    if state.held is not None:
        return programme.put_on_air(state, shot, frames, now_s, now_s - state.held.since_s, True)
    rule = state.show.settings.landing_rule
    if rule is LandingRule.STRAIGHT or set_at_s(state, shot) <= now_s:
        return programme.put_on_air(state, shot, frames, now_s, 0.0, False)
    outcome = programme.hold(state, shot, frames, now_s)
    if landing_state(state, shot, now_s) is LandingState.NO_CONTACT:
        number = state.camera(shot).number
        said = f"Camera {number} does not answer, so the take waits. Take again to cut anyway; Escape lets go."
        outcome = outcome.saying(Notice(said, Severity.FAULT))
    cover_id = state.show.settings.cover_camera_id
    if rule is LandingRule.COVER and cover_id and not state.on_air(cover_id) and cover_id != shot.camera_id:
        held = outcome.state.held
        covered = outcome.then(lambda s: programme.put_on_air(s, Shot(cover_id), 0, now_s, 0.0, False))
        return Outcome(covered.state.with_(held=held), covered.events, covered.requests)
    return outcome


def take(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    return _take(state, 0, now_s)


def take_mix(state: LiveState, params: TakeMixParams, now_s: float) -> Outcome:
    return _take(state, params.frames or state.show.settings.mix_frames, now_s)


def take_back(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    if state.next is None:
        raise ActionRefused("Nothing is readied, so there is nothing to take back.")
    return programme.take_back(state, now_s)


def let_go(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    if state.held is None:
        return Outcome(state)
    return Outcome(state.with_(held=None), (Notice("The held take was let go. Next stays ready."),))


def cover(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    cover_id = state.show.settings.cover_camera_id
    if cover_id is None:
        raise ActionRefused("This show has no cover camera yet.")
    state = state.with_(held=None)
    if state.program == Shot(cover_id) and state.mixing is None:
        return turned_down(state, "The cover shot is on air already.")
    return programme.put_on_air(state, Shot(cover_id), 0, now_s, 0.0, False)


ACTIONS = (
    Action(
        "ready.camera",
        "Ready camera {camera} as it stands",
        CameraParams,
        ready_camera,
        {str(n): {"camera": n} for n in range(1, 10)},
    ),
    Action(
        "row.name",
        "Name row {camera} for the letters, without readying it",
        CameraParams,
        name_row,
        {f"Alt+{n}": {"camera": n} for n in range(1, 10)},
    ),
    Action(
        "ready.framing",
        "Ready framing {letter} of the named row",
        ReadyFramingParams,
        ready_framing,
        {x: {"letter": x} for x in LETTERS} | {f"Ctrl+Shift+{x}": {"letter": x, "live": True} for x in LETTERS},
    ),
    Action(
        "queue.framing",
        "Put framing {letter} of the named row under Then",
        FramingParams,
        queue_framing,
        {f"Alt+{x}": {"letter": x} for x in LETTERS},
    ),
    Action("live_move.seconds", "Set how long a move on air takes", LiveMoveParams, live_move),
    Action("take", "Cut to Next", NoParams, take, {"Space": {}}),
    Action("take.mix", "Mix to Next", TakeMixParams, take_mix, {"Return": {}, "Enter": {}}),
    Action("take.back", "Take Next back", NoParams, take_back, {"Backspace": {}}),
    Action("take.let_go", "Let go of a held take", NoParams, let_go, {"Esc": {}}),
    Action("cover", "Cut to the cover shot", NoParams, cover, {"Tab": {}}),
)
