"""Every recall on a show teaches a little about its camera's travel times; see `core/motion/learning.py`.

Only a move at full pace that began at rest and came to rest at its goal teaches anything. What is learned belongs to
the show, like what was measured, but it is no edit: it is not undone and not announced.
"""

from ribalta.core.engine.program.landing import NEVER_S, set_at_s
from ribalta.core.engine.state.live import LiveState
from ribalta.core.motion.learning import Timed, nudged
from ribalta.core.ports.shots import Shot

FULL_PACE = 0.99


def learn(state: LiveState, camera_id: str) -> LiveState:
    """Called after each report of a position: if the camera has just become set, its head is corrected a little."""
    live, camera = state.live(camera_id), state.show.camera(camera_id)
    if live.asked_from is None or live.goal is None or live.still_since_s is None:
        return state
    if live.still_since_s <= live.asked_s or set_at_s(state, Shot(camera_id)) == NEVER_S:
        return state  # it has not left yet, or it stands somewhere else
    move = Timed(live.asked_from, live.goal, live.still_since_s - live.asked_s, live.pace)
    state = state.with_live(camera_id, asked_from=None)
    if camera is None or camera.head is None or live.pace < FULL_PACE:
        return state
    motion = camera.head.motion
    learned = nudged(motion, move)
    if learned is motion:
        return state
    return state.with_learned(camera, camera.model_copy(update={"head": camera.head.moving_as(learned)}))
