"""VISCA's messages: one table of what is sent and of what is answered to what is asked.

A row is written as the published lists write it: bytes in hexadecimal, and names where a value stands. A name alone
is one byte; `pan:4` is a number on four nibbles, one in the low half of each byte, most significant first, in two's
complement where its range goes below 0.

Source: the published VISCA command lists.
"""

from collections.abc import Mapping
from dataclasses import dataclass

ZOOM_COUNTS = 0x4000
PAN_SPEEDS = 0x18
TILT_SPEEDS = 0x14
ZOOM_SPEEDS = 7

Range = tuple[int, int]
RANGES: Mapping[str, Range] = {
    "pan": (-0x8000, 0x7FFF),
    "tilt": (-0x8000, 0x7FFF),
    "pan_speed": (1, PAN_SPEEDS),
    "tilt_speed": (1, TILT_SPEEDS),
    "pan_way": (1, 3),  # left, right, stop
    "tilt_way": (1, 3),  # up, down, stop
    "zoom": (0, ZOOM_COUNTS),
    "zoom_way": (0, 0x37),  # stop, or 2x in and 3x out at a speed x
    "memory": (0, 0x7F),
    "word": (0, 0xFF),
}


@dataclass(frozen=True, slots=True)
class Field:
    """A value in a message: on `nibbles` nibbles, or as one byte when that is 0."""

    name: str
    low: int
    high: int
    nibbles: int

    @property
    def length(self) -> int:
        """Bytes that it takes."""
        return self.nibbles or 1

    def write(self, value: int) -> bytes:
        """Raises ValueError outside of its range."""
        if not self.low <= value <= self.high:
            raise ValueError(f"{self.name.replace('_', ' ')} {value} is outside {self.low}..{self.high}")
        if not self.nibbles:
            return bytes((value,))
        return bytes((value >> shift) & 0x0F for shift in range(4 * (self.nibbles - 1), -1, -4))

    def read(self, data: bytes) -> int | None:
        """The value; None when a byte is no nibble, or outside of its range."""
        value = data[0]
        if self.nibbles:
            if max(data) > 0x0F:
                return None
            value = int.from_bytes(bytes(16 * high + low for high, low in zip(data[::2], data[1::2], strict=True)))
            if self.low < 0 and value >= 1 << (4 * self.nibbles - 1):
                value -= 1 << (4 * self.nibbles)
        return value if self.low <= value <= self.high else None


class Layout:
    """One message as bytes. `of`: the range of what is called `value` in it; other names are those of `RANGES`."""

    def __init__(self, text: str, of: Range = (0, 0xFFFF)) -> None:
        self._parts: list[bytes | Field] = []
        for word in text.split():
            name, _, nibbles = word.partition(":")
            if name == name.upper():
                self._parts.append(bytes.fromhex(word))
            else:
                self._parts.append(Field(name, *(of if name == "value" else RANGES[name]), int(nibbles or 0)))
        self.length = sum(part.length if isinstance(part, Field) else len(part) for part in self._parts)

    def write(self, **values: int) -> bytes:
        """The bytes. Raises ValueError for a value outside of its range, KeyError for one that is missing."""
        return b"".join(x.write(values[x.name]) if isinstance(x, Field) else x for x in self._parts)

    def read(self, data: bytes) -> Mapping[str, int] | None:
        """The values in `data`; None when it is not this message, whole and within its ranges."""
        if len(data) != self.length:
            return None
        found, at = {}, 0
        for part in self._parts:
            length = part.length if isinstance(part, Field) else len(part)
            piece, at = data[at : at + length], at + length
            if isinstance(part, Field):
                value = part.read(piece)
                if value is None:
                    return None
                found[part.name] = value
            elif piece != part:
                return None
        return found


class Inquiry:
    """A question, and how the data of its answer are laid out."""

    def __init__(self, asked: str, answer: str, of: Range = (0, 0xFFFF)) -> None:
        self.asked, self.answer = Layout(asked).write(), Layout(answer, of)


COMMANDS: Mapping[str, Layout] = {
    "pan-tilt to": Layout("81 01 06 02 pan_speed tilt_speed pan:4 tilt:4 FF"),
    "pan-tilt by": Layout("81 01 06 03 pan_speed tilt_speed pan:4 tilt:4 FF"),
    "pan-tilt drive": Layout("81 01 06 01 pan_speed tilt_speed pan_way tilt_way FF"),
    "zoom to": Layout("81 01 04 47 zoom:4 FF"),
    "zoom drive": Layout("81 01 04 07 zoom_way FF"),
    "home": Layout("81 01 06 04 FF"),
    "memory set": Layout("81 01 04 3F 01 memory FF"),
    "memory recall": Layout("81 01 04 3F 02 memory FF"),
    "reset sequence": Layout("01"),
    "number the cameras": Layout("88 30 01 FF"),
    "clear what runs": Layout("88 01 00 01 FF"),
}

INQUIRIES: Mapping[str, Inquiry] = {
    "pan-tilt": Inquiry("81 09 06 12 FF", "pan:4 tilt:4"),
    "zoom": Inquiry("81 09 04 47 FF", "zoom:4"),
    "version": Inquiry("81 09 00 02 FF", "word word word word word word word"),
}


@dataclass(frozen=True, slots=True)
class SettingRow:
    """One of a camera's settings: a word of a few (`words`: word to byte), or a number when there are none."""

    command: Layout
    inquiry: Inquiry
    words: Mapping[str, int]

    def write(self, value: str | int) -> bytes:
        """The command that sets it. Raises KeyError for a word, ValueError for a number that it cannot have."""
        return self.command.write(value=self.words[str(value)] if self.words else int(value))

    def read(self, data: bytes) -> str | int | None:
        """The value in an answer's data; None when it is none."""
        found = self.inquiry.answer.read(data)
        if found is None:
            return None
        value = found["value"]
        return next((word for word, code in self.words.items() if code == value), None) if self.words else value


def _words(middle: str, asked: str, **words: int) -> SettingRow:
    plain = {word.replace("_", " "): code for word, code in words.items()}
    return SettingRow(Layout(f"81 01 {middle} value FF"), Inquiry(f"81 09 {asked} FF", "value"), plain)


def _number(middle: str, value: str, low: int, high: int) -> SettingRow:
    inquiry = Inquiry(f"81 09 {middle} FF", "value:4", (low, high))
    return SettingRow(Layout(f"81 01 {middle} {value} FF", (low, high)), inquiry, {})


SETTINGS: Mapping[str, SettingRow] = {
    "power": _words("04 00", "04 00", on=2, standby=3),
    "mount": _words("04 66", "04 66", turned=2, upright=3),
    "focus.mode": _words("04 38", "04 38", automatic=2, manual=3),
    "focus": _number("04 48", "value:4", 0x1000, 0xF000),
    "exposure.mode": _words("04 39", "04 39", automatic=0, manual=3),
    "iris": _number("04 4B", "00 00 value:2", 0, 17),
    "gain": _number("04 4C", "00 00 value:2", 0, 15),
    "shutter": _number("04 4A", "00 00 value:2", 0, 21),
    "white_balance": _words("04 35", "04 35", automatic=0, indoor=1, outdoor=2, one_push=3, manual=5),
    "tally": _words("7E 01 0A 00", "7E 01 0A", lit=2, off=3),
}
