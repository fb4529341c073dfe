"""Settings that belong to a framing: its focus, and if wished its exposure and white balance."""

from types import MappingProxyType

from ribalta.core.engine.state.action import Outcome
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Adjust
from ribalta.core.ports.shots import SettingLive
from ribalta.core.show.document.model import Camera, Framing

FOCUS = ("focus.mode", "focus")
LIGHT = ("exposure.mode", "iris", "gain", "shutter", "white_balance")
ONLY_BY_HAND = {"focus": "focus.mode", "iris": "exposure.mode", "gain": "exposure.mode", "shutter": "exposure.mode"}
Kept = tuple[tuple[str, str | int], ...]


def kept_now(state: LiveState, camera: Camera, light: bool) -> Kept:
    """What the camera says of itself now that is to be stored with a framing; `light`: exposure and white balance too.

    What a camera sets by itself is not stored, but that it does.
    """
    settings = state.live(camera.id).settings
    said = {name: settings[name].reported for name in FOCUS + (LIGHT if light else ()) if name in settings}
    return tuple(
        (name, value)
        for name, value in said.items()
        if value is not None and (name not in ONLY_BY_HAND or said.get(ONLY_BY_HAND[name]) == "manual")
    )


def focus_missing(state: LiveState, camera: Camera) -> bool:
    """Has the camera a focus to store, of which it has not said anything yet?"""
    live = state.live(camera.id)
    known = live.settings.get("focus.mode", SettingLive()).reported is not None
    return camera.head is not None and "focus.mode" in camera.head.settings and not known


def bring_back(state: LiveState, framing: Framing) -> Outcome:
    """Ask for what was stored with a framing and is not so already. Modes go before the values that they allow."""
    camera, live = state.show.camera(framing.camera_id), state.live(framing.camera_id)
    if camera is None or camera.head is None or not live.answers:
        return Outcome(state)
    settings, requests = dict(live.settings), []
    for name, value in framing.kept:
        now = settings.get(name, SettingLive())
        if name in camera.head.settings and value != (now.asked if now.asked is not None else now.reported):
            settings[name] = SettingLive(now.reported, value)
            requests.append(Adjust(camera.id, name, value))
    if not requests:
        return Outcome(state)
    return Outcome(state.with_live(camera.id, settings=MappingProxyType(settings)), (), tuple(requests))
