"""The two ways VISCA travels: with the header of VISCA over IP, or bare, as on a serial line.

Bare replies carry no number, so they are matched by kind, length and order; see the driver.
"""

from typing import Protocol

from ribalta.devices.drivers.visca import wire
from ribalta.devices.drivers.visca.messages import COMMANDS


class Dialect(Protocol):
    """`numbered`: replies say which message they answer. `late_s`: how long a late answer may still come."""

    numbered: bool
    silence_s: float
    late_s: float

    def greeting(self) -> list[bytes]:
        """What makes a camera that is there answer."""
        ...

    def wrap(self, kind: wire.PayloadType, sequence: int, payload: bytes) -> bytes:
        """A payload as it goes onto the line."""
        ...

    def read(self, data: bytes) -> list[tuple[int, wire.Reply]]:
        """The replies in what has just arrived, with their sequence numbers (-1 when they have none)."""
        ...


class Headered:
    """VISCA over IP: one datagram a message."""

    numbered = True
    silence_s = 1.0
    late_s = 0.0

    def greeting(self) -> list[bytes]:
        """See `Dialect`."""
        return [wire.datagram(wire.PayloadType.CONTROL, 0, wire.RESET_SEQUENCE)]

    def wrap(self, kind: wire.PayloadType, sequence: int, payload: bytes) -> bytes:
        """See `Dialect`."""
        return wire.datagram(kind, sequence, payload)

    def read(self, data: bytes) -> list[tuple[int, wire.Reply]]:
        """See `Dialect`."""
        message = wire.read(data)
        return [message] if message is not None else []


class Bare:
    """Payloads alone. `stream`: a message may come in pieces (TCP, serial). `chain`: number the cameras first."""

    numbered = False
    silence_s = 1.6

    def __init__(self, stream: bool, chain: bool = False) -> None:
        self.late_s = 0.1 if stream else 0.3
        self._stream = stream
        self._chain = chain
        self._begun = b""

    def greeting(self) -> list[bytes]:
        """See `Dialect`."""
        first = [COMMANDS["number the cameras"].write(), COMMANDS["clear what runs"].write()] if self._chain else []
        return [*first, wire.VERSION_INQUIRY]

    def wrap(self, kind: wire.PayloadType, sequence: int, payload: bytes) -> bytes:
        """See `Dialect`."""
        return payload

    def read(self, data: bytes) -> list[tuple[int, wire.Reply]]:
        """See `Dialect`."""
        *whole, rest = (self._begun + data if self._stream else data).split(b"\xff")
        self._begun = rest[: wire.LONGEST_PAYLOAD + 1] if self._stream else b""
        replies = []
        for part in whole:
            reply = wire.read_payload(part[-wire.LONGEST_PAYLOAD :] + b"\xff")
            if reply is not None:
                replies.append((-1, reply))
        return replies
