"""Cameras that do not say where they stand: they go to memories of their own, and travel times are learned.

What is known of such a camera is which framing it was sent to, when, and that it said it had arrived.
"""

from ribalta.core.base.aim import Aim
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.document.model import Camera, Framing, Head, LearnedWay

MARGIN = 1.1
ARRIVED_AFTER_S = 0.1
LEARNING = 0.3
KEPT_WAYS = 400


def longest_s(head: Head) -> float:
    """From one end of every axis to the other: what a way that was never gone is taken to need."""
    start = Aim(head.pan_min_deg, head.tilt_min_deg, 0.0)
    return head.motion.travel_s(start, Aim(head.pan_max_deg, head.tilt_max_deg, 1.0))


def travel_s(camera: Camera, start: str | None, end: str) -> float:
    """What this way needed before; else what others to the same framing did; else the longest there can be."""
    ways = [way for way in camera.learned if way.end == end]
    known = [way.seconds for way in ways if way.start == start] or [max((w.seconds for w in ways), default=0.0)]
    if known[0] > 0:
        return known[0] * MARGIN
    return longest_s(camera.head) if camera.head is not None else 0.0


def sent(state: LiveState, camera: Camera, framing: Framing, now_s: float) -> LiveState:
    """It has been told to go to a framing's memory."""
    live = state.live(camera.id)
    left = live.goal_framing_id if live.expected_s <= now_s else None
    needed_s = 0.0 if left == framing.id else travel_s(camera, left, framing.id)
    return state.with_live(
        camera.id,
        goal=framing.aim,
        goal_framing_id=framing.id,
        left_framing_id=left,
        asked_s=now_s,
        asked_travel_s=needed_s,
        expected_s=now_s + needed_s,
    )


def arrived(state: LiveState, camera_id: str, now_s: float) -> LiveState:
    """It says that it is there: it is set a moment later, and the time that it needed is kept with the show."""
    live, camera = state.live(camera_id), state.show.camera(camera_id)
    if camera is None or not camera.recall_only or live.goal_framing_id is None or live.asked_travel_s <= 0:
        return state
    seconds = max(0.05, now_s - live.asked_s)
    state = state.with_live(camera_id, expected_s=min(live.expected_s, now_s + ARRIVED_AFTER_S))
    same = [w for w in camera.learned if (w.start, w.end) == (live.left_framing_id, live.goal_framing_id)]
    if same:
        seconds = same[0].seconds + LEARNING * (seconds - same[0].seconds)
    way = LearnedWay(start=live.left_framing_id, end=live.goal_framing_id, seconds=round(seconds, 3))
    others = tuple(w for w in camera.learned if w not in same)
    learned = (*others, way)[-KEPT_WAYS:]
    return state.with_(show=state.show.with_camera(camera.model_copy(update={"learned": learned})))
