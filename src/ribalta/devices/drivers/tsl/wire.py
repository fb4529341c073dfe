"""TSL UMD as bytes: what names and tally lamps under-monitor displays are told, in versions 3.1 and 5.0.

Version 3.1 has one display a packet: address + 0x80, a control byte (lamps 1 to 4 in bits 0 to 3, brightness in bits 4
and 5) and 16 ASCII characters. Version 5.0 has many in one: byte count, version, flags, screen, and for each display
index, control (right, text and left lamp with two bits each: 0 off, 1 red, 2 green, 3 amber; brightness in bits 6 and
7), length and text; all numbers of 16 bits, the low byte first.

Here lamp 1 (and left, and text) is red for on air, lamp 2 (and right) green for next.

Source: the published TSL UMD Protocol, versions 3.1 and 5.0.
"""

import struct
from collections.abc import Sequence
from dataclasses import dataclass

FULL = 3
OFF, RED, GREEN = 0, 1, 2
UNICODE = 1
LARGEST = 2048


@dataclass(frozen=True, slots=True)
class Display:
    """One display: its index from 0, what stands on it, and its lamps."""

    index: int
    text: str
    on_air: bool = False
    next: bool = False


def v31(display: Display) -> bytes:
    """18 bytes. Raises ValueError for an index above 126; letters that ASCII lacks become "?"."""
    if not 0 <= display.index <= 126:
        raise ValueError(f"display {display.index} is outside 0..126")
    control = (1 if display.on_air else 0) | (2 if display.next else 0) | FULL << 4
    text = display.text.encode("ascii", "replace")[:16].ljust(16)
    return bytes((0x80 + display.index, control)) + text


def v50(displays: Sequence[Display], screen: int) -> list[bytes]:
    """Packets of at most LARGEST bytes with all displays, in order. Raises ValueError for a screen above 65534."""
    if not 0 <= screen <= 65534:
        raise ValueError(f"screen {screen} is outside 0..65534")
    plain = all(display.text.isascii() for display in displays)
    packets, body = [], b""
    for display in displays:
        message = _message(display, plain)
        if len(body) + len(message) + 6 > LARGEST:
            packets.append(_packet(body, screen, plain))
            body = b""
        body += message
    return [*packets, _packet(body, screen, plain)] if body else packets


def _message(display: Display, plain: bool) -> bytes:
    text = display.text.encode("ascii" if plain else "utf-16-le")[:512]
    middle = RED if display.on_air else GREEN if display.next else OFF
    left, right = RED if display.on_air else OFF, GREEN if display.next else OFF
    control = right | middle << 2 | left << 4 | FULL << 6
    return struct.pack("<HHH", display.index, control, len(text)) + text


def _packet(body: bytes, screen: int, plain: bool) -> bytes:
    return struct.pack("<HBBH", len(body) + 4, 0, 0 if plain else UNICODE, screen) + body
