"""Trim: a small correction away from the stored framing, kept for this visit, then stored back or dropped.

Trims are in shares of the frame. On air they need `live`, and are eased.
"""

from typing import Annotated, Any

from pydantic import Field

from ribalta.core.base.aim import STILL, Aim
from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.actions.board import CameraNumber, camera_meant, locked
from ribalta.core.engine.actions.cameras.steering import (
    HandParams,
    Step,
    allowed,
    blindly,
    driven,
    go,
    shifted,
    steerable,
    zoomed,
)
from ribalta.core.engine.program import switching
from ribalta.core.engine.program.landing import stands
from ribalta.core.engine.program.manual_control import touched
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.optics.projection import HD, offset_percent
from ribalta.core.ports.messages import Notice, PictureWanted, TurnBy
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Camera, Framing

AHEAD_PERCENT = 6.0
LARGEST_PERCENT = 40.0  # of the width: further off it is another view
THERE_PERCENT = 0.4  # of the width: as near as a picture has to be to the aim that it is stored with


class TrimParams(HandParams):
    """In shares of the frame: 0.02 to the right moves the view right by 2 % of its width. Next's camera, if none."""

    camera: CameraNumber | None = None
    right: Step = 0.0
    up: Step = 0.0
    zoom_steps: Annotated[float, Field(ge=-20, le=20, allow_inf_nan=False)] = 0.0
    live: Annotated[bool, Field(description="move the camera even on air, slowly")] = False
    hand: Annotated[str, Field(min_length=1, max_length=40)] = "keys"


class TrimmedParams(Params):
    """The camera that is trimmed: Next's, or else the one on air, if none is given."""

    camera: CameraNumber | None = None


def trim(state: LiveState, params: TrimParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera) if params.camera is not None else _next(state)
    allowed(state, camera, params.live)
    taken = touched(state, camera, params.hand, params.stroke, now_s)
    if taken is None:
        return Outcome(state)
    state, notices = taken
    if camera.recall_only:
        outcome = _trim_blindly(state, camera, params, now_s)
    else:
        start = zoomed(camera, _start(state, camera, params.live), params.zoom_steps)
        outcome = go(state, camera, shifted(camera, start, params.right, -params.up), now_s)
    return Outcome(outcome.state, notices + outcome.events, outcome.requests)


def _start(state: LiveState, camera: Camera, live: bool) -> Aim:
    """The goal, or on air not more than a little ahead of the head: it stops soon after it is let go."""
    goal, here = steerable(state, camera, live), state.live(camera.id).aim
    if not state.on_air(camera.id) or here is None:
        return goal
    ahead = offset_percent(here, goal, camera.lens)
    share = min(1.0, AHEAD_PERCENT / ahead) if ahead > 0 else 1.0
    way = goal - here
    return here + Aim(way.pan_deg * share, way.tilt_deg * share, way.zoom * share)


def _next(state: LiveState) -> Camera:
    """Next's camera. Raises ActionRefused when there is none."""
    shot = state.program.next
    if shot is None:
        raise ActionRefused("Nothing is readied, so there is nothing to trim.")
    camera = state.show.camera(shot.camera_id)
    if camera is None:
        raise ActionRefused(f"“{state.shot_words(shot)}” is Next: it has no camera to trim.")
    return camera


def _trim_blindly(state: LiveState, camera: Camera, params: TrimParams, now_s: float) -> Outcome:
    """By the angle that the middle of its zoom would need: how far it is zoomed in is not known."""
    if params.zoom_steps:
        return driven(state, camera, now_s, 0.0, 0.0, params.zoom_steps / 2)
    per_width, sign = camera.lens.hfov_deg(0.5), -1.0 if camera.place.hung else 1.0
    way = (sign * params.right * per_width, sign * params.up * per_width * HD.height / HD.width)
    return blindly(state, camera, now_s, TurnBy(camera.id, *way))


def _trimmed(state: LiveState, params: TrimmedParams) -> tuple[Camera, Framing]:
    """Raises ActionRefused when there is no trim."""
    if params.camera is not None:
        camera = camera_meant(state, params.camera)
    else:
        shots = [
            s
            for s in (state.program.next, state.program.on_air)
            if s is not None and state.live(s.camera_id).trim != STILL
        ]
        if not shots:
            raise ActionRefused("Nothing is trimmed.")
        camera = state.camera(shots[0])
    live = state.live(camera.id)
    framing = state.show.framing(live.goal_framing_id) if live.goal_framing_id is not None else None
    if framing is None or live.trim == STILL:
        raise ActionRefused(f"Camera {camera.number} is not trimmed.")
    return camera, framing


def keep(state: LiveState, params: TrimmedParams, now_s: float) -> Outcome:
    """The trimmed aim becomes the framing's own, and its picture is taken anew."""
    camera, framing = _trimmed(state, params)
    if framing.protected:
        raise locked(state, framing)
    live, number = state.live(camera.id), state.show.next_number
    assert camera.head is not None
    aim, _ = camera.head.limits.clamp(framing.aim + live.trim)
    if offset_percent(aim, framing.aim, camera.lens) > LARGEST_PERCENT:
        raise ActionRefused(
            f"That is more than a trim: “{framing.name}” keeps its aim. Store the view on a free letter, or keep"
            f" Shift+{framing.letter} down to replace it."
        )
    arrived = live.aim is not None and offset_percent(live.aim, aim, camera.lens) < THERE_PERCENT
    if not arrived or not stands(state, camera, now_s):
        raise ActionRefused(f"Camera {camera.number} is still on its way: keep the trim when it stands.")
    changes: dict[str, Any] = {"pan_deg": aim.pan_deg, "tilt_deg": aim.tilt_deg, "zoom": aim.zoom, "seen": True}
    wanted: tuple[PictureWanted, ...] = ()
    if live.picture:
        changes |= {"picture": f"{framing.id}-{number}.jpg", "pictured_at_s": now_s + state.wall_clock.offset_s}
        wanted = (PictureWanted(camera.id, f"{framing.id}-{number}.jpg"),)
    show = state.show.with_framing(framing.model_copy(update=changes)).model_copy(update={"next_number": number + 1})
    outcome = edited(state, show, f"stored the trim with “{framing.name}”")
    after = outcome.state.with_live(camera.id, goal=aim, trim=STILL)
    return Outcome(after, (*wanted, *outcome.events), outcome.requests)


def drop(state: LiveState, params: TrimmedParams, now_s: float) -> Outcome:
    """Back to the stored framing; on air slowly."""
    camera, framing = _trimmed(state, params)
    shot = Shot(camera.id, framing.id)
    said = Notice(f"The trim of “{framing.name}” is dropped.")
    if state.on_air(camera.id):
        return switching.ease(state, shot, framing.aim, now_s).saying(said)
    return switching.send(state, shot, framing.aim, now_s).saying(said)


def _trim_keys(prefix: str, step: float, zoom_steps: float) -> dict[str, dict[str, float]]:
    return {
        f"{prefix}Left": {"right": -step},
        f"{prefix}Right": {"right": step},
        f"{prefix}Up": {"up": step},
        f"{prefix}Down": {"up": -step},
        f"{prefix}+": {"zoom_steps": zoom_steps},
        f"{prefix}=": {"zoom_steps": zoom_steps},
        f"{prefix}-": {"zoom_steps": -zoom_steps},
    }


ACTIONS = (
    Action(
        "trim",
        "Trim the camera of Next",
        TrimParams,
        trim,
        _trim_keys("", 0.02, 0.5) | _trim_keys("Ctrl+", 0.005, 0.1),
        continuous=True,
        repeats=True,
    ),
    Action(
        "trim.keep", "Store the trim with its framing", TrimmedParams, keep, {"K": {}}, stores=True, continuous=True
    ),
    Action("trim.drop", "Drop the trim", TrimmedParams, drop, {"O": {}}, continuous=True),
)
