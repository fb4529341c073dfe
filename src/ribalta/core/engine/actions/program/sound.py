"""Faders, muting, solo, and what each microphone is. Faders are not edits: they are saved as they stand."""

from dataclasses import replace
from types import MappingProxyType
from typing import Annotated, Any

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.base.values import replaced, without
from ribalta.core.engine.actions.board import CameraNumber, camera_meant
from ribalta.core.engine.removing import Users, cleared
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.automation.calls import Kind, named
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.part import Name
from ribalta.core.show.document.sound import FaderDb, Microphone

MicNumber = Annotated[int, Field(ge=1, le=64, description="the microphone's number")]


class MicParams(Params):
    mic: MicNumber


class GainParams(MicParams):
    """To a value, or by so many decibels."""

    db: FaderDb | None = None
    by: Annotated[float, Field(ge=-72, le=72, allow_inf_nan=False)] = 0.0


class SwitchParams(MicParams):
    on: bool | None = None


class MasterParams(Params):
    db: FaderDb


class HeadphonesParams(Params):
    device: Annotated[str, Field(max_length=200)]


class TalkbackParams(Params):
    """None: nobody talks."""

    mic: MicNumber | None = None


class ChangeMicParams(MicParams):
    """What is left out stays as it is."""

    name: Name | None = None
    address: Annotated[str | None, Field(max_length=200)] = None
    channel: Annotated[int | None, Field(ge=1, le=64)] = None
    follows: bool | None = None
    cameras: list[CameraNumber] | None = None
    mark: str | None = None
    fade_s: Annotated[float | None, Field(ge=0, le=10, allow_inf_nan=False)] = None
    delay_s: Annotated[float | None, Field(ge=0, le=2, allow_inf_nan=False)] = None


class RemoveParams(MicParams):
    users: Users = "ask"


class AddMicParams(Params):
    name: Name = "Microphone"
    address: Annotated[str, Field(max_length=200)] = ""
    channel: Annotated[int, Field(ge=1, le=64)] = 1


def mic_meant(state: LiveState, number: int) -> Microphone:
    """The microphone of a number. Raises ActionRefused when there is none."""
    mic = next((m for m in state.show.microphones if m.number == number), None)
    if mic is None:
        raise ActionRefused(f"There is no microphone {number} in this show.")
    return mic


def gain(state: LiveState, params: GainParams, now_s: float) -> Outcome:
    mic = mic_meant(state, params.mic)
    before = state.strip(mic.id).gain_db
    db = params.db if params.db is not None else max(-60.0, min(12.0, before + params.by))
    return _strip(state, mic, gain_db=db)


def mute(state: LiveState, params: SwitchParams, now_s: float) -> Outcome:
    mic = mic_meant(state, params.mic)
    return _strip(state, mic, muted=not state.strip(mic.id).muted if params.on is None else params.on)


def solo(state: LiveState, params: SwitchParams, now_s: float) -> Outcome:
    mic = mic_meant(state, params.mic)
    on = not state.strip(mic.id).solo if params.on is None else params.on
    return Outcome(_with_strip(state, mic, solo=on))


def master(state: LiveState, params: MasterParams, now_s: float) -> Outcome:
    return Outcome(state.with_sound(master_db=params.db).with_edits(count=state.edits.count + 1))


def monitor(state: LiveState, params: MasterParams, now_s: float) -> Outcome:
    return Outcome(state.with_sound(monitor_db=params.db).with_edits(count=state.edits.count + 1))


def headphones(state: LiveState, params: HeadphonesParams, now_s: float) -> Outcome:
    sound = state.show.sound.model_copy(update={"headphones": params.device})
    where = f"“{params.device}”" if params.device else "nowhere"
    return edited(state, state.show.model_copy(update={"sound": sound}), f"listening on {where}")


def talkback(state: LiveState, params: TalkbackParams, now_s: float) -> Outcome:
    """A microphone for talking to guests, which program does not have from then on."""
    mic = mic_meant(state, params.mic) if params.mic is not None else None
    sound = state.show.sound.model_copy(update={"talkback_id": mic.id if mic is not None else None})
    what = f"talking to guests with microphone {mic.number} “{mic.name}”" if mic is not None else "talking with none"
    return edited(state, state.show.model_copy(update={"sound": sound}), what)


def _strip(state: LiveState, mic: Microphone, **changes: Any) -> Outcome:
    return Outcome(_with_strip(state, mic, **changes).with_edits(count=state.edits.count + 1))


def _with_strip(state: LiveState, mic: Microphone, **changes: Any) -> LiveState:
    strips = {**state.sound.strips, mic.id: replace(state.strip(mic.id), **changes)}
    return state.with_sound(strips=MappingProxyType(strips))


def add(state: LiveState, params: AddMicParams, now_s: float) -> Outcome:
    used = {m.number for m in state.show.microphones}
    number = next((n for n in range(1, 65) if n not in used), 0)
    if number == 0:
        raise ActionRefused("All 64 microphones are used: remove one first.")
    made = state.show.next_number
    mic = Microphone(id=f"q{made}", number=number, **params.model_dump())
    show = state.show.model_copy(update={"microphones": (*state.show.microphones, mic), "next_number": made + 1})
    return edited(state, show, f"added microphone {number} “{mic.name}”")


def change(state: LiveState, params: ChangeMicParams, now_s: float) -> Outcome:
    mic = mic_meant(state, params.mic)
    new = params.model_dump(exclude_none=True, exclude={"mic", "cameras", "mark"})
    if params.cameras is not None:
        new["camera_ids"] = tuple(camera_meant(state, n).id for n in params.cameras)
    if params.mark is not None:
        if params.mark and state.show.mark(params.mark) is None:
            raise ActionRefused("That mark is no longer on the plan.")
        new["mark_id"] = params.mark or None
    made = mic.model_copy(update=new)
    return edited(state, with_microphone(state.show, made), f"changed microphone {mic.number} “{made.name}”")


def with_microphone(show: Show, mic: Microphone) -> Show:
    """The show with a microphone in place of the one of the same id."""
    return show.model_copy(update={"microphones": replaced(show.microphones, mic)})


def remove(state: LiveState, params: RemoveParams, now_s: float) -> Outcome:
    mic = mic_meant(state, params.mic)
    item = named(state.show, Kind.MICROPHONE, mic.id)
    show = cleared(state.show, (item,), f"“{mic.name}”", params.users, "mic.remove", {"mic": mic.number})
    show = show.model_copy(update={"microphones": without(show.microphones, mic.id)})
    if show.sound.talkback_id == mic.id:
        show = show.model_copy(update={"sound": show.sound.model_copy(update={"talkback_id": None})})
    return edited(state, show, f"removed microphone {mic.number} “{mic.name}”")


ACTIONS = tuple(
    replace(row, heeds_cameras=False)
    for row in (
        Action("mic.gain", "Set the fader of microphone {mic}", GainParams, gain, continuous=True),
        Action("mic.mute", "Mute microphone {mic}, or open it", SwitchParams, mute),
        Action("mic.solo", "Listen to microphone {mic} alone", SwitchParams, solo),
        Action("mic.master", "Set the master fader", MasterParams, master, continuous=True),
        Action("sound.monitor", "Set how loudly it is listened to", MasterParams, monitor, continuous=True),
        Action("sound.headphones", "Choose where to listen", HeadphonesParams, headphones, stores=True),
        Action(
            "sound.talkback",
            "Choose a microphone to talk to guests with",
            TalkbackParams,
            talkback,
            stores=True,
            also="intercom crew",
        ),
        Action("mic.add", "Add a microphone", AddMicParams, add, stores=True),
        Action("mic.change", "Change microphone {mic}", ChangeMicParams, change, stores=True),
        Action("mic.remove", "Remove microphone {mic}", RemoveParams, remove, stores=True),
    )
)
