"""How VISCA asks for, sets and answers the settings of `core/show/document/settings.py`: one row each.

Source: the published VISCA command lists.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from ribalta.devices.drivers.visca.wire import nibbles, number

Value = str | int


@dataclass(frozen=True, slots=True)
class SettingCommands:
    """`command` makes the payload that sets a value; `read` turns an answer's data into a value, or None."""

    inquiry: bytes
    length: int
    command: Callable[[Value], bytes]
    read: Callable[[bytes], Value | None]


def _words(middle: str, words: Mapping[str, int], inquiry: str | None = None) -> SettingCommands:
    values = {code: word for word, code in words.items()}
    head = bytes.fromhex("81 01" + middle)
    asked = bytes.fromhex("81 09" + (inquiry or middle) + "FF")
    return SettingCommands(
        asked,
        1,
        lambda value: head + bytes((words[str(value)], 0xFF)),
        lambda data: values.get(data[0]) if len(data) == 1 else None,
    )


def _number(middle: str, digits: int, low: int, high: int) -> SettingCommands:
    head, asked = bytes.fromhex("81 01" + middle), bytes.fromhex("81 09" + middle + "FF")

    def read(data: bytes) -> Value | None:
        if len(data) != 4:
            return None
        try:
            value = number(data, signed=False)
        except ValueError:
            return None
        return value if low <= value <= high else None

    def command(value: Value) -> bytes:
        return head + bytes(4 - digits) + nibbles(int(value), digits) + b"\xff"

    return SettingCommands(asked, 4, command, read)


ROWS: Mapping[str, SettingCommands] = {
    "power": _words("0400", {"on": 2, "standby": 3}),
    "mount": _words("0466", {"turned": 2, "upright": 3}),
    "focus.mode": _words("0438", {"automatic": 2, "manual": 3}),
    "focus": _number("0448", 4, 0x1000, 0xF000),
    "exposure.mode": _words("0439", {"automatic": 0, "manual": 3}),
    "iris": _number("044B", 2, 0, 17),
    "gain": _number("044C", 2, 0, 15),
    "shutter": _number("044A", 2, 0, 21),
    "white_balance": _words("0435", {"automatic": 0, "indoor": 1, "outdoor": 2, "one push": 3, "manual": 5}),
    "tally": _words("7E010A00", {"lit": 2, "off": 3}, "7E010A"),
}
