"""Writes a camera's pictures to a shared file in memory, three slots deep so that a reader never waits.

Layout, little-endian; a stream is 0 (main) or 1 (small):

    0     8 bytes  b"RIBALTA2"
    16    f64      time (CLOCK_MONOTONIC) at which a reader last wished for the main stream
    24    f64      the same, at which a reader last looked at all
    64+256*stream:
        0   u32 u32  width, height
        8   u64      offset of the first slot's pixels
        16  u64      number of the latest whole frame, from 1; it is in slot number % 3
        32+64*slot:  u64 frame number (0 while it is written), f64 time of capture,
                     f64 f64 f64 the head's true pan, tilt (degrees) and zoom

A picture is the planes of I420 (BT.709, limited range), one after the other without padding.
The file is locked (flock) by its writer for as long as it lives.
"""

import contextlib
import fcntl
import mmap
import os
import struct
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ribalta.core.base.faults import LocalFault
from ribalta.standins.head import Stand

FOLDER = Path("/dev/shm")
SIZES = ((1280, 720), (480, 270))
LESS = ((640, 360), (480, 270))  # a quarter of the work
Sizes = tuple[tuple[int, int], tuple[int, int]]
PIXELS_FROM = 4096


def length(width: int, height: int) -> int:
    """Of a frame, in bytes; both sides are even."""
    return width * height * 3 // 2


def sweep() -> None:
    """Take away the files of writers that were killed: nobody holds their lock any more."""
    for path in FOLDER.glob("ribalta-*-[1-9]"):
        with contextlib.suppress(OSError), path.open("rb") as file:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            path.unlink()


class FrameFile:
    """Raises LocalFault when another writer has the name, or when there is no room in memory. `sizes` are (width,
    height) of both streams."""

    def __init__(self, name: str, sizes: Sizes = SIZES) -> None:
        self.path, self.sizes = FOLDER / name, sizes
        total = PIXELS_FROM + sum(3 * length(*size) for size in sizes)
        try:
            self._handle = os.open(self.path, os.O_RDWR | os.O_CREAT, 0o600)
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            os.posix_fallocate(self._handle, 0, total)
        except BlockingIOError:
            raise LocalFault(f"Stand-ins are already running under {name}: stop them, or give --name.") from None
        except OSError as error:
            raise LocalFault(f"{self.path} cannot be made: {error.strerror or error}.") from None
        self._map = mmap.mmap(self._handle, total)
        offset = PIXELS_FROM
        self._slots: list[list[NDArray[np.uint8]]] = []
        for stream, (w, h) in enumerate(sizes):
            size = length(w, h)
            self._slots.append([np.frombuffer(self._map, np.uint8, size, offset + k * size) for k in range(3)])
            struct.pack_into("<IIQQ", self._map, 64 + 256 * stream, w, h, offset, 0)
            offset += 3 * size
        self._number = [0, 0]
        self._map[0:8] = b"RIBALTA2"

    def main_wanted_s(self) -> float:
        return float(struct.unpack_from("<d", self._map, 16)[0])

    def watched_s(self) -> float:
        """When a reader last looked."""
        return float(struct.unpack_from("<d", self._map, 24)[0])

    def begin(self, stream: int) -> NDArray[np.uint8]:
        """The bytes of the next frame, to be written over."""
        slot = (self._number[stream] + 1) % 3
        struct.pack_into("<Q", self._map, self._head(stream, slot), 0)
        return self._slots[stream][slot]

    def begun(self, stream: int) -> NDArray[np.uint8]:
        """The bytes of the frame that is being written."""
        return self._slots[stream][(self._number[stream] + 1) % 3]

    def repeat(self, stream: int) -> None:
        """The next frame, to be published, is what the latest was."""
        latest = self._slots[stream][self._number[stream] % 3]
        np.copyto(self.begin(stream), latest)

    def publish(self, stream: int, captured_s: float, stand: Stand) -> None:
        """What was painted since `begin` becomes the latest frame."""
        self._number[stream] += 1
        number = self._number[stream]
        where = self._head(stream, number % 3)
        struct.pack_into("<dddd", self._map, where + 8, captured_s, stand.pan_deg, stand.tilt_deg, stand.zoom)
        struct.pack_into("<Q", self._map, where, number)
        struct.pack_into("<Q", self._map, 64 + 256 * stream + 16, number)

    def latest(self, stream: int) -> tuple[int, NDArray[np.uint8]] | None:
        """Number and a copy of the newest frame; None before the first."""
        number = self._number[stream]
        return (number, self._slots[stream][number % 3].copy()) if number and self._slots else None

    def close(self) -> None:
        self._slots.clear()
        self.path.unlink(missing_ok=True)
        os.close(self._handle)

    def _head(self, stream: int, slot: int) -> int:
        return 64 + 256 * stream + 32 + 64 * slot
