"""Giving numbers to faders and knobs of controllers, and which bank of them is under the hands."""

from typing import Annotated

from pydantic import Field, ValidationError

from ribalta.core.base.faults import ActionRefused
from ribalta.core.base.validation import why_not
from ribalta.core.base.values import replaced, without
from ribalta.core.engine.actions.board import CameraNumber, camera_meant
from ribalta.core.engine.actions.program.layers import title_meant
from ribalta.core.engine.actions.program.sound import MicNumber, mic_meant
from ribalta.core.engine.faders.numbers import OF_CAMERAS, called
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice
from ribalta.core.show.automation.calls import Item, Kind, named
from ribalta.core.show.automation.faders import MOST_BANKS, STAYS, Coding, ControlName, FaderGiven, Quantity

MOST, GONE = 512, "That fader or knob has nothing any more."


class GiveParams(Params):
    """`mic`, `camera`, `title` or `slot` say whose number it is; of a camera's numbers without one, the selected
    camera's. `bank` 0: in every bank. `instead_of` is the id of one that becomes this."""

    control: ControlName
    quantity: Quantity
    port: Annotated[str, Field(max_length=200)] = ""
    coding: Coding = Coding.BITS_7
    bank: Annotated[int, Field(ge=STAYS, le=MOST_BANKS)] = STAYS
    mic: MicNumber | None = None
    camera: CameraNumber | None = None
    title: str | None = None
    slot: Annotated[int, Field(ge=0, le=4)] = 0
    motor: bool = False
    instead_of: str | None = None


class FaderParams(Params):
    fader: Annotated[str, Field(description="its id")]


class BankParams(Params):
    """Which, from 1, or by how many further."""

    to: Annotated[int | None, Field(ge=1, le=MOST_BANKS)] = None
    by: Annotated[int, Field(ge=-MOST_BANKS, le=MOST_BANKS)] = 0


class FineParams(Params):
    """Without `on`, the other way than now."""

    on: bool | None = None


def banks_of(state: LiveState) -> int:
    """How many there are, at least 1."""
    return max((f.bank for f in state.show.faders), default=1) or 1


def _item(state: LiveState, params: GiveParams) -> Item | None:
    if params.quantity is Quantity.LEVEL:
        if params.mic is None:
            raise ActionRefused("Say which microphone's level it is.")
        return named(state.show, Kind.MICROPHONE, mic_meant(state, params.mic).id)
    if params.quantity is Quantity.ROW:
        if params.title is None:
            raise ActionRefused("Say which title's rows it turns.")
        return named(state.show, Kind.TITLE, title_meant(state, params.title).id)
    if params.quantity in OF_CAMERAS and params.camera is not None:
        return named(state.show, Kind.CAMERA, camera_meant(state, params.camera).id)
    return None


def give(state: LiveState, params: GiveParams, now_s: float) -> Outcome:
    """What the same control did in that bank before gives way."""
    item, show = _item(state, params), state.show
    place, old = (params.control, params.port, params.bank), params.instead_of
    if old is not None and all(f.id != old for f in show.faders):
        raise ActionRefused(GONE)
    others = tuple(f for f in show.faders if f.id == old or (f.control, f.port, f.bank) != place)
    if old is None and len(others) >= MOST:
        raise ActionRefused(f"This show has {MOST} faders and knobs: remove one first.")
    given = params.model_dump(include={"control", "port", "coding", "bank", "quantity", "slot", "motor"})
    try:
        fader = FaderGiven(id=old or f"k{show.next_number}", item=item, **given)
    except ValidationError as error:
        raise ActionRefused(f"It was given to nothing: {why_not(error)}.") from None
    made = replaced(others, fader) if old is not None else (*others, fader)
    show = show.model_copy(update={"faders": made, "next_number": show.next_number + 1})
    return edited(state, show, f"gave {controlled(fader)} to {called(state, fader)}")


def controlled(fader: FaderGiven) -> str:
    """What a control is called: “controller 7 on channel 1”."""
    kind, *rest = fader.control.split()[1:] if fader.control.startswith("midi ") else ("", fader.control)
    if kind == "bend" and rest:
        return f"pitch bend on channel {rest[0]}"
    return f"controller {rest[1]} on channel {rest[0]}" if kind == "control" and len(rest) > 1 else fader.control


def remove(state: LiveState, params: FaderParams, now_s: float) -> Outcome:
    fader = next((f for f in state.show.faders if f.id == params.fader), None)
    if fader is None:
        raise ActionRefused(GONE)
    show = state.show.model_copy(update={"faders": without(state.show.faders, fader.id)})
    return edited(state, show, f"freed {controlled(fader)}")


def bank(state: LiveState, params: BankParams, now_s: float) -> Outcome:
    """They go round."""
    last = banks_of(state)
    to = params.to if params.to is not None else (state.automation.fader_bank - 1 + params.by) % last + 1
    if to > last:
        raise ActionRefused(f"There {'is one bank' if last == 1 else f'are {last} banks'} of faders, no bank {to}.")
    return Outcome(state.with_automation(fader_bank=to), (Notice(f"Faders: bank {to} of {last}."),))


def fine(state: LiveState, params: FineParams, now_s: float) -> Outcome:
    on = not state.automation.fader_fine if params.on is None else params.on
    said = "Faders and knobs move finely." if on else "Faders and knobs move as usual."
    return Outcome(state.with_automation(fader_fine=on), (Notice(said),))


ACTIONS = (
    Action("fader.give", "Give a number to a fader or knob", GiveParams, give, stores=True, heeds_cameras=False),
    Action("fader.remove", "Free a fader or knob", FaderParams, remove, stores=True, heeds_cameras=False),
    Action("fader.bank", "Turn to another bank of faders", BankParams, bank, also="strips", heeds_cameras=False),
    Action("fader.fine", "Move faders and knobs finely", FineParams, fine, also="coarse", heeds_cameras=False),
)
