"""Is a framing still true? What a comparison of its stored picture with the live one means, and what a bump did."""

import math
from dataclasses import replace

from ribalta.core.engine.program.landing import set_at_s
from ribalta.core.engine.state.live import LiveState
from ribalta.core.optics.bump import Bump, Offset, solve_bump
from ribalta.core.optics.projection import HD, pan_tilt_to_pixel, pixel_to_pan_tilt
from ribalta.core.picture.comparison import CHANGED, SURE, SURE_NEAR
from ribalta.core.ports.messages import Compared
from ribalta.core.ports.shots import Judgement, Shot, Verdict
from ribalta.core.show.document.model import Camera, Framing

OFF_PERCENT = 1.0  # at the least: a finer tolerance for landing does not make pictures stale


def judged(state: LiveState, report: Compared, now_s: float) -> LiveState:
    """A framing that is not there any more is not judged."""
    framing = state.show.framing(report.framing_id)
    if framing is None:
        return state
    numbers = (report.right_percent, report.down_percent, report.turn_deg, report.growth, report.sure)
    verdict = Verdict(Judgement.HOLDS, *numbers, now_s, report.looked)
    limit = max(OFF_PERCENT, state.show.settings.tolerance_percent)
    judgement = Judgement.HOLDS
    enough = SURE_NEAR if verdict.off_percent < limit else SURE
    if report.sure < enough:
        judgement = Judgement.UNCLEAR
    elif report.looked != framing.aim or verdict.off_percent > limit:
        judgement = Judgement.OFF
    elif report.alike < CHANGED:
        judgement = Judgement.CHANGED
    return state.with_verdict(report.framing_id, replace(verdict, judgement=judgement))


def off_by(camera: Camera, framing: Framing, verdict: Verdict) -> tuple[float, float]:
    """Where the middle of the stored picture would be at the framing's own aim: % of the width right and down."""
    if verdict.looked == framing.aim:
        return verdict.right_percent, verdict.down_percent
    u, v = HD.width * (0.5 + verdict.right_percent / 100), HD.height / 2 + HD.width * verdict.down_percent / 100
    pan, tilt = pixel_to_pan_tilt(u, v, verdict.looked, camera.lens, camera.place.hung)
    seen = pan_tilt_to_pixel(pan, tilt, framing.aim, camera.lens, camera.place.hung)
    if seen is None:
        return verdict.right_percent, verdict.down_percent
    return 100 * (seen[0] / HD.width - 0.5), 100 * (seen[1] - HD.height / 2) / HD.width


def comparable(state: LiveState, camera_id: str, now_s: float) -> Framing | None:
    """The framing whose stored picture a camera should be showing now: it is set there, untrimmed."""
    live = state.live(camera_id)
    framing = state.show.framing(live.goal_framing_id) if live.goal_framing_id is not None else None
    if framing is None or framing.camera_id != camera_id or not live.picture or live.goal != framing.aim:
        return None
    return framing if set_at_s(state, Shot(camera_id, framing.id)) <= now_s else None


def offsets(state: LiveState, camera: Camera) -> tuple[Offset, ...]:
    """What was surely measured of a camera's framings since their aims were last changed."""
    found = []
    for framing in state.show.framings:
        verdict = state.verdicts.get(framing.id)
        if framing.camera_id == camera.id and verdict is not None and verdict.judgement is not Judgement.UNCLEAR:
            measured = (verdict.right_percent, verdict.down_percent, verdict.turn_deg)
            hfov_deg, away = camera.lens.hfov_deg(framing.zoom), away_m(state, camera, framing)
            found.append(Offset(framing.name, framing.aim, verdict.looked, hfov_deg, *measured, away))
    return tuple(found)


def away_m(state: LiveState, camera: Camera, framing: Framing) -> float | None:
    """How far off the marks of a framing are, on the mean; None when it has none."""
    marks = [mark for mark_id in framing.mark_ids if (mark := state.show.mark(mark_id)) is not None]
    place = camera.place
    if not marks:
        return None
    eye = (place.x_m, place.y_m, place.z_m)
    each = [math.dist((m.x_m, m.y_m, m.height_m), eye) for m in marks]
    return max(0.3, sum(each) / len(each))


def bump_of(state: LiveState, camera: Camera) -> Bump:
    """What a knock did to a camera, from its measured framings. Raises ValueError when they are too few."""
    return solve_bump(offsets(state, camera), camera.place.hung)
