"""Reads a camera's pictures from a shared file in memory, without waiting for its writer and without a copy.

Layout, little-endian; a stream is 0 (main) or 1 (small):

    0     8 bytes  b"RIBALTA2"
    16    f64      time (CLOCK_MONOTONIC) at which a reader last wished for the main stream
    24    f64      the same, at which a reader last looked at all
    64+256*stream:
        0   u32 u32  width, height
        8   u64      offset of the first slot's pixels
        16  u64      number of the latest whole frame, from 1; it is in slot number % 3
        32+64*slot:  u64 frame number (0 while it is written), f64 time of capture

A picture is the planes of I420 (BT.709, limited range), one after the other without padding.
A frame stays whole for two more frames after a newer one has come.
"""

import contextlib
import mmap
import os
import struct
from pathlib import Path

import numpy as np

from ribalta.core.picture.planes import Picture, bytes_of
from ribalta.media.sources.pace import Pace
from ribalta.media.sources.source import LOST_AFTER_S, Frame

FOLDER = Path("/dev/shm")
MAIN, SMALL = 0, 1
LOOK_AGAIN_S = 0.5
LARGEST = 4096
TRIES = 4


class _Opened:
    def __init__(self, path: Path) -> None:
        handle = os.open(path, os.O_RDWR)
        try:
            self.inode = os.fstat(handle).st_ino
            self.map = mmap.mmap(handle, os.fstat(handle).st_size)
        finally:
            os.close(handle)
        if self.map[0:8] != b"RIBALTA2":
            raise ValueError("not a picture file")
        self.slots = [self._stream(stream) for stream in (MAIN, SMALL)]

    def _stream(self, stream: int) -> list[Picture]:
        width, height, offset = struct.unpack_from("<IIQ", self.map, 64 + 256 * stream)
        if not (0 < width <= LARGEST and 0 < height <= LARGEST):
            raise ValueError("an impossible picture size")
        size = bytes_of(width, height)
        memory = (np.frombuffer(self.map, np.uint8, size, offset + k * size) for k in range(3))
        return [Picture.over(one, width, height, lent=True) for one in memory]

    def latest(self, stream: int) -> Frame | None:
        """On a busy machine the writer may be three frames further on between two looks: it is looked again."""
        return next((frame for _ in range(TRIES) if (frame := self._look(stream)) is not None), None)

    def _look(self, stream: int) -> Frame | None:
        (number,) = struct.unpack_from("<Q", self.map, 64 + 256 * stream + 16)
        return self.one(stream, number) if number else None

    def one(self, stream: int, number: int) -> Frame | None:
        """A frame by its number; None when it is not there, or not any more."""
        slot = number % 3
        written, captured_s = struct.unpack_from("<Qd", self.map, 64 + 256 * stream + 32 + 64 * slot)
        return Frame(number, captured_s, self.slots[stream][slot]) if written == number else None


class SharedPicture:
    """One camera's picture. When the writer goes, the last frame stays; when one comes back, it is found again."""

    def __init__(self, name: str) -> None:
        safe = name and "/" not in name and name not in (".", "..")
        self._path = FOLDER / name if safe else None
        self._opened: _Opened | None = None
        self._look_s = 0.0
        self.newest_s = 0.0
        self._pace = Pace(most_waiting=1)

    @property
    def trouble(self) -> str | None:
        """Why no picture comes, as a phrase."""
        if self._path is None:
            return "its name is missing, or cannot be a name"
        return (
            None if self._opened is not None else f"nothing on this machine writes a picture called {self._path.name}"
        )

    def arrives(self, now_s: float) -> bool:
        """Has a frame come lately? Looks for a new writer now and then when none has."""
        if self._opened is not None:
            struct.pack_into("<d", self._opened.map, 24, now_s)
            frames = [self._opened.latest(stream) for stream in (MAIN, SMALL)]
            self.newest_s = max((f.captured_s for f in frames if f is not None), default=self.newest_s)
        if now_s - self.newest_s < LOST_AFTER_S:
            return True
        if now_s >= self._look_s:
            self._look_s = now_s + LOOK_AGAIN_S
            self._open_if_new()
        return False

    def _open_if_new(self) -> None:
        with contextlib.suppress(OSError, ValueError, struct.error):
            if self._path is not None and (self._opened is None or self._path.stat().st_ino != self._opened.inode):
                self._opened = _Opened(self._path)

    def want_main(self, now_s: float) -> None:
        """Say that the full-size stream is wanted for the next half second."""
        if self._opened is not None:
            struct.pack_into("<d", self._opened.map, 16, now_s)

    def step(self, now_s: float, frame_s: float | None) -> None:
        """See `source.Source`."""
        main = self._opened.latest(MAIN) if self._opened is not None else None
        self._pace.follow((main.number, main.captured_s) if main is not None else None, now_s, frame_s)

    def best(self) -> Frame | None:
        """The newest main frame, or the one whose turn it is, if it is fresh, or else the newest frame of any size."""
        if self._opened is None:
            return None
        main, small = self._opened.latest(MAIN), self._opened.latest(SMALL)
        if main is None or (small is not None and main.captured_s < small.captured_s - 0.1):
            return small
        if self._pace.number == main.number - 1:
            return self._opened.one(MAIN, main.number - 1) or main
        return main

    def small(self) -> Frame | None:
        """The newest small frame."""
        return self._opened.latest(SMALL) if self._opened is not None else None

    def close(self) -> None:
        """Frames that were lent stay readable until they are let go."""
        self._opened = None
