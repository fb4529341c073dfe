"""VISCA as bytes, bare and over IP: one table of messages, one reader of replies. No state, no sockets.

A datagram is an 8-byte header (payload type, payload length, sequence number; all big-endian) and a payload of
1 to 16 bytes. Commands and inquiries start with 0x81 (from controller 0 to camera 1) and end with 0xFF; replies
start with 0x90. Numbers travel as nibbles, one in the low half of each byte, most significant first.

Source: the published VISCA command lists and the published VISCA over IP message format.
"""

import struct
from dataclasses import dataclass
from enum import IntEnum

HEADER = struct.Struct(">HHI")
LONGEST_PAYLOAD = 16
ZOOM_COUNTS = 0x4000
PAN_SPEEDS = 0x18
TILT_SPEEDS = 0x14
ZOOM_SPEEDS = 7


class PayloadType(IntEnum):
    """What a datagram holds, by its first two bytes."""

    COMMAND = 0x0100
    INQUIRY = 0x0110
    REPLY = 0x0111
    CONTROL = 0x0200
    CONTROL_REPLY = 0x0201


def nibbles(value: int, digits: int = 4) -> bytes:
    """`value` in two's complement on `digits` nibbles. Raises ValueError when it does not fit."""
    span = 1 << (4 * digits)
    if not -span // 2 <= value < span:
        raise ValueError(f"{value} does not fit on {digits} nibbles")
    value %= span
    return bytes((value >> shift) & 0x0F for shift in range(4 * (digits - 1), -1, -4))


def number(data: bytes, signed: bool) -> int:
    """The value of nibbles. Raises ValueError when a byte is not a nibble."""
    value = 0
    for byte in data:
        if byte > 0x0F:
            raise ValueError(f"byte {byte:#04x} is not a nibble")
        value = value << 4 | byte
    span = 1 << (4 * len(data))
    return value - span if signed and value >= span // 2 else value


# Payloads that the desk sends.

PAN_TILT_INQUIRY = bytes.fromhex("81 09 06 12 FF")
ZOOM_INQUIRY = bytes.fromhex("81 09 04 47 FF")
VERSION_INQUIRY = bytes.fromhex("81 09 00 02 FF")
HOME = bytes.fromhex("81 01 06 04 FF")
RESET_SEQUENCE = bytes.fromhex("01")


def pan_tilt_absolute(pan: int, tilt: int, pan_speed: int, tilt_speed: int) -> bytes:
    """Counts, signed 16 bits; speeds 1..24 and 1..20. Raises ValueError outside of these."""
    if not (1 <= pan_speed <= PAN_SPEEDS and 1 <= tilt_speed <= TILT_SPEEDS):
        raise ValueError(f"speeds {pan_speed}, {tilt_speed} are outside 1..{PAN_SPEEDS}, 1..{TILT_SPEEDS}")
    return bytes((0x81, 0x01, 0x06, 0x02, pan_speed, tilt_speed)) + nibbles(pan) + nibbles(tilt) + b"\xff"


def pan_tilt_relative(pan: int, tilt: int, pan_speed: int, tilt_speed: int) -> bytes:
    """Counts from where it is, signed 16 bits; speeds as for `pan_tilt_absolute`."""
    absolute = pan_tilt_absolute(pan, tilt, pan_speed, tilt_speed)
    return absolute[:3] + b"\x03" + absolute[4:]


def pan_tilt_drive(pan: float, tilt: float) -> bytes:
    """Shares of full speed, -1 to 1; 0 stops an axis."""
    speeds = max(1, round(abs(pan) * PAN_SPEEDS)), max(1, round(abs(tilt) * TILT_SPEEDS))
    ways = 3 if pan == 0 else 2 if pan > 0 else 1, 3 if tilt == 0 else 1 if tilt > 0 else 2
    return bytes((0x81, 0x01, 0x06, 0x01, *speeds, *ways, 0xFF))


def zoom_drive(zoom: float) -> bytes:
    """A share of full speed, -1 (out) to 1 (in); 0 stops."""
    way = 0 if zoom == 0 else (0x20 if zoom > 0 else 0x30) | round(abs(zoom) * ZOOM_SPEEDS)
    return bytes((0x81, 0x01, 0x04, 0x07, way, 0xFF))


def zoom_direct(zoom: int) -> bytes:
    """Counts 0 (wide) to 0x4000. Raises ValueError outside of these."""
    if not 0 <= zoom <= ZOOM_COUNTS:
        raise ValueError(f"zoom {zoom} is outside 0..{ZOOM_COUNTS}")
    return bytes((0x81, 0x01, 0x04, 0x47)) + nibbles(zoom) + b"\xff"


SET, RECALL = 0x01, 0x02


def _memory(operation: int, slot: int) -> bytes:
    if not 0 <= slot <= 0x7F:
        raise ValueError(f"memory {slot} is outside 0..127")
    return bytes((0x81, 0x01, 0x04, 0x3F, operation, slot, 0xFF))


def memory_set(slot: int) -> bytes:
    """Keep how it stands under a memory of its own, 0 to 127. Raises ValueError outside of these."""
    return _memory(SET, slot)


def memory_recall(slot: int) -> bytes:
    """Go to a memory of its own, 0 to 127. Raises ValueError outside of these."""
    return _memory(RECALL, slot)


def datagram(kind: PayloadType, sequence: int, payload: bytes) -> bytes:
    """A payload behind its header: type, length, sequence number (32 bits)."""
    return HEADER.pack(kind, len(payload), sequence & 0xFFFFFFFF) + payload


# What a camera answers.


@dataclass(frozen=True, slots=True)
class Ack:
    """A command was accepted into a socket."""

    socket: int


@dataclass(frozen=True, slots=True)
class Completion:
    """A finished command, or the answer to an inquiry when `data` is not empty."""

    socket: int
    data: bytes


@dataclass(frozen=True, slots=True)
class ErrorReply:
    """A command was refused, or failed."""

    socket: int
    code: int


@dataclass(frozen=True, slots=True)
class ControlReply:
    """An answer to a control command."""

    payload: bytes


Reply = Ack | Completion | ErrorReply | ControlReply

SYNTAX_ERROR = 0x02
BUFFER_FULL = 0x03
CANCELLED = 0x04
NO_SOCKET = 0x05
NOT_EXECUTABLE = 0x41

ERROR_PHRASES = {
    SYNTAX_ERROR: "it does not understand this command",
    NO_SOCKET: "it has no such command running",
    NOT_EXECUTABLE: "it cannot do this now",
}


def read(data: bytes) -> tuple[int, Reply] | None:
    """Sequence number and reply of one datagram; None for anything that is not a whole, well-formed reply."""
    if not HEADER.size < len(data) <= HEADER.size + LONGEST_PAYLOAD:
        return None
    kind, length, sequence = HEADER.unpack_from(data)
    payload = data[HEADER.size :]
    if length != len(payload):
        return None
    if kind == PayloadType.CONTROL_REPLY:
        return sequence, ControlReply(payload)
    if kind != PayloadType.REPLY:
        return None
    reply = read_payload(payload)
    return (sequence, reply) if reply is not None else None


def read_payload(payload: bytes) -> Reply | None:
    """One reply without a header; None for anything that is not whole and well-formed."""
    if not 3 <= len(payload) <= LONGEST_PAYLOAD or payload[0] != 0x90 or payload[-1] != 0xFF:
        return None
    what, socket = payload[1] & 0xF0, payload[1] & 0x0F
    if what == 0x40 and len(payload) == 3:
        return Ack(socket)
    if what == 0x50:
        return Completion(socket, payload[2:-1])
    if what == 0x60 and len(payload) == 4:
        return ErrorReply(socket, payload[2])
    return None


def read_pan_tilt(data: bytes) -> tuple[int, int] | None:
    """Pan and tilt counts from the answer to PAN_TILT_INQUIRY, or None when it is malformed."""
    if len(data) != 8:
        return None
    try:
        return number(data[:4], signed=True), number(data[4:], signed=True)
    except ValueError:
        return None


def read_zoom(data: bytes) -> int | None:
    """Zoom counts from the answer to ZOOM_INQUIRY, or None when it is malformed or out of range."""
    if len(data) != 4:
        return None
    try:
        zoom = number(data, signed=False)
    except ValueError:
        return None
    return zoom if zoom <= ZOOM_COUNTS else None
