"""Mending framings that no longer hold: one by its measured offset, or all of a camera that was knocked."""

import math

from ribalta.core.base.aim import Aim
from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.actions.board import CameraNumber, FramingParams, camera_meant, framing_meant, locked
from ribalta.core.engine.program import switching
from ribalta.core.engine.program.framing_checks import away_m, bump_of, off_by
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.optics.bump import bumped_pose, corrected
from ribalta.core.optics.projection import HD, Reached, centre_on
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.ports.shots import Judgement, Shot
from ribalta.core.show.document.model import Camera, Framing

PLACED = ("x_m", "y_m", "z_m", "heading_deg", "tilt_deg", "roll_deg")


class LevelParams(Params):
    camera: CameraNumber


def nudged(camera: Camera, framing: Framing, right_percent: float, down_percent: float, growth: float) -> Reached:
    """The aim that brings the stored picture's middle back to the middle, and its size back."""
    assert camera.head is not None
    u, v = HD.width * (0.5 + right_percent / 100), HD.height / 2 + HD.width * down_percent / 100
    reached = centre_on(u, v, framing.aim, camera.lens, camera.head.limits, camera.place.hung)
    if abs(growth - 1) < 0.01:
        return reached
    zoom = camera.lens.zoom_for(camera.lens.hfov_deg(framing.zoom) * growth)
    return Reached(Aim(reached.aim.pan_deg, reached.aim.tilt_deg, zoom), reached.limits_met)


def nudge(state: LiveState, params: FramingParams, now_s: float) -> Outcome:
    framing = framing_meant(state, params)
    camera, verdict = state.show.camera(framing.camera_id), state.verdicts.get(framing.id)
    assert camera is not None
    if verdict is None or verdict.judgement is Judgement.UNCLEAR:
        raise ActionRefused(f"It was not measured how far “{framing.name}” is off: compare it first.")
    if verdict.judgement is Judgement.HOLDS:
        raise ActionRefused(f"“{framing.name}” shows what it did: there is nothing to mend.")
    if framing.protected:
        raise locked(state, framing)
    right, down = off_by(camera, framing, verdict)
    reached = nudged(camera, framing, right, down, verdict.growth)
    if reached.limits_met:
        raise ActionRefused(f"“{framing.name}” cannot be mended: {', '.join(reached.limits_met)}.")
    aim = reached.aim
    new = framing.model_copy(update={"pan_deg": aim.pan_deg, "tilt_deg": aim.tilt_deg, "zoom": aim.zoom})
    outcome = edited(
        state, state.show.with_framing(new), f"aimed “{framing.name}” anew by {math.hypot(right, down):.1f} %"
    )
    shot = Shot(camera.id, framing.id)
    if state.live(camera.id).goal_framing_id != framing.id:
        return outcome
    if state.on_air(camera.id):
        return outcome.then(lambda s: switching.ease(s, shot, aim, now_s))
    return outcome.then(lambda s: switching.send(s, shot, aim, now_s))


def level(state: LiveState, params: LevelParams, now_s: float) -> Outcome:
    """All framings of a camera, protected ones too, and the place of its mount: one edit."""
    camera = camera_meant(state, params.camera)
    if camera.head is None or camera.recall_only:
        raise ActionRefused(f"Camera {camera.number} cannot be re-levelled: it does not say where it points.")
    try:
        bump = bump_of(state, camera)
    except ValueError as error:
        raise ActionRefused(f"Camera {camera.number} cannot be re-levelled: {error}.") from None
    show, beyond = state.show, []
    for framing in state.show.framings:
        if framing.camera_id == camera.id:
            away = away_m(state, camera, framing)
            reached = corrected(framing.aim, bump, camera.head.limits, camera.place.hung, away, camera.lens)
            aim = reached.aim
            new = {"pan_deg": round(aim.pan_deg, 4), "tilt_deg": round(aim.tilt_deg, 4), "zoom": aim.zoom}
            show = show.with_framing(framing.model_copy(update=new))
            beyond += [framing.name] if reached.limits_met else []
    pose = bumped_pose(camera.place.pose, bump)
    place = {
        name: round(getattr(pose, name), 4) for name in ("x_m", "y_m", "z_m", "heading_deg", "tilt_deg", "roll_deg")
    }
    show = show.with_camera(camera.model_copy(update={"place": camera.place.model_copy(update=place)}))
    outcome = edited(state, show, f"re-levelled camera {camera.number}: {bump.words(camera.place.hung)}")
    if beyond:
        said = f"Out of reach of camera {camera.number} now, and aimed as near as it can: {', '.join(beyond)}."
        outcome = outcome.saying(Notice(said, Severity.FAULT))
    return outcome


ACTIONS = (
    Action("framing.nudge", "Aim framing {letter} anew by what was measured", FramingParams, nudge, stores=True),
    Action("camera.relevel", "Re-level camera {camera} after a bump", LevelParams, level, stores=True),
)
