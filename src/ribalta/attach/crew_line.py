"""Sound between a show's server and its guests' door, in blocks of 20 ms: program and the director's voice one way, the
guests' voices back. What is not taken in time is dropped: neither end waits for the other."""

import contextlib
import socket
from collections.abc import Iterator
from enum import IntEnum

import numpy as np

from ribalta.core.sound.blocks import BLOCK, JitterBuffer, as_16_bits
from ribalta.core.sound.levels import Samples

AHEAD, MOST_AHEAD = 2, 10  # blocks of the guests' voices: so many are waited for, and kept at most
MOST_AT_ONCE = 64


class Voice(IntEnum):
    """Whose sound a block is."""

    PROGRAM = 1
    CREW = 2  # the director, to the guests
    GUESTS = 3  # all who talk, to the director


class CrewLine:
    """One end of a pair. Blocks are mono, full scale 1, BLOCK samples each. One thread at a time uses it."""

    def __init__(self, made: socket.socket) -> None:
        made.setblocking(False)
        self._socket = made

    def fileno(self) -> int:
        """For selectors."""
        return self._socket.fileno()

    def put(self, voice: Voice, block: Samples) -> bool:
        """Was there room for it? Raises OSError when the other end is gone."""
        try:
            self._socket.send(bytes([voice]) + as_16_bits(block).tobytes())
        except BlockingIOError:
            return False
        return True

    def take(self) -> tuple[Voice, Samples] | None:
        """What came next; None: nothing has. Raises OSError when the other end is gone or says what is no sound."""
        try:
            data = self._socket.recv(2 * BLOCK + 2)
        except BlockingIOError:
            return None
        if not data:
            raise ConnectionResetError("the other end is gone")
        if len(data) != 2 * BLOCK + 1 or data[0] not in list(Voice):
            raise ConnectionAbortedError("that is no sound")
        return Voice(data[0]), np.frombuffer(data, "<i2", offset=1).astype(np.float32) / np.float32(32768)

    def close(self) -> None:
        """Nothing more comes or goes."""
        self._socket.close()


def pair() -> tuple[CrewLine, int]:
    """The server's end, and the file of the door's."""
    here, there = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
    return CrewLine(here), there.detach()


def at_file(file: int) -> CrewLine:
    """The end that came as a file."""
    return CrewLine(socket.socket(fileno=file))


class CrewSide:
    """The server's end, as the sound of program uses it."""

    def __init__(self, line: CrewLine) -> None:
        self._line: CrewLine | None = line
        self._said = JitterBuffer(AHEAD, MOST_AHEAD)

    def tell(self, program: Samples, talk: Samples | None) -> None:
        """A block of program, and of the director's voice, to the guests. Returns at once."""
        with self._kept() as line:
            if line is not None:
                line.put(Voice.PROGRAM, program)
                if talk is not None:
                    line.put(Voice.CREW, talk)

    def said(self) -> Samples | None:
        """The next block of what guests say. Returns at once."""
        with self._kept() as line:
            for _ in range(MOST_AT_ONCE):
                came = line.take() if line is not None else None
                if came is None:
                    break
                self._said.put(came[1])
        return self._said.take()

    @contextlib.contextmanager
    def _kept(self) -> Iterator[CrewLine | None]:
        """The line while it lasts."""
        try:
            yield self._line
        except OSError:
            self.close()

    def close(self) -> None:
        """Nothing more comes or goes."""
        line, self._line = self._line, None
        if line is not None:
            line.close()
