"""Two inputs never fight over a camera: the last one to touch it wins, and that is said.

A touch is one press, drag or push of a stick, with a number of its own; the hand that was overruled has no effect
until it lets go and touches anew. A touch without a number is a single step.
"""

from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice
from ribalta.core.ports.shots import Hand
from ribalta.core.show.document.model import Camera

TOUCHING_S = 1.5  # how long after its last move a hand counts as still on the camera
KEPT = 6
CALLED = {"mouse": "the mouse", "keys": "the keyboard", "gamepad": "the gamepad"}


def touched(
    state: LiveState, camera: Camera, name: str, stroke: int, now_s: float
) -> tuple[LiveState, tuple[Notice, ...]] | None:
    """The state with this hand on the camera, and what is to be said; None when the touch was overruled."""
    live = state.live(camera.id)
    if stroke and (name, stroke) in live.overruled:
        return None
    hand, overruled = live.hand, live.overruled
    notices: tuple[Notice, ...] = ()
    fresh = hand is None or (hand.name, hand.stroke) != (name, stroke) or not stroke
    if hand is not None and hand.name != name and fresh and now_s - hand.at_s < TOUCHING_S:
        said = f"{called(name).capitalize()} steers camera {camera.number} now, no longer {called(hand.name)}."
        notices = (Notice(said),)
        if hand.stroke:
            overruled = (*overruled, (hand.name, hand.stroke))[-KEPT:]
    return state.with_live(camera.id, hand=Hand(name, stroke, now_s), overruled=overruled), notices


def called(name: str) -> str:
    """What a hand is called in a sentence."""
    return CALLED.get(name, name)
