"""A process of its own that puts what was encoded on a line: `python -m ribalta.media.outputs.sender`.

The library that does it can hold the interpreter for as long as a receiver likes, so it does that here, where nobody
waits for it, and whoever started it may end it at any time. Standard input has messages (see `header`): first one
KIND_HELLO with JSON (address, container, width, height, rate, sound), then pictures and sounds. Standard output has a
line of JSON each time something is known: {"started": true}, {"open": true}, {"frames": n, "bytes": n}, and at the end
{"error": phrase}.
"""

import contextlib
import ctypes
import json
import os
import signal
import socket
import struct
import sys
import time
from fractions import Fraction
from typing import IO, Any

KIND_HELLO, KIND_PICTURE, KIND_SOUND = 0, 1, 2
HEADER = struct.Struct(">IBBqq")  # length of what follows, kind, key, place of it, frame that counts as the first
LARGEST = 64 * 1024 * 1024
UNSENT = 32 * 1024  # bytes that the system may keep for a receiver that does not read
UNANSWERED_MS = 4000  # so long may what was sent stay unanswered before the line counts as lost
UNREAD_S, UNREAD = 4.0, 2000
ACKED, ACKED_AT, WINDOW, WINDOW_AT = struct.Struct("=Q"), 120, struct.Struct("=I"), 228  # in Linux's struct tcp_info
DIE_WITH_PARENT = 1  # PR_SET_PDEATHSIG


def header(kind: int, data: bytes, key: bool = False, at: int = 0, first: int = 0) -> bytes:
    """What goes before each packet to the sending process."""
    return HEADER.pack(len(data), kind, key, at, first)


def _exactly(file: IO[bytes], count: int) -> bytes | None:
    data = file.read(count)
    return data if data is not None and len(data) == count else None


def _tell(**said: Any) -> None:
    os.write(1, json.dumps(said).encode() + b"\n")


def _open_files() -> set[int]:
    """Without the one that lists them."""
    found = set()
    for name in os.listdir("/proc/self/fd"):
        with contextlib.suppress(OSError):
            os.fstat(int(name))
            found.add(int(name))
    return found


class LineWatch:
    """Looks at the line's own TCP sockets, which the library keeps to itself.

    They are told to keep little that is not taken, and to end when nothing is answered. And it is seen when the
    receiver does not read, long before its system's memory is full: whoever reads moves the end of what he would still
    take; whoever does not leaves it where it is, while what has arrived there grows.
    """

    def __init__(self, others: set[int]) -> None:
        """`others` are the files that were open before the line was."""
        self._lines: list[socket.socket] = []
        self._end: dict[int, int] = {}
        self._moved: dict[int, tuple[float, int]] = {}
        for number in _open_files() - others:
            with contextlib.suppress(OSError):
                self._watch(socket.socket(fileno=os.dup(number)))

    def _watch(self, line: socket.socket) -> None:
        if line.type != socket.SOCK_STREAM or line.family not in (socket.AF_INET, socket.AF_INET6):
            line.close()
            return
        line.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, UNSENT)
        line.setsockopt(socket.IPPROTO_TCP, socket.TCP_USER_TIMEOUT, UNANSWERED_MS)
        self._lines.append(line)

    def is_read(self, now_s: float) -> bool:
        """False when what was sent has not been read for UNREAD_S."""
        return all(self._is_read(k, line, now_s) for k, line in enumerate(self._lines))

    def _is_read(self, k: int, line: socket.socket, now_s: float) -> bool:
        try:
            tcp_info = line.getsockopt(socket.IPPROTO_TCP, socket.TCP_INFO, 256)
            (taken,), (room,) = ACKED.unpack_from(tcp_info, ACKED_AT), WINDOW.unpack_from(tcp_info, WINDOW_AT)
        except (OSError, struct.error):
            return True  # an older system does not tell
        if taken + room > self._end.get(k, -1):
            self._end[k], self._moved[k] = taken + room, (now_s, taken)
        moved_s, taken_then = self._moved[k]
        return now_s - moved_s < UNREAD_S or taken - taken_then < UNREAD


def run(stdin: IO[bytes]) -> int:
    """Put what comes on standard input on the line, until it ends; the exit code."""
    from ribalta.media.outputs.muxer import Muxer, Packet, sound_like

    first = _exactly(stdin, HEADER.size)
    if first is None:
        return 0
    hello = json.loads(_exactly(stdin, HEADER.unpack(first)[0]) or b"{}")
    _tell(started=True)
    before = _open_files()
    kept = sound_like() if hello["sound"] else (None, None)
    size = (int(hello["width"]), int(hello["height"]))
    try:
        carrier = Muxer(hello["address"], hello["container"], size, Fraction(hello["rate"]), kept[1])
        carrier.container.start_encoding()  # only now the line is opened
        line = LineWatch(before)
        _tell(open=True)
        while (head := _exactly(stdin, HEADER.size)) is not None:
            length, kind, key, at, first_frame = HEADER.unpack(head)
            data = _exactly(stdin, length) if length <= LARGEST else None
            if data is None:
                break
            frames = carrier.frames
            carrier.mux(Packet(kind == KIND_PICTURE, at, data, bool(key)), first_frame)
            if carrier.frames != frames:
                if not line.is_read(time.monotonic()):
                    raise ConnectionAbortedError(0, "it takes nothing any more")
                _tell(frames=carrier.frames, bytes=carrier.bytes)
        carrier.close()
    except Exception as error:  # whatever it is, it is why the line is not open any more
        _tell(error=str(getattr(error, "strerror", None) or type(error).__name__))
        return 1
    return 0


def main() -> int:
    """As a process of its own, that ends with the one that began it."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl+C is for the desk, which then ends this
    ctypes.CDLL(None).prctl(DIE_WITH_PARENT, signal.SIGKILL)
    return run(sys.stdin.buffer)


if __name__ == "__main__":
    code = main()
    sys.stdout.flush()
    os._exit(code)  # what the library still waits for is nobody's
