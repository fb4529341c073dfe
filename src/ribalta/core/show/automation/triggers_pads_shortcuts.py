"""What sets actions off: triggers, shortcuts and pads, and where messages go. See `calls.py` for what they run."""

import hashlib
from enum import StrEnum
from typing import Annotated

from pydantic import Field, model_validator

from ribalta.core.show.automation.calls import Call, Item
from ribalta.core.show.automation.macros import Condition
from ribalta.core.show.document.part import Colour, Name, Part, Port

TIME = r"^([01]\d|2[0-3]):[0-5]\d(:[0-5]\d)?$"


class WhenKind(StrEnum):
    """What a trigger waits for."""

    READIED = "readied"
    TAKEN = "taken"
    LEFT = "left"
    ON_AIR_FOR = "on air for"
    SET = "set"
    LOST = "lost"
    BACK = "back"
    MIC_OPENS = "microphone opens"
    MIC_CLOSES = "microphone closes"
    PLAYLIST = "playlist goes on"
    TIME = "time of day"
    COUNTDOWN = "countdown"
    RECORDING_STOPS = "recording stops"
    DISK_LOW = "disk is low"
    MESSAGE = "message"


OF_SHOTS = (WhenKind.READIED, WhenKind.TAKEN, WhenKind.LEFT, WhenKind.ON_AIR_FOR)
OF_CAMERAS = (WhenKind.SET, WhenKind.LOST, WhenKind.BACK)
OF_MICS = (WhenKind.MIC_OPENS, WhenKind.MIC_CLOSES)


class When(Part):
    """`item` is whose moment it is; none: anybody's. `at` is a time of day; `seconds` how long on air; `minutes` how
    little room is left; `message` is what a message begins with, as the list of messages shows it."""

    kind: WhenKind = WhenKind.READIED
    item: Item | None = None
    at: Annotated[str, Field(pattern=TIME)] = "20:00"
    seconds: Annotated[float, Field(ge=0.04, le=86400, allow_inf_nan=False)] = 60.0
    minutes: Annotated[float, Field(gt=0, le=10000, allow_inf_nan=False)] = 10.0
    message: Annotated[str, Field(max_length=200)] = ""

    @property
    def second_of_day(self) -> float:
        """Its time of day in seconds since midnight, local time."""
        hours, minutes, seconds = (*self.at.split(":"), "0")[:3]
        return int(hours) * 3600 + int(minutes) * 60 + int(seconds)


class Trigger(Part):
    """When, only if, then. It fires every time, unless it says otherwise.

    `on_air_only`: only while Air is shown. `once`: until it is armed again. `apart_s`: not more often than that.
    """

    id: str
    name: Name
    enabled: bool = True
    when: When = When()
    only_if: Annotated[tuple[Condition, ...], Field(max_length=20)] = ()
    calls: Annotated[tuple[Call, ...], Field(max_length=40)] = ()
    on_air_only: bool = False
    once: bool = False
    apart_s: Annotated[float, Field(ge=0, le=86400, allow_inf_nan=False)] = 0.0


class How(StrEnum):
    """How a control is worked. A press waits to see what it becomes only where the same control has LONG or DOUBLE."""

    PRESS = "press"
    RELEASE = "release"
    LONG = "long press"
    DOUBLE = "double press"


class Shortcut(Part):
    """`control` is what is worked, as its device names it: "key Ctrl+K", "midi note 1 60", "gamepad a", "osc /go".

    `layer` is the layer that must be in force; "" is the ground. Without a call it silences what lies below it: the
    desk's own shortcut, or a default key.
    """

    control: Annotated[str, Field(min_length=3, max_length=120)]
    how: How = How.PRESS
    layer: Annotated[str, Field(max_length=40)] = ""
    call: Call | None = None

    @property
    def place(self) -> tuple[str, How, str]:
        """What no two shortcuts share: the control, how it is worked, and the layer."""
        return self.control, self.how, self.layer


class Times(Part):
    """How long a long press is, and how soon the second press of a double one comes."""

    long_s: Annotated[float, Field(ge=0.2, le=3)] = 0.6
    double_s: Annotated[float, Field(ge=0.1, le=1)] = 0.3


class Pad(Part):
    """`at` counts from the upper left, row by row. `picture` is the id of the framing or scene whose picture it has."""

    at: Annotated[int, Field(ge=0, le=63)]
    label: Annotated[str, Field(max_length=60)] = ""
    colour: Colour = "#b9ab98"
    picture: Item | None = None
    call: Call | None = None
    long_call: Call | None = None


class Surface(Part):
    """A MIDI controller that a page drives: the note of its upper left pad, and how far apart rows and columns are.

    `light` is the value that is sent to a pad for: nothing there, something there, Next, running or set, on air.
    """

    port: Annotated[str, Field(max_length=200)] = ""
    channel: Annotated[int, Field(ge=1, le=16)] = 1
    first_note: Annotated[int, Field(ge=0, le=127)] = 36
    row_step: Annotated[int, Field(ge=-64, le=64)] = 8
    column_step: Annotated[int, Field(ge=-64, le=64)] = 1
    light: tuple[int, int, int, int, int] = (0, 1, 64, 96, 127)

    @model_validator(mode="after")
    def _values(self) -> "Surface":
        if any(not 0 <= value <= 127 for value in self.light):
            raise ValueError("the values of lights are 0 to 127")
        return self

    def note(self, at: int, columns: int) -> int | None:
        """The note of a pad; None when the controller has none there."""
        found = self.first_note + at // columns * self.row_step + at % columns * self.column_step
        return found if 0 <= found <= 127 else None


class Page(Part):
    """A page of pads. `plain`: who has it before them can press these pads and nothing else, until they know the code.

    Only a hash of the code is kept: it keeps fingers away, not enemies.
    """

    id: str
    name: Name
    columns: Annotated[int, Field(ge=2, le=8)] = 4
    rows: Annotated[int, Field(ge=2, le=8)] = 4
    plain: bool = False
    code_hash: Annotated[str, Field(max_length=64)] = ""
    pads: tuple[Pad, ...] = ()
    surface: Surface | None = None

    def pad(self, at: int) -> Pad | None:
        """The pad at a place, from 0; None when it is free."""
        return next((p for p in self.pads if p.at == at), None)

    def opens_with(self, code: str) -> bool:
        """Does a code open it? A page without one opens with any."""
        return not self.code_hash or hash_of(code, self.id) == self.code_hash


def hash_of(code: str, page_id: str) -> str:
    """A code as it is kept with a page (SHA-256, hexadecimal)."""
    return hashlib.sha256(f"{page_id} {code}".encode()).hexdigest()


class Wire(StrEnum):
    """How a message travels."""

    OSC = "osc"
    MIDI = "midi"
    HTTP = "http"
    TCP = "tcp"
    UDP = "udp"


class Destination(Part):
    """Where messages go. `host` is a name or address; for MIDI it is the name of a port of this machine."""

    id: str
    name: Name
    wire: Wire = Wire.OSC
    host: Annotated[str, Field(max_length=200)] = "127.0.0.1"
    port: Port = 9000
    timeout_s: Annotated[float, Field(ge=0.1, le=30)] = 2.0


class TokenHere(StrEnum):
    """Whether what comes from this machine itself needs the token: never, when several people use it, or always."""

    NEVER = "never"
    SHARED = "shared"
    ALWAYS = "always"


class Listening(Part):
    """How messages come in: not at all, until it is switched on. From beyond this machine they must be let in, and
    carry the token.

    `midi` are the names of ports; empty is all there are.
    """

    osc: bool = False
    osc_port: Port = 9100
    http: bool = False
    http_port: Port = 9180
    tcp_port: Annotated[int, Field(ge=0, le=65535)] = 0
    udp_port: Annotated[int, Field(ge=0, le=65535)] = 0
    beyond: bool = False
    token_here: TokenHere = TokenHere.SHARED
    midi: tuple[str, ...] = ()
