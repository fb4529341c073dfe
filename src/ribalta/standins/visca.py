"""The camera's side of VISCA over IP, written from the published message lists and sharing nothing with the desk.

`Answerer.hear` takes one datagram and returns the replies with the delays after which they leave. Two commands
can be under way (one that turns the head, one that zooms); a newer one of the same kind cancels the older.
"""

from dataclasses import dataclass

from ribalta.standins.head import Head, Stand

COUNTS_PER_DEG = 100.0


@dataclass
class _Running:
    kind: str
    socket: int
    tail: bytes
    sequence: int


class Answerer:
    def __init__(self, head: Head) -> None:
        self._head = head
        self._counting = False
        self._last_sequence = -1
        self._last_ack = b""
        self._running: dict[str, _Running] = {}

    def hear(self, datagram: bytes, now_s: float) -> list[bytes]:
        """Replies to one datagram; a malformed one is dropped or answered with the error the lists give for it."""
        if len(datagram) < 9:
            return []
        kind, length = int.from_bytes(datagram[0:2], "big"), int.from_bytes(datagram[2:4], "big")
        sequence, body = int.from_bytes(datagram[4:8], "big"), datagram[8:]
        if length != len(body) or length > 16:
            return [self._wrap(0x0201, sequence, b"\x0f\x02")]
        if kind == 0x0200:
            if body == b"\x01":
                self._counting, self._last_sequence = True, -1
                return [self._wrap(0x0201, sequence, b"\x01")]
            return []
        if not self._counting:
            return [self._wrap(0x0201, sequence, b"\x0f\x01")]
        if body[0] != 0x81 or body[-1] != 0xFF:
            return [self._reply(sequence, b"\x60\x02")]
        if kind == 0x0110:
            return [self._reply(sequence, self._inquiry(body[1:-1], now_s))]
        if kind == 0x0100:
            return self._command(sequence, body[1:-1], now_s)
        return []

    def finished(self, now_s: float) -> list[bytes]:
        """Completions of commands that have come to their end."""
        done = []
        for name, busy in (("turn", self._head.turning(now_s)), ("zoom", self._head.zooming(now_s))):
            running = self._running.get(name)
            if running is not None and not busy:
                del self._running[name]
                done.append(self._reply(running.sequence, bytes([0x50 | running.socket])))
        return done

    def _inquiry(self, words: bytes, now_s: float) -> bytes:
        stand = self._head.now(now_s)
        if words == b"\x09\x06\x12":
            pan, tilt = round(stand.pan_deg * COUNTS_PER_DEG), round(stand.tilt_deg * COUNTS_PER_DEG)
            return b"\x50" + _spread(pan) + _spread(tilt)
        if words == b"\x09\x04\x47":
            return b"\x50" + _spread(round(stand.zoom * 16384))
        return b"\x60\x02"

    def _command(self, sequence: int, words: bytes, now_s: float) -> list[bytes]:
        if sequence == self._last_sequence:  # said twice because our answer was lost: answer again, do nothing
            return [self._last_ack] if self._last_ack else []
        head, replies = self._head, []
        if words[:3] == b"\x01\x06\x02" and len(words) == 13:
            pan_speed, tilt_speed = words[3], words[4]
            pan, tilt = _gather(words[5:9]), _gather(words[9:13])
            if not (1 <= pan_speed <= 24 and 1 <= tilt_speed <= 20) or pan is None or tilt is None:
                return [self._reply(sequence, b"\x60\x02")]
            head.go(now_s, pan / COUNTS_PER_DEG, tilt / COUNTS_PER_DEG, pan_speed / 24, tilt_speed / 20)
            kind = "turn"
        elif words[:3] == b"\x01\x04\x47" and len(words) == 7:
            zoom = _gather(words[3:7])
            if zoom is None or not 0 <= zoom <= 16384:
                return [self._reply(sequence, b"\x60\x02")]
            head.go_zoom(now_s, zoom / 16384)
            kind = "zoom"
        elif words[:3] == b"\x01\x06\x01" and words[5:] == b"\x03\x03":
            head.stop(now_s)
            kind = "turn"
        elif words[:3] == b"\x01\x04\x3f" and len(words) == 5:
            return self._memory(sequence, words[3], words[4], now_s)
        else:
            return [self._reply(sequence, b"\x60\x02")]
        older = self._running.pop(kind, None)
        if older is not None:
            replies.append(self._reply(older.sequence, bytes([0x60 | older.socket, 0x04])))
        return [*replies, self._accept(kind, sequence)]

    def _memory(self, sequence: int, operation: int, slot: int, now_s: float) -> list[bytes]:
        if operation == 1:
            self._head.memories[slot] = self._head.now(now_s)
        elif operation == 0:
            self._head.memories.pop(slot, None)
        elif operation == 2 and slot in self._head.memories:
            stand: Stand = self._head.memories[slot]
            self._head.go(now_s, stand.pan_deg, stand.tilt_deg, 1.0, 1.0)
            self._head.go_zoom(now_s, stand.zoom)
            return [self._accept("turn", sequence)]
        else:
            return [self._reply(sequence, b"\x60\x41")]
        return [self._accept("memory", sequence), self._reply(sequence, b"\x51")]

    def _accept(self, kind: str, sequence: int) -> bytes:
        socket = 2 if kind == "zoom" else 1
        if kind != "memory":
            self._running[kind] = _Running(kind, socket, b"", sequence)
        self._last_sequence = sequence
        self._last_ack = self._reply(sequence, bytes([0x40 | socket]))
        return self._last_ack

    def _reply(self, sequence: int, words: bytes) -> bytes:
        return self._wrap(0x0111, sequence, b"\x90" + words + b"\xff")

    def _wrap(self, kind: int, sequence: int, body: bytes) -> bytes:
        return kind.to_bytes(2, "big") + len(body).to_bytes(2, "big") + sequence.to_bytes(4, "big") + body


def _spread(value: int) -> bytes:
    """A signed 16-bit value on four nibbles."""
    return bytes.fromhex("0" + "0".join(f"{value & 0xFFFF:04x}"))


def _gather(words: bytes) -> int | None:
    """A signed 16-bit value from four nibbles; None when one of them is more than a nibble."""
    text = words.hex()
    if text[::2] != "0000":
        return None
    value = int(text[1::2], 16)
    return value - 0x10000 if value >= 0x8000 else value
