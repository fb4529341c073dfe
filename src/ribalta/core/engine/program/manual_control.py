"""Two inputs never fight over a camera: the last one to touch it wins, and that is said.

A touch is one press, drag or push of a stick, with a number of its own; the hand that was overruled has no effect
until it lets go and touches anew. A touch without a number is a single step.

A guest's touch holds the camera for a few seconds, so that no other guest takes it; a hand at a desk takes it at once.
"""

from types import MappingProxyType

from ribalta.core.engine.state.guests import GUEST_HAND
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.guests import Hold
from ribalta.core.ports.messages import Notice
from ribalta.core.ports.shots import Hand
from ribalta.core.show.document.model import Camera

HOLDS_S = 10.0  # how long a guest's touch keeps other guests away
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
    hand = live.hand
    notices: tuple[Notice, ...] = ()
    fresh = hand is None or (hand.name, hand.stroke) != (name, stroke) or not stroke
    if hand is not None and hand.name != name and fresh and now_s - hand.at_s < TOUCHING_S:
        before, by = called(state, hand.name), called(state, name)
        said = f"{by[0].upper()}{by[1:]} steers camera {camera.number} now, no longer {before}."
        notices = (Notice(said),)
        state = overruled(state, camera)
    state = _held(state, camera, name, now_s)
    return state.with_live(camera.id, hand=Hand(name, stroke, now_s)), notices


def overruled(state: LiveState, camera: Camera) -> LiveState:
    """With the touch that is on a camera without effect from now on."""
    live = state.live(camera.id)
    if live.hand is None or not live.hand.stroke:
        return state
    return state.with_live(camera.id, overruled=(*live.overruled, (live.hand.name, live.hand.stroke))[-KEPT:])


def _held(state: LiveState, camera: Camera, name: str, now_s: float) -> LiveState:
    """With the camera held by the guest whose hand it is; a hand at a desk frees it."""
    hold, guest = state.guests.holds.get(camera.id), name.removeprefix(GUEST_HAND)
    if guest == name:
        if hold is None:
            return state
        return state.with_guests(holds=MappingProxyType({k: h for k, h in state.guests.holds.items() if h is not hold}))
    until_s, kept = now_s + HOLDS_S, False
    if hold is not None and hold.guest == guest and hold.kept and hold.until_s > until_s:
        until_s, kept = hold.until_s, True
    return state.with_guests(holds=MappingProxyType({**state.guests.holds, camera.id: Hold(guest, until_s, kept)}))


def called(state: LiveState, name: str) -> str:
    """What a hand is called in a sentence."""
    guest = state.guests.here.get(name.removeprefix(GUEST_HAND))
    if name.startswith(GUEST_HAND):
        return guest.name if guest is not None else "a guest"
    return CALLED.get(name, name)
