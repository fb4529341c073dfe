"""VISCA as bytes, bare and over IP: what the desk says, and one reader of replies. No state, no sockets.

A datagram is an 8-byte header (payload type, payload length, sequence number; all big-endian) and a payload of
1 to 16 bytes. Commands and inquiries start with 0x81 (from controller 0 to camera 1) and end with 0xFF; replies
start with 0x90. The messages themselves are the table in `messages`.

Source: the published VISCA command lists and the published VISCA over IP message format.
"""

import struct
from dataclasses import dataclass
from enum import IntEnum

from ribalta.devices.drivers.visca.messages import (
    COMMANDS,
    INQUIRIES,
    PAN_SPEEDS,
    TILT_SPEEDS,
    ZOOM_SPEEDS,
)

HEADER = struct.Struct(">HHI")
LONGEST_PAYLOAD = 16


class PayloadType(IntEnum):
    """What a datagram holds, by its first two bytes."""

    COMMAND = 0x0100
    INQUIRY = 0x0110
    REPLY = 0x0111
    CONTROL = 0x0200
    CONTROL_REPLY = 0x0201


# What the desk sends, by the table of `messages`.

PAN_TILT_INQUIRY = INQUIRIES["pan-tilt"].asked
ZOOM_INQUIRY = INQUIRIES["zoom"].asked
VERSION_INQUIRY = INQUIRIES["version"].asked
HOME = COMMANDS["home"].write()
RESET_SEQUENCE = COMMANDS["reset sequence"].write()


def pan_tilt_absolute(pan: int, tilt: int, pan_speed: int, tilt_speed: int) -> bytes:
    """Counts, signed 16 bits; speeds 1..24 and 1..20. Raises ValueError outside of these."""
    return COMMANDS["pan-tilt to"].write(pan=pan, tilt=tilt, pan_speed=pan_speed, tilt_speed=tilt_speed)


def pan_tilt_relative(pan: int, tilt: int, pan_speed: int, tilt_speed: int) -> bytes:
    """Counts from where it is, signed 16 bits; speeds as for `pan_tilt_absolute`."""
    return COMMANDS["pan-tilt by"].write(pan=pan, tilt=tilt, pan_speed=pan_speed, tilt_speed=tilt_speed)


def pan_tilt_drive(pan: float, tilt: float) -> bytes:
    """Shares of full speed, -1 to 1; 0 stops an axis. Raises ValueError outside of these."""
    return COMMANDS["pan-tilt drive"].write(
        pan_speed=max(1, round(abs(pan) * PAN_SPEEDS)),
        tilt_speed=max(1, round(abs(tilt) * TILT_SPEEDS)),
        pan_way=3 if pan == 0 else 2 if pan > 0 else 1,
        tilt_way=3 if tilt == 0 else 1 if tilt > 0 else 2,
    )


def zoom_drive(zoom: float) -> bytes:
    """A share of full speed, -1 (out) to 1 (in); 0 stops. Raises ValueError outside of these."""
    way = 0 if zoom == 0 else (0x20 if zoom > 0 else 0x30) | round(abs(zoom) * ZOOM_SPEEDS)
    return COMMANDS["zoom drive"].write(zoom_way=way)


def zoom_direct(zoom: int) -> bytes:
    """Counts 0 (wide) to 0x4000. Raises ValueError outside of these."""
    return COMMANDS["zoom to"].write(zoom=zoom)


def memory_set(slot: int) -> bytes:
    """Keep how it stands under a memory of its own, 0 to 127. Raises ValueError outside of these."""
    return COMMANDS["memory set"].write(memory=slot)


def memory_recall(slot: int) -> bytes:
    """Go to a memory of its own, 0 to 127. Raises ValueError outside of these."""
    return COMMANDS["memory recall"].write(memory=slot)


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
    found = INQUIRIES["pan-tilt"].answer.read(data)
    return (found["pan"], found["tilt"]) if found is not None else None


def read_zoom(data: bytes) -> int | None:
    """Zoom counts from the answer to ZOOM_INQUIRY, or None when it is malformed or out of range."""
    found = INQUIRIES["zoom"].answer.read(data)
    return found["zoom"] if found is not None else None
