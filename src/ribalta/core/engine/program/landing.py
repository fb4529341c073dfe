"""Is a camera set, on its way, or off? All judgement of readiness is in this file.

A camera counts as set at an aim when its reports put it within the tolerance (a share of the frame's width at
that zoom), standing still, for at least as long as its picture lags behind its head: what matters is what the
picture shows at the cut. A picture that is late, with a newest frame from before that, keeps it from being set.
"""

from ribalta.core.base.aim import STILL, Aim
from ribalta.core.engine.program import camera_memories
from ribalta.core.engine.state.live import LiveState, sources_of
from ribalta.core.optics.projection import offset_percent
from ribalta.core.ports.shots import CameraLive, LandingState, Shot
from ribalta.core.show.document.model import Camera

STALLED_AFTER_S = 1.5
LATE_SHOWN_S = 0.5
NEVER_S = float("inf")
WORST = (LandingState.NO_CONTACT, LandingState.OFF, LandingState.TRAVELLING, LandingState.SET)


def parts(state: LiveState, shot: Shot) -> tuple[Shot, ...]:
    """The cameras of a shot with what each of them has to show: of a scene, and of Next with what lies over it, all.

    Cameras that are no longer there are left out; media need no landing.
    """
    cameras = (shot.base,) if state.show.camera(shot.camera_id) is not None else ()
    if shot.scene_id is None and (shot is not state.program.next or not state.has_overlays):
        return cameras
    layers = state.overlays_of(shot).layers
    sources = (s for layer in layers for s in sources_of(layer) if state.show.camera(s.camera_id or "") is not None)
    return tuple(dict.fromkeys((*cameras, *(Shot(s.camera_id or "", s.framing_id) for s in sources))))


def error_percent(state: LiveState, shot: Shot) -> float | None:
    """How far the cameras' last reports are from the shot, in % of frame width, the worst; None as they stand or
    unknown."""
    errors = [e for part in parts(state, shot) if (e := _error_percent(state, part)) is not None]
    return max(errors, default=None)


def set_at_s(state: LiveState, shot: Shot) -> float:
    """From when on the shot counts as set if no new report comes; infinite when it would not."""
    return max((_set_at_s(state, part) for part in parts(state, shot)), default=0.0)


def landing_state(state: LiveState, shot: Shot, now_s: float) -> LandingState:
    """Of several cameras the worst."""
    if len(those := parts(state, shot)) == 1:
        return _landing_state(state, those[0], now_s)
    found = [_landing_state(state, part, now_s) for part in those]
    return next((s for s in WORST if s in found), LandingState.SET)


def time_to_set_s(state: LiveState, shot: Shot, now_s: float) -> float | None:
    """Seconds until the shot would count as set if its cameras went there now, or go there already.

    0 when it is set; None when nothing is known (no contact, no report yet).
    """
    if len(those := parts(state, shot)) == 1:
        return _time_to_set_s(state, those[0], now_s)
    times = [_time_to_set_s(state, part, now_s) for part in those]
    return None if None in times else max((t for t in times if t is not None), default=0.0)


def target_of(state: LiveState, shot: Shot) -> Aim | None:
    """The aim that a shot asks of its camera, with the trim of this visit; None for a shot as it stands."""
    framing = state.framing(shot)
    if framing is None:
        return None
    live = state.live(shot.camera_id)
    return framing.aim + (live.trim if live.goal_framing_id == framing.id else STILL)


def _error_percent(state: LiveState, shot: Shot) -> float | None:
    """How far the camera's last report is from the shot, in % of frame width; None as it stands or unknown."""
    target, live = target_of(state, shot), state.live(shot.camera_id)
    if target is None or live.aim is None or state.camera(shot).recall_only:
        return None
    return offset_percent(live.aim, target, state.camera(shot).lens)


def _set_at_s(state: LiveState, shot: Shot) -> float:
    """From when on the shot counts as set if no new report comes; infinite when it would not."""
    camera, live = state.camera(shot), state.live(shot.camera_id)
    if not camera.steered:
        return 0.0 if live.picture else NEVER_S
    if camera.recall_only:
        there = live.answers and shot.framing_id in (None, live.goal_framing_id)
        return live.expected_s + camera.picture.delay_s if there else NEVER_S
    if not live.answers or live.aim is None or live.still_since_s is None:
        return NEVER_S
    error = _error_percent(state, shot)
    if error is not None and error > state.show.settings.tolerance_percent:
        return NEVER_S
    if error is None and live.goal is not None and not _at(camera, live, state):
        return NEVER_S
    if not seen_standing(camera, live):
        return NEVER_S
    return max(live.still_since_s + camera.picture.delay_s, live.seen_s)


def seen_standing(camera: Camera, live: CameraLive) -> bool:
    """Is there a frame since a camera that stands still has come to rest?

    True while its frames come as they should, and when they have become late only after it was set.
    """
    if live.newest_s is None or live.still_since_s is None:
        return True
    return max(live.newest_s, live.late_s) >= live.still_since_s + camera.picture.delay_s


def waits_for_picture(state: LiveState, shot: Shot, now_s: float) -> bool:
    """Is a camera of the shot only not set because its picture is late, and has been for a while?"""
    lives = [(state.camera(part), state.live(part.camera_id)) for part in parts(state, shot)]
    return any(
        not seen_standing(camera, live) and live.newest_s is not None and now_s - live.newest_s > LATE_SHOWN_S
        for camera, live in lives
    )


def stands(state: LiveState, camera: Camera, now_s: float) -> bool:
    """Has the head stood still for so long that its picture shows where it is?"""
    since_s = state.live(camera.id).still_since_s
    return since_s is not None and since_s + camera.picture.delay_s <= now_s


def _landing_state(state: LiveState, shot: Shot, now_s: float) -> LandingState:
    camera, live = state.camera(shot), state.live(shot.camera_id)
    if not (live.answers if camera.steered else live.picture):
        return LandingState.NO_CONTACT
    if _set_at_s(state, shot) <= now_s:
        return LandingState.SET
    target = target_of(state, shot)
    asked = target is None or live.goal == target
    if camera.recall_only:
        return LandingState.TRAVELLING if live.expected_s > now_s and asked else LandingState.OFF
    still = live.still_since_s is not None and now_s - max(live.still_since_s, live.asked_s) > STALLED_AFTER_S
    return LandingState.TRAVELLING if asked and not still else LandingState.OFF


def _time_to_set_s(state: LiveState, shot: Shot, now_s: float) -> float | None:
    """Seconds until the shot would count as set if its camera went there now, or goes there already.

    0 when it is set; None when nothing is known (no contact, no report yet).
    """
    camera, live = state.camera(shot), state.live(shot.camera_id)
    if camera.head is None:
        return 0.0 if live.picture else None
    if camera.recall_only:
        return _recall_s(state, camera, shot, now_s)
    if not live.answers or live.aim is None:
        return None
    if (set_at := _set_at_s(state, shot)) < NEVER_S:
        return max(0.0, set_at - now_s)
    target = target_of(state, shot) or live.goal or live.aim
    going = live.goal == target
    if going and live.due_s is not None and now_s < live.due_s:
        return live.due_s - now_s + camera.head.settle_s + camera.picture.delay_s
    motion = camera.head.motion.at_pace(live.pace if going else camera.recall_pace)
    if going and live.velocity != STILL:
        left = motion.moving_s(live.aim, target, live.velocity) + motion.settle_s
        left -= max(0.0, now_s - live.sampled_s)
    else:
        left = motion.travel_s(live.aim, target, live.velocity)
        left -= max(0.0, now_s - live.asked_s) if going else 0.0
    return max(0.0, left) + camera.picture.delay_s


def _recall_s(state: LiveState, camera: Camera, shot: Shot, now_s: float) -> float | None:
    live = state.live(camera.id)
    if not live.answers:
        return None
    if shot.framing_id in (None, live.goal_framing_id):
        return max(0.0, _set_at_s(state, shot) - now_s)
    framing = state.framing(shot)
    if framing is None or framing.memory is None:
        return None
    start = live.goal_framing_id if live.expected_s <= now_s else None
    return camera_memories.travel_s(camera, start, framing.id) + camera.picture.delay_s


def progress(state: LiveState, shot: Shot, now_s: float) -> float:
    """Share of the way that is done, 0 to 1, measured in time."""
    return min((_progress(state, part, now_s) for part in parts(state, shot)), default=1.0)


def _progress(state: LiveState, shot: Shot, now_s: float) -> float:
    left, live = _time_to_set_s(state, shot, now_s), state.live(shot.camera_id)
    if left is None:
        return 0.0
    if left <= 0:
        return 1.0
    return min(0.99, max(0.0, 1 - left / max(left, live.asked_travel_s)))


def image_speed_percent_s(camera: Camera, live: CameraLive) -> float:
    """How fast the picture moves, in % of the frame's width a second."""
    if live.aim is None or live.velocity == STILL:
        return 0.0
    step_s = 0.01
    step = Aim(live.velocity.pan_deg * step_s, live.velocity.tilt_deg * step_s, live.velocity.zoom * step_s)
    return offset_percent(live.aim + step, live.aim, camera.lens) / step_s


def _at(camera: Camera, live: CameraLive, state: LiveState) -> bool:
    assert live.aim is not None
    assert live.goal is not None
    return offset_percent(live.aim, live.goal, camera.lens) <= state.show.settings.tolerance_percent
