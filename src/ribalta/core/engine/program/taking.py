"""A take by the landing rule: at once, held until every camera is set, or through the cover shot meanwhile."""

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.program import switching
from ribalta.core.engine.program.landing import landing_state, parts, set_at_s
from ribalta.core.engine.state.action import Outcome
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.document.model import LandingRule
from ribalta.core.show.document.scenes import CUT, Transition


def take_with(state: LiveState, transition: Transition, now_s: float) -> Outcome:
    """Next goes on air with a transition. Raises ActionRefused when nothing is readied."""
    if state.program.in_transition is not None:
        return switching.end_change(state, now_s, True).saying(Notice("The transition was finished at once."))
    shot = state.program.next
    if shot is None:
        raise ActionRefused("Nothing is readied. Press a camera's number, then a framing's letter.")
    if state.program.held is not None:
        return switching.put_on_air(state, shot, transition, now_s, now_s - state.program.held.since_s, True)
    rule = state.show.settings.landing_rule
    if rule is LandingRule.STRAIGHT or set_at_s(state, shot) <= now_s:
        return switching.put_on_air(state, shot, transition, now_s, 0.0, False)
    outcome = switching.hold(state, shot, transition, now_s)
    if landing_state(state, shot, now_s) is LandingState.NO_CONTACT:
        lost = next(p for p in parts(state, shot) if landing_state(state, p, now_s) is LandingState.NO_CONTACT)
        number = state.camera(lost).number
        said = f"Camera {number} does not answer, so the take waits. Take again to cut anyway; Escape lets go."
        outcome = outcome.saying(Notice(said, Severity.FAULT))
    else:
        late = next((p for p in parts(state, shot) if state.live(p.camera_id).newest_s is not None), None)
        if late is not None:
            number = state.camera(late).number
            said = f"The picture of camera {number} is late, so the take waits for it. Take again to cut anyway."
            outcome = outcome.saying(Notice(said))
    cover_id = state.show.settings.cover_camera_id
    if rule is LandingRule.COVER and cover_id and not state.on_air(cover_id) and cover_id != shot.camera_id:
        held = outcome.state.program.held
        covered = outcome.then(lambda s: switching.put_on_air(s, Shot(cover_id), CUT, now_s, 0.0, False))
        return Outcome(covered.state.with_program(held=held), covered.events, covered.requests)
    return outcome
