"""The camera's side of VISCA, written from the published message lists and sharing nothing with the desk.

An `Answerer` is one conversation, with the header of VISCA over IP or bare. `hear` takes bytes and returns replies.
Two commands can be under way (one that turns the head, one that zooms); a newer one of the same kind cancels the older.
"""

from dataclasses import dataclass

from ribalta.standins.body import Body
from ribalta.standins.head import Stand

COUNTS_PER_DEG = 100.0


@dataclass
class _Running:
    socket: int
    sequence: int


class Answerer:
    def __init__(self, body: Body, bare: bool = False) -> None:
        self._body = body
        self._head = body.head
        self._bare = bare
        self._rest = b""
        self._counting = False
        self._last_sequence = -1
        self._last_ack = b""
        self._running: dict[str, _Running] = {}

    def hear(self, data: bytes, now_s: float) -> list[bytes]:
        """Replies to what came; a malformed message is dropped or answered with the error the lists give for it."""
        if not self._bare:
            return self._datagram(data, now_s)
        *whole, rest = (self._rest + data).split(b"\xff")
        self._rest = rest[:32]
        replies: list[bytes] = []
        for words in whole:
            replies += self._bare_message(words[-15:] + b"\xff", now_s)
        return replies

    def _bare_message(self, body: bytes, now_s: float) -> list[bytes]:
        if body == b"\x88\x30\x01\xff":
            return [b"\x88\x30\x02\xff"]
        if body[0] != 0x81:
            return []
        if body[1:2] == b"\x09":
            return [self._reply(-1, self._inquiry(body[1:-1], now_s))]
        return self._command(-1, body[1:-1], now_s)

    def _datagram(self, datagram: bytes, now_s: float) -> list[bytes]:
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

    @property
    def is_busy(self) -> bool:
        """Is there a command that has not come to its end?"""
        return bool(self._running)

    def finished(self, now_s: float) -> list[bytes]:
        """Completions of commands that have come to their end."""
        if not self._running:
            return []
        turning, zooming = self._head.turning(now_s), self._head.zooming(now_s)
        done = []
        for name, busy in (("turn", turning), ("zoom", zooming), ("both", turning or zooming)):
            running = self._running.get(name)
            if running is not None and not busy:
                del self._running[name]
                done.append(self._reply(running.sequence, bytes([0x50 | running.socket])))
        return done

    def _inquiry(self, words: bytes, now_s: float) -> bytes:
        body = self._body
        if words == b"\x09\x00\x02":
            return b"\x50\x00\x01\x00\x42\x00\x10\x02"
        if words == b"\x09\x04\x00":
            return bytes((0x50, body.power()))
        if words == b"\x09\x7e\x01\x0a":
            return bytes((0x50, body.tally))
        if words in (b"\x09\x06\x12", b"\x09\x04\x47"):
            if body.faults.no_position or not body.awake:
                return b"\x60\x41"
            stand = self._head.now(now_s)
            if words == b"\x09\x04\x47":
                return b"\x50" + _spread(round(stand.zoom * 16384))
            return (
                b"\x50"
                + _spread(round(stand.pan_deg * COUNTS_PER_DEG))
                + _spread(round(stand.tilt_deg * COUNTS_PER_DEG))
            )
        register = body.registers.get(words[2]) if len(words) == 3 and words[1] == 0x04 else None
        if register is None:
            return b"\x60\x02"
        return b"\x50" + (_spread(register.value) if register.wide else bytes((register.value,)))

    def _command(self, sequence: int, words: bytes, now_s: float) -> list[bytes]:
        if sequence >= 0 and sequence == self._last_sequence:  # said twice because our answer was lost
            return [self._last_ack] if self._last_ack else []
        if words[:3] == b"\x01\x04\x00" and len(words) == 4 and words[3] in (2, 3):
            self._body.switch(words[3])
            return self._done(sequence)
        if not self._body.awake:
            return [self._reply(sequence, b"\x60\x41")]
        kind = self._move(words, now_s)
        if kind is None:
            return self._other(sequence, words, now_s)
        replies = []
        for name in {"turn": ("turn", "both"), "zoom": ("zoom", "both"), "both": ("turn", "zoom", "both")}[kind]:
            older = self._running.pop(name, None)
            if older is not None:
                replies.append(self._reply(older.sequence, bytes([0x60 | older.socket, 0x04])))
        return [*replies, self._accept(kind, sequence)]

    def _move(self, words: bytes, now_s: float) -> str | None:
        """Start what the words ask for and say which kind it is; None when they ask for no (possible) move."""
        head = self._head
        if words[:3] == b"\x01\x06\x02" and len(words) == 13:
            pan_speed, tilt_speed = words[3], words[4]
            pan, tilt = _gather(words[5:9]), _gather(words[9:13])
            if not (1 <= pan_speed <= 24 and 1 <= tilt_speed <= 20) or pan is None or tilt is None:
                return None
            head.go(now_s, pan / COUNTS_PER_DEG, tilt / COUNTS_PER_DEG, pan_speed / 24, tilt_speed / 20)
            return "turn"
        if words[:3] == b"\x01\x04\x47" and len(words) == 7:
            zoom = _gather(words[3:7])
            if zoom is None or not 0 <= zoom <= 16384:
                return None
            head.go_zoom(now_s, zoom / 16384)
            return "zoom"
        if words[:3] == b"\x01\x06\x01" and len(words) == 7:
            return self._drive(words, now_s)
        if words[:3] == b"\x01\x06\x03" and len(words) == 13:
            by_pan, by_tilt, goal = _gather(words[5:9]), _gather(words[9:13]), head.now(now_s)
            if by_pan is None or by_tilt is None or not (1 <= words[3] <= 24 and 1 <= words[4] <= 20):
                return None
            pan_deg, tilt_deg = goal.pan_deg + by_pan / COUNTS_PER_DEG, goal.tilt_deg + by_tilt / COUNTS_PER_DEG
            head.go(now_s, pan_deg, tilt_deg, words[3] / 24, words[4] / 20)
            return "turn"
        if words[:3] == b"\x01\x04\x07" and len(words) == 4:
            way, share = words[3] >> 4, (words[3] & 0x0F) / 7
            if words[3] not in (0, 2, 3) and (way not in (2, 3) or share > 1):
                return None
            end = {0: head.now(now_s).zoom, 2: 1.0, 3: 0.0}[way or words[3]]
            head.go_zoom(now_s, end, max(0.1, share) if way else 1.0)
            return "zoom"
        if words == b"\x01\x06\x04":
            head.go(now_s, 0.0, 0.0, 1.0, 1.0)
            return "turn"
        if words[:4] == b"\x01\x04\x3f\x02" and len(words) == 5 and words[4] in head.memories:
            stand: Stand = head.memories[words[4]]
            head.go(now_s, stand.pan_deg, stand.tilt_deg, 1.0, 1.0)
            head.go_zoom(now_s, stand.zoom)
            return "both"
        return None

    def _drive(self, words: bytes, now_s: float) -> str | None:
        """Speeds of pan and tilt, then their ways: 1 left or up, 2 right or down, 3 stop."""
        pan_speed, tilt_speed, pan_way, tilt_way = words[3:7]
        if pan_way not in (1, 2, 3) or tilt_way not in (1, 2, 3) or pan_speed > 24 or tilt_speed > 20:
            return None
        pan = {1: -1, 2: 1, 3: 0}[pan_way] * pan_speed / 24
        tilt = {1: 1, 2: -1, 3: 0}[tilt_way] * tilt_speed / 20
        self._head.drive(now_s, pan, tilt)
        return "turn"

    def _other(self, sequence: int, words: bytes, now_s: float) -> list[bytes]:
        body = self._body
        if words[:3] == b"\x01\x04\x3f" and len(words) == 5:
            if words[3] == 2:
                return [self._reply(sequence, b"\x60\x41")]
            if words[3] == 1:
                self._head.memories[words[4]] = self._head.now(now_s)
            else:
                self._head.memories.pop(words[4], None)
            return self._done(sequence)
        if words[:5] == b"\x01\x7e\x01\x0a\x00" and len(words) == 6 and words[5] in (2, 3):
            body.tally = words[5]
            return self._done(sequence)
        register = body.registers.get(words[2]) if words[:2] == b"\x01\x04" and len(words) > 3 else None
        value = _gather(words[3:]) if register is not None and register.wide else words[3] if len(words) == 4 else None
        if register is None or value is None or value & 0xFFFF not in register.allowed:
            return [self._reply(sequence, b"\x60\x02")]
        if not body.allows(register):
            return [self._reply(sequence, b"\x60\x41")]
        register.value = value & 0xFFFF
        return self._done(sequence)

    def _done(self, sequence: int) -> list[bytes]:
        self._remember(sequence, 1)
        return [self._last_ack, self._reply(sequence, b"\x51")]

    def _accept(self, kind: str, sequence: int) -> bytes:
        socket = 2 if kind == "zoom" else 1
        self._running[kind] = _Running(socket, sequence)
        self._remember(sequence, socket)
        return self._last_ack

    def _remember(self, sequence: int, socket: int) -> None:
        self._last_sequence = sequence
        self._last_ack = self._reply(sequence, bytes([0x40 | socket]))

    def _reply(self, sequence: int, words: bytes) -> bytes:
        return self._wrap(0x0111, sequence, b"\x90" + words + b"\xff")

    def _wrap(self, kind: int, sequence: int, body: bytes) -> bytes:
        if self._bare:
            return body
        return kind.to_bytes(2, "big") + len(body).to_bytes(2, "big") + sequence.to_bytes(4, "big") + body


def _spread(value: int) -> bytes:
    """A signed 16-bit value on four nibbles."""
    return bytes.fromhex("0" + "0".join(f"{value & 0xFFFF:04x}"))


def _gather(words: bytes) -> int | None:
    """A signed 16-bit value from four nibbles; None when one of them is more than a nibble."""
    text = words.hex()
    if len(words) != 4 or text[::2] != "0000":
        return None
    value = int(text[1::2], 16)
    return value - 0x10000 if value >= 0x8000 else value
