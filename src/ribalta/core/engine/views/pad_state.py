"""How a pad looks now: what of its call is on air, next, running or on its way."""

from dataclasses import dataclass
from enum import StrEnum

from ribalta.core.engine.automation import macro_runner
from ribalta.core.engine.program.landing import landing_state, time_to_set_s
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.automation.calls import Call, Item, Kind, broken, items_of
from ribalta.core.show.automation.triggers_pads_shortcuts import Pad, Page


class PadLight(StrEnum):
    """In the order of `Surface.light`."""

    EMPTY = "empty"
    THERE = "there"
    NEXT = "next"
    BUSY = "busy"
    ON_AIR = "on air"


@dataclass(frozen=True, slots=True)
class PadState:
    """`words` are short: "set", "no contact", a macro's step. `seconds` are left until it is set or goes on."""

    light: PadLight
    words: str = ""
    seconds: float | None = None
    trouble: str = ""


EMPTY = PadState(PadLight.EMPTY)


def pad_state(state: LiveState, pad: Pad | None, now_s: float) -> PadState:
    """How a pad looks now: what it does, and whether that runs, is on air or cannot be."""
    if pad is None or (pad.call is None and pad.long_call is None):
        return EMPTY
    call = pad.call or pad.long_call
    assert call is not None
    said = broken(state.show, call)
    if said is not None:
        return PadState(PadLight.THERE, "broken", None, said)
    run = next((r for r in state.automation.runs if r.macro_id == call.arguments.get("macro")), None)
    if call.action == "macro.run" and run is not None:
        path, _, left_s = macro_runner.step_now(state, run, now_s)
        step = f"step {path[0] % 10_000 + 1}" if path else ""
        return PadState(PadLight.BUSY, "paused" if run.paused_s is not None else step, left_s)
    if (call.action == "black" and state.program.black.black) or (call.action == "card" and state.program.card):
        return PadState(PadLight.ON_AIR, "on")
    if call.action in ("record", "stream") and state.output(_output(call)).on:
        return PadState(PadLight.BUSY, "on")
    if call.action == "layer.latch" and call.arguments.get("layer") in state.automation.layers:
        return PadState(PadLight.BUSY, "on")
    title = call.arguments.get("title")
    if isinstance(title, str) and title in state.program.overlays.layers:
        return PadState(PadLight.ON_AIR, "on")
    shot = _shot(state, call)
    return _of_shot(state, shot, now_s) if shot is not None else PadState(PadLight.THERE)


def _output(call: Call) -> str:
    return "recording" if call.action == "record" else call.action


def _shot(state: LiveState, call: Call) -> Shot | None:
    """The shot that a call is about, if it is about one."""
    for item in items_of(state.show, call):
        if item.kind is Kind.FRAMING and (framing := state.show.framing(item.id)) is not None:
            return Shot(framing.camera_id, framing.id)
        if item.kind is Kind.SCENE and (scene := state.show.scene(item.id)) is not None:
            base = scene.base
            return Shot(base.camera_id or "", base.framing_id, base.medium_id, scene.id)
        if item.kind is Kind.CAMERA and call.action == "ready.camera":
            return Shot(item.id)
    return None


def _of_shot(state: LiveState, shot: Shot, now_s: float) -> PadState:
    landing = landing_state(state, shot, now_s)
    seconds = time_to_set_s(state, shot, now_s) if landing is not LandingState.SET else None
    words = "set" if landing is LandingState.SET else "no contact" if landing is LandingState.NO_CONTACT else ""
    for there, light in ((state.program.on_air, PadLight.ON_AIR), (state.program.next, PadLight.NEXT)):
        if there is not None and _same(state, there, shot):
            return PadState(light, words, seconds)
    return PadState(PadLight.THERE, words, seconds)


def _same(state: LiveState, one: Shot, other: Shot) -> bool:
    if one == other:
        return True
    plain = one.scene_id is None and other.scene_id is None and one.framing_id is None
    return plain and one.camera_id == other.camera_id and other.framing_id is None


def lights(state: LiveState, page: Page, now_s: float) -> dict[int, int]:
    """The value for each note of a page's controller."""
    if page.surface is None:
        return {}
    order, found = list(PadLight), {}
    for at in range(page.columns * page.rows):
        note = page.surface.note(at, page.columns)
        if note is not None:
            light = pad_state(state, page.pad(at), now_s).light
            found[note] = page.surface.light[order.index(light)]
    return found


def picture_item(pad: Pad, state: LiveState) -> Item | None:
    """Whose stored picture a pad shows: the chosen one, or that of the framing or scene its call is about."""
    if pad.picture is not None:
        return pad.picture
    if pad.call is None:
        return None
    of = (i for i in items_of(state.show, pad.call) if i.kind in (Kind.FRAMING, Kind.SCENE))
    return next(of, None)
