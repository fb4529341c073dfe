"""What the board shows, as addresses and values: for touch surfaces and small displays that are told of it by OSC."""

from collections.abc import Iterator

from ribalta.core.engine.faders.hands import FaderHands
from ribalta.core.engine.faders.numbers import called, number_of
from ribalta.core.engine.program.landing import landing_state, time_to_set_s
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.pad_state import PadLight, pad_state
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.automation.calls import LETTERS
from ribalta.core.show.document.model import Framing

ROOT = "/ribalta/show"
Value = str | int | float
NOTHING = ""
ON_AIR, NEXT = "on air", "next"
COLOURS = {ON_AIR: "#e5322d", NEXT: "#2fa84f", "set": "#ffcb7d", NOTHING: "#2b241e"}
LIGHTS = {PadLight.ON_AIR: ON_AIR, PadLight.NEXT: NEXT, PadLight.BUSY: "busy", PadLight.THERE: "there"}


def board_values(state: LiveState, now_s: float) -> Iterator[tuple[str, Value]]:
    """(address, value) of everything. Seconds are to a tenth, -1 where nothing is known; `state` and `tally` are words:
    "on air", "next", ""; "set", "travelling", "not set", "no contact"."""
    program = state.program
    yield f"{ROOT}/on_air", state.shot_words(program.on_air) if program.on_air is not None else NOTHING
    yield f"{ROOT}/on_air/seconds", float(int(max(0.0, now_s - program.since_s)))
    yield f"{ROOT}/next", state.shot_words(program.next) if program.next is not None else NOTHING
    yield f"{ROOT}/next/seconds", _seconds(state, program.next, now_s)
    yield f"{ROOT}/then", state.shot_words(program.then[0]) if program.then else NOTHING
    yield f"{ROOT}/page", state.desk.page + 1
    yield f"{ROOT}/black", int(program.black.black)
    yield from _cameras(state, now_s)
    yield from _scenes(state)
    yield from _pads(state, now_s)
    yield from _faders(state, now_s)


def _seconds(state: LiveState, shot: Shot | None, now_s: float) -> float:
    left_s = time_to_set_s(state, shot, now_s) if shot is not None else None
    return -1.0 if left_s is None else round(left_s, 1)


def tally_of(state: LiveState, camera_id: str) -> str:
    """ "on air", "next" or nothing."""
    return ON_AIR if state.on_air(camera_id) else NEXT if state.is_next(camera_id) else NOTHING


def _cameras(state: LiveState, now_s: float) -> Iterator[tuple[str, Value]]:
    for camera in state.show.cameras:
        at, tally = f"{ROOT}/camera/{camera.number}", tally_of(state, camera.id)
        goal = state.live(camera.id).goal_framing_id
        shot = Shot(camera.id, goal if state.show.framing(goal or "") is not None else None)
        landing = landing_state(state, shot, now_s)
        yield f"{at}/name", camera.name
        yield f"{at}/tally", tally
        yield f"{at}/state", {LandingState.OFF: "not set"}.get(landing, landing.value)
        yield f"{at}/colour", COLOURS[tally]
        yield f"{at}/seconds", _seconds(state, shot, now_s)
        for letter in LETTERS:
            framing = state.show.framing_at(camera.id, state.desk.page * len(LETTERS) + LETTERS.index(letter))
            if camera.steered:
                yield from _framing(state, f"{at}/{letter}", framing, now_s)


def _framing(state: LiveState, at: str, framing: Framing | None, now_s: float) -> Iterator[tuple[str, Value]]:
    if framing is None:
        yield from ((f"{at}/name", NOTHING), (f"{at}/tally", NOTHING))
        yield from ((f"{at}/colour", COLOURS[NOTHING]), (f"{at}/seconds", -1.0))
        return
    shot = Shot(framing.camera_id, framing.id)
    on_air, coming = state.program.on_air, state.program.next
    tally = ON_AIR if _shows(on_air, shot) else NEXT if _shows(coming, shot) else NOTHING
    left_s = _seconds(state, shot, now_s)
    yield f"{at}/name", framing.name
    yield f"{at}/tally", tally
    yield f"{at}/colour", COLOURS[tally or ("set" if left_s == 0 else NOTHING)]
    yield f"{at}/seconds", left_s


def _shows(shot: Shot | None, other: Shot) -> bool:
    return shot is not None and (shot.camera_id, shot.framing_id) == (other.camera_id, other.framing_id)


def _scenes(state: LiveState) -> Iterator[tuple[str, Value]]:
    first = state.desk.page * len(LETTERS)
    for k, letter in enumerate(LETTERS):
        scene = state.show.scene_numbered(first + k + 1)
        at, tally = f"{ROOT}/scene/{letter}", NOTHING
        for there, words in ((state.program.on_air, ON_AIR), (state.program.next, NEXT)):
            if scene is not None and there is not None and there.scene_id == scene.id and not tally:
                tally = words
        yield f"{at}/name", scene.name if scene is not None else NOTHING
        yield f"{at}/tally", tally
        yield f"{at}/colour", COLOURS[tally]


def _pads(state: LiveState, now_s: float) -> Iterator[tuple[str, Value]]:
    for number, page in enumerate(state.show.pages, 1):
        yield f"{ROOT}/pads/{number}/name", page.name
        for pad in page.pads:
            at, now = f"{ROOT}/pads/{number}/{pad.at + 1}", pad_state(state, pad, now_s)
            yield f"{at}/label", pad.label
            yield f"{at}/colour", pad.colour
            yield f"{at}/state", LIGHTS.get(now.light, NOTHING)


def _faders(state: LiveState, now_s: float) -> Iterator[tuple[str, Value]]:
    bank = state.automation.fader_bank
    yield f"{ROOT}/faders/bank", bank
    yield f"{ROOT}/faders/fine", int(state.automation.fader_fine)
    for k, fader in enumerate(FaderHands.in_hand(state, bank), 1):
        number = number_of(state, fader, now_s)
        yield f"{ROOT}/faders/{k}/name", called(state, fader)
        yield f"{ROOT}/faders/{k}/value", round(number.place, 4) if number is not None else -1.0
        yield f"{ROOT}/faders/{k}/words", number.words if number is not None else NOTHING
