"""Settings of a camera: asked for here, shown as the camera reports them; see `core/show/document/settings.py`."""

from types import MappingProxyType
from typing import Annotated

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.actions.board import CameraNumber, camera_meant
from ribalta.core.engine.state.action import Action, Outcome, Params
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Adjust, GoHome, Notice
from ribalta.core.ports.shots import SettingLive
from ribalta.core.show.document.model import Camera
from ribalta.core.show.document.settings import BY_ID, SETTINGS, Setting


class SetParams(Params):
    camera: CameraNumber
    setting: str
    value: str | int


class StepParams(Params):
    """By how many steps, up or down; coarse ones are larger."""

    camera: CameraNumber
    setting: str
    steps: Annotated[int, Field(ge=-50, le=50)]
    coarse: bool = False


class CopyParams(Params):
    camera: CameraNumber
    to: CameraNumber


class HomeParams(Params):
    camera: CameraNumber
    live: Annotated[bool, Field(description="move the camera even on air")] = False


def _settable(state: LiveState, number: int, setting_id: str) -> tuple[Camera, Setting]:
    camera, setting = camera_meant(state, number), BY_ID.get(setting_id)
    if setting is None:
        raise ActionRefused(f"There is no setting called “{setting_id}”: {', '.join(BY_ID)}.")
    if camera.head is None or setting_id not in camera.head.settings:
        raise ActionRefused(f"Camera {camera.number} has no {setting.label.lower()} that can be set from here.")
    if not state.live(camera.id).answers:
        raise ActionRefused(f"Camera {camera.number} does not answer: its {setting.label.lower()} stays.")
    return camera, setting


def _ask(state: LiveState, camera: Camera, setting: Setting, value: str | int) -> Outcome:
    try:
        value = setting.checked(value)
    except ValueError as error:
        raise ActionRefused(f"Camera {camera.number}'s {error}.") from None
    live = state.live(camera.id)
    settings = dict(live.settings)
    settings[setting.id] = SettingLive(settings.get(setting.id, SettingLive()).reported, value)
    state = state.with_live(camera.id, settings=MappingProxyType(settings))
    return Outcome(state, (), (Adjust(camera.id, setting.id, value),))


def adjust(state: LiveState, params: SetParams, now_s: float) -> Outcome:
    camera, setting = _settable(state, params.camera, params.setting)
    if setting.id == "power" and params.value == "standby" and state.on_air(camera.id):
        raise ActionRefused(f"Camera {camera.number} is on air: it stays on.")
    return _ask(state, camera, setting, params.value)


def step(state: LiveState, params: StepParams, now_s: float) -> Outcome:
    camera, setting = _settable(state, params.camera, params.setting)
    now = state.live(camera.id).settings.get(setting.id, SettingLive())
    start = now.asked if now.asked is not None else now.reported
    if start is None:
        raise ActionRefused(f"Camera {camera.number} has not said its {setting.label.lower()} yet.")
    if setting.choices:
        k = setting.choices.index(str(start)) + params.steps
        return _ask(state, camera, setting, setting.choices[k % len(setting.choices)])
    by = params.steps * (setting.coarse if params.coarse else setting.fine)
    return _ask(state, camera, setting, max(setting.low, min(setting.high, int(start) + by)))


def copy(state: LiveState, params: CopyParams, now_s: float) -> Outcome:
    """All settings that both have, except power, picture and tally. Modes go before the values they allow."""
    one, other = camera_meant(state, params.camera), camera_meant(state, params.to)
    if one.id == other.id:
        raise ActionRefused("Choose another camera to copy the settings to.")
    known = state.live(one.id).settings
    outcome, count = Outcome(state), 0
    for setting in SETTINGS:
        value = known[setting.id].reported if setting.id in known else None
        if setting.copied and value is not None and other.head is not None and setting.id in other.head.settings:
            _settable(state, other.number, setting.id)
            outcome = outcome.then(lambda s, x=setting, v=value: _ask(s, other, x, v))  # type: ignore[misc]
            count += 1
    if not count:
        raise ActionRefused(f"Camera {one.number} has reported no settings that camera {other.number} has too.")
    said = f"Copied {count} settings of camera {one.number} to camera {other.number}."
    return outcome.saying(Notice(said))


def home(state: LiveState, params: HomeParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    if not camera.steered or not state.live(camera.id).answers:
        raise ActionRefused(f"Camera {camera.number} cannot go home: it is fixed, or does not answer.")
    if state.on_air(camera.id) and not params.live:
        raise ActionRefused(f"Camera {camera.number} is on air: it does not go home now.")
    state = state.with_live(camera.id, goal=None, goal_framing_id=None)
    return Outcome(state, (), (GoHome(camera.id),))


ACTIONS = (
    Action("camera.set", "Set camera {camera}'s {setting}", SetParams, adjust),
    Action("camera.step", "Change camera {camera}'s {setting} by steps", StepParams, step),
    Action("camera.copy_settings", "Copy camera {camera}'s settings to another", CopyParams, copy),
    Action("camera.home", "Send camera {camera} home", HomeParams, home),
)
