"""Whether something is so now: for triggers' “only if” and macros' “if”."""

from ribalta.core.engine.program.landing import landing_state
from ribalta.core.engine.program.open_microphones import is_open
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.automation.calls import Item, Kind
from ribalta.core.show.automation.macros import Condition, Is
from ribalta.core.show.document.scenes import SLOTS


def holds(state: LiveState, condition: Condition, now_s: float) -> bool:
    """Something that is no longer there is neither on air nor set nor anything else."""
    return _is(state, condition, now_s) is condition.wanted


def _is(state: LiveState, condition: Condition, now_s: float) -> bool:
    item = condition.item
    match condition.what:
        case Is.RECORDING:
            return state.output("recording").on
        case Is.STREAMING:
            return state.output("stream").on
        case Is.ON_AIR:
            return item is not None and on_air(state, item)
        case Is.NEXT:
            return item is not None and state.program.next is not None and matches(state, state.program.next, item)
        case Is.OPEN:
            mic = next((m for m in state.show.microphones if item is not None and m.id == item.id), None)
            return mic is not None and is_open(state, mic)
        case Is.IN_CONTACT:
            camera = state.show.camera(item.id) if item is not None else None
            live = state.live(camera.id) if camera is not None else None
            return camera is not None and live is not None and (live.answers if camera.steered else live.picture)
        case Is.SET:
            return item is not None and _set(state, item, now_s)


def _set(state: LiveState, item: Item, now_s: float) -> bool:
    camera, framing = state.show.camera(item.id), state.show.framing(item.id)
    if item.kind is Kind.CAMERA and camera is not None:
        shot = Shot(camera.id, state.live(camera.id).goal_framing_id)
    elif item.kind is Kind.FRAMING and framing is not None:
        shot = Shot(framing.camera_id, framing.id)
    else:
        return False
    return landing_state(state, shot, now_s) is LandingState.SET


def on_air(state: LiveState, item: Item) -> bool:
    """Is a camera, title, framing or the like seen on air now?"""
    if item.kind is Kind.CAMERA:
        return state.on_air(item.id)
    if item.kind is Kind.TITLE:
        return any(state.program.overlays.on(slot) == item.id for slot in SLOTS)
    return state.program.on_air is not None and matches(state, state.program.on_air, item)


def matches(state: LiveState, shot: Shot, item: Item) -> bool:
    """Is a shot this scene, framing, medium, or of this camera? A framing is also the one its camera stands at."""
    match item.kind:
        case Kind.SCENE:
            return shot.scene_id == item.id
        case Kind.MEDIUM:
            return shot.medium_id == item.id and shot.scene_id is None
        case Kind.FRAMING:
            return shot.framing_id == item.id and shot.scene_id is None
        case Kind.CAMERA:
            return shot.camera_id == item.id and shot.scene_id is None
        case _:
            return False
