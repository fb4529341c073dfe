"""Faders and knobs of controllers: which control, how it counts, and the number that it moves."""

import re
from enum import StrEnum
from typing import Annotated

from pydantic import Field, model_validator

from ribalta.core.show.automation.calls import Item
from ribalta.core.show.document.part import Part

MOST_BANKS, STAYS = 16, 0
CONTROL = r"^(midi control (1[0-6]|[1-9]) (12[0-7]|1[01]\d|\d?\d)|midi bend (1[0-6]|[1-9])|osc /\S{1,100})$"
HALVES = r"^midi control \d+ (3[01]|[12]?\d)$"  # those that have lower bits 32 above them
ControlName = Annotated[str, Field(pattern=CONTROL, max_length=120)]


class Quantity(StrEnum):
    """Which number. Those of a camera are the selected camera's when no camera is given."""

    LEVEL = "level"
    MASTER = "master"
    MONITORING = "monitoring"
    IRIS = "iris"
    GAIN = "gain"
    SHUTTER = "shutter"
    FOCUS = "focus"
    ZOOM = "zoom"
    SPEED = "speed"
    TRANSITION = "transition"
    INSET = "inset"
    ROW = "row"


class Coding(StrEnum):
    """How a control says its number: MIDI 1.0 controllers of 7 and of 14 bits, pitch bend, the usual codings of
    encoders without an end (steps of 1 to 63 either way), or an OSC number from 0 to 1."""

    BITS_7 = "7 bit"
    BITS_14 = "14 bit"
    PITCH_BEND = "pitch bend"
    TWOS_COMPLEMENT = "steps, two's complement"
    SIGN_BIT = "steps, sign bit"
    AROUND_64 = "steps, around 64"
    SHARE = "0 to 1"

    @property
    def relative(self) -> bool:
        """Does it say steps instead of a place?"""
        return self in (Coding.TWOS_COMPLEMENT, Coding.SIGN_BIT, Coding.AROUND_64)


class FaderGiven(Part):
    """A fader or knob that was given a number. `control` is as in `Shortcut`: "midi control 1 7", "midi bend 1",
    "osc /fader/1". `port` is the MIDI port that it belongs to; empty: any.

    `bank` is the bank in which it does that, or STAYS: in every one. `item` is whose number it is (a microphone, a
    camera, a title), `slot` which inset. `motor`: the value goes back to the control, which moves or shows it; without,
    a control that counts places does nothing until it has passed the value.
    """

    id: str
    control: ControlName
    port: Annotated[str, Field(max_length=200)] = ""
    coding: Coding = Coding.BITS_7
    bank: Annotated[int, Field(ge=STAYS, le=MOST_BANKS)] = STAYS
    quantity: Quantity = Quantity.MASTER
    item: Item | None = None
    slot: Annotated[int, Field(ge=0, le=4)] = 0
    motor: bool = False

    @model_validator(mode="after")
    def _fits(self) -> "FaderGiven":
        if self.coding is Coding.BITS_14 and not re.match(HALVES, self.control):
            raise ValueError("only the MIDI controllers 0 to 31 have 14 bits")
        return self
