"""The numbers that a fader can move: where each stands between its ends, what sets it, and how it is said."""

from collections.abc import Callable
from dataclasses import dataclass

from ribalta.core.engine.state.live import SCENE_ROW, LiveState
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.faders import FaderGiven, Quantity
from ribalta.core.show.document.model import Camera
from ribalta.core.show.document.settings import BY_ID, Setting
from ribalta.core.show.document.sound import HIGHEST_DB, LOWEST_DB

SMALLEST_INSET, SLOWEST = 0.05, 0.05
SETTING = {
    Quantity.IRIS: "iris",
    Quantity.GAIN: "gain",
    Quantity.SHUTTER: "shutter",
    Quantity.FOCUS: "focus",
}
OF_CAMERAS = (*SETTING, Quantity.ZOOM, Quantity.SPEED)
NAMES = {
    Quantity.LEVEL: "Level",
    Quantity.MASTER: "Master",
    Quantity.MONITORING: "Monitoring",
    Quantity.IRIS: "Iris",
    Quantity.GAIN: "Gain",
    Quantity.SHUTTER: "Shutter",
    Quantity.FOCUS: "Focus",
    Quantity.ZOOM: "Zoom",
    Quantity.SPEED: "Pan and tilt speed",
    Quantity.TRANSITION: "Transition by hand",
    Quantity.INSET: "Inset size",
    Quantity.ROW: "Title's row",
}


@dataclass(frozen=True)
class Number:
    """`place` is 0 to 1 between its ends; `words` is it with its unit; `of` whose it is, as “Ines” or “camera 3”.
    `call` sets it to a place; `whole` are the steps between its ends, if only those can be."""

    place: float
    words: str
    of: str
    call: Callable[[float], Call]
    whole: int | None = None


def number_of(state: LiveState, fader: FaderGiven, now_s: float) -> Number | None:
    """How the number of a fader stands; None when there is nothing to move now."""
    quantity = fader.quantity
    if quantity is Quantity.LEVEL:
        return _level(state, fader)
    if quantity is Quantity.MASTER:
        return _decibels(state.sound.master_db, "", lambda db: Call(action="mic.master", arguments={"db": db}))
    if quantity is Quantity.MONITORING:
        db = state.sound.monitor_db
        return _decibels(db, "", lambda db: Call(action="sound.monitor", arguments={"db": db}))
    if quantity is Quantity.TRANSITION:
        return _transition(state, now_s)
    if quantity is Quantity.INSET:
        return _inset(state, fader)
    if quantity is Quantity.ROW:
        return _row(state, fader)
    camera = camera_of(state, fader)
    if camera is None:
        return None
    if quantity in SETTING:
        return _setting(state, camera, BY_ID[SETTING[quantity]])
    return _zoom(state, camera) if quantity is Quantity.ZOOM else _speed(camera)


def camera_of(state: LiveState, fader: FaderGiven) -> Camera | None:
    """Whose number it is; without one of its own the selected camera's."""
    if fader.item is not None:
        return state.show.camera(fader.item.id)
    row = state.desk.row
    return state.show.camera(row) if row is not None and row != SCENE_ROW else None


def called(state: LiveState, fader: FaderGiven) -> str:
    """“Level of Ines”: what a fader moves, in a few words."""
    name = NAMES[fader.quantity]
    if fader.quantity is Quantity.INSET:
        return f"Size of inset {fader.slot or 1}"
    if fader.quantity in OF_CAMERAS and fader.item is None:
        return f"{name} of the selected camera"
    if fader.item is None:
        return name
    camera = state.show.camera(fader.item.id)
    return f"{name} of {f'camera {camera.number}' if camera is not None else fader.item.called}"


def _share(value: float, low: float, high: float) -> float:
    return max(0.0, min(1.0, (value - low) / (high - low)))


def _decibels(db: float, of: str, call: Callable[[float], Call]) -> Number:
    def set_to(place: float) -> Call:
        return call(round(LOWEST_DB + place * (HIGHEST_DB - LOWEST_DB), 2))

    words = "off" if db <= LOWEST_DB else f"{db:+.1f} dB"
    return Number(_share(db, LOWEST_DB, HIGHEST_DB), words, of, set_to)


def _level(state: LiveState, fader: FaderGiven) -> Number | None:
    mic = next((m for m in state.show.microphones if fader.item is not None and m.id == fader.item.id), None)
    if mic is None:
        return None
    db = state.strip(mic.id).gain_db
    return _decibels(db, mic.name, lambda db: Call(action="mic.gain", arguments={"mic": mic.number, "db": db}))


def _transition(state: LiveState, now_s: float) -> Number:
    change = state.program.in_transition
    share = change.progress_at(now_s) if change is not None else 0.0

    def set_to(place: float) -> Call:
        return Call(action="transition.by_hand", arguments={"share": place})

    return Number(share, f"{share:.0%}", "", set_to)


def _inset(state: LiveState, fader: FaderGiven) -> Number | None:
    slot = fader.slot or 1
    inset = next((i for i in state.show.insets if i.slot == slot), None)
    if inset is None:
        return None

    def set_to(place: float) -> Call:
        wide = round(SMALLEST_INSET + place * (1 - SMALLEST_INSET), 4)
        return Call(action="inset.change", arguments={"slot": slot, "wide": wide})

    return Number(_share(inset.wide, SMALLEST_INSET, 1), f"{inset.wide:.0%}", f"inset {slot}", set_to)


def _row(state: LiveState, fader: FaderGiven) -> Number | None:
    title = state.show.titled(fader.item.id) if fader.item is not None else None
    if title is None or len(title.rows) < 2:
        return None
    last = len(title.rows) - 1

    def set_to(place: float) -> Call:
        return Call(action="title.row", arguments={"title": title.id, "to": round(place * last) + 1})

    return Number(title.row / last, f"row {title.row + 1} of {last + 1}", title.name, set_to, last)


def _setting(state: LiveState, camera: Camera, setting: Setting) -> Number | None:
    live = state.live(camera.id).settings.get(setting.id)
    value = (live.asked if live.asked is not None else live.reported) if live is not None else None
    if not isinstance(value, int):
        return None
    steps = setting.high - setting.low

    def set_to(place: float) -> Call:
        wanted = setting.low + round(place * steps)
        return Call(action="camera.set", arguments={"camera": camera.number, "setting": setting.id, "value": wanted})

    words, of = f"{value - setting.low} of {steps}", f"camera {camera.number}"
    return Number(_share(value, setting.low, setting.high), words, of, set_to, steps)


def _zoom(state: LiveState, camera: Camera) -> Number | None:
    live = state.live(camera.id)
    aim = live.goal if live.goal is not None else live.aim
    if aim is None or not camera.steered:
        return None

    def set_to(place: float) -> Call:
        arguments = {"camera": camera.number, "pan_deg": aim.pan_deg, "tilt_deg": aim.tilt_deg, "zoom": place}
        return Call(action="camera.aim", arguments={**arguments, "hand": "a fader"})

    return Number(aim.zoom, f"{aim.zoom:.0%}", f"camera {camera.number}", set_to)


def _speed(camera: Camera) -> Number | None:
    if not camera.steered:
        return None
    pace = camera.steer_pace

    def set_to(place: float) -> Call:
        steer = round(SLOWEST + place * (1 - SLOWEST), 3)
        return Call(action="camera.pace", arguments={"camera": camera.number, "steer": steer})

    return Number(_share(pace, SLOWEST, 1), f"{pace:.0%}", f"camera {camera.number}", set_to)
