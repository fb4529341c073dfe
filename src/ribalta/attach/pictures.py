"""Live pictures for one desk in memory that it shares with the server: nobody else can open it, and it is gone when
both have let go of it, however they end.

Each place has three pictures by turns, so that the one that was read last stays whole while the next two come:

    0     u64      number of the newest, from 1; it is picture number % 3. 0: there is none
    8     3 f64    when each was captured (clock time)
    64    pixels   three pictures, each begun on a page: the planes of I420, one after the other without padding
"""

import fcntl
import mmap
import os
import struct
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from ribalta.attach.protocol import Sizes
from ribalta.core.picture.planes import Picture, bytes_of

TURNS, HEAD, PAGE = 3, 64, 4096
LARGEST_SIDE, MOST_PLACES = 4096, 200
NUMBER = struct.Struct("<Q")
FUTURE_WRITE = 0x10  # F_SEAL_FUTURE_WRITE of Linux 5.1, which Python 3.11 does not name
SEALS = fcntl.F_SEAL_SHRINK | fcntl.F_SEAL_GROW | fcntl.F_SEAL_SEAL | FUTURE_WRITE


@dataclass(frozen=True)
class _Slot:
    begin: int
    pictures: tuple[Picture, ...]


def _page(size: int) -> int:
    return -(-size // PAGE) * PAGE


def _length(size: tuple[int, int]) -> int:
    return PAGE + TURNS * _page(bytes_of(*size))


def is_sane(sizes: Sizes) -> bool:
    """Can these be shown at all?"""
    return len(sizes) <= MOST_PLACES and all(0 < x <= LARGEST_SIDE for size in sizes.values() for x in size)


def _slots(memory: mmap.mmap, sizes: Sizes) -> dict[str, _Slot]:
    slots, begin = {}, 0
    for place, (width, height) in sizes.items():
        step = _page(bytes_of(width, height))
        pictures = tuple(
            Picture.over(
                np.frombuffer(memory, np.uint8, bytes_of(width, height), begin + PAGE + k * step), width, height
            )
            for k in range(TURNS)
        )
        slots[place] = _Slot(begin, pictures)
        begin += _length((width, height))
    return slots


class PicturesOut:
    """The server's end. `file` is handed over once. Raises OSError when there is no memory for it."""

    def __init__(self, sizes: Sizes) -> None:
        self.sizes = dict(sizes)
        size = max(PAGE, sum(map(_length, sizes.values())))
        self.file = os.memfd_create("ribalta pictures", os.MFD_CLOEXEC | os.MFD_ALLOW_SEALING)
        try:
            os.posix_fallocate(self.file, 0, size)
            self._memory = mmap.mmap(self.file, size)
            fcntl.fcntl(self.file, fcntl.F_ADD_SEALS, SEALS)  # a desk can only read, and not make it shorter
        except OSError:
            os.close(self.file)
            raise
        self._slots = _slots(self._memory, sizes)
        self._last: dict[str, Picture] = {}

    def show(self, place: str, picture: Picture, captured_s: float) -> None:
        """The newest picture of a place; one that is there already, or has another size, is passed over."""
        slot = self._slots.get(place)
        if slot is None or picture.size != slot.pictures[0].size or self._last.get(place) is picture:
            return
        self._last[place] = picture
        (number,) = NUMBER.unpack_from(self._memory, slot.begin)
        number += 1
        slot.pictures[number % TURNS].take(picture)
        struct.pack_into("<d", self._memory, slot.begin + 8 + 8 * (number % TURNS), captured_s)
        NUMBER.pack_into(self._memory, slot.begin, number)

    def clear(self, place: str) -> None:
        """There is no picture of it now."""
        slot = self._slots.get(place)
        if slot is not None and self._last.pop(place, None) is not None:
            NUMBER.pack_into(self._memory, slot.begin, 0)


class PicturesIn(Mapping[str, Picture]):
    """The desk's end: the newest picture of each place. Takes `file` over. Raises OSError, ValueError."""

    def __init__(self, file: int = -1, sizes: Sizes | None = None) -> None:
        self._slots: dict[str, _Slot] = {}
        self._memory: mmap.mmap | None = None
        if file < 0 or not sizes:
            return
        try:
            size = os.fstat(file).st_size
            if not is_sane(sizes) or size < sum(map(_length, sizes.values())):
                raise ValueError("pictures of sizes that cannot be")
            self._memory = mmap.mmap(file, size, prot=mmap.PROT_READ)
        finally:
            os.close(file)
        self._slots = _slots(self._memory, sizes)

    def _number(self, slot: _Slot) -> int:
        assert self._memory is not None
        return int(NUMBER.unpack_from(self._memory, slot.begin)[0])

    def __getitem__(self, place: str) -> Picture:
        slot = self._slots[place]
        number = self._number(slot)
        if not number:
            raise KeyError(place)
        return slot.pictures[number % TURNS]

    def __iter__(self) -> Iterator[str]:
        return (place for place, slot in self._slots.items() if self._number(slot))

    def __len__(self) -> int:
        return sum(1 for _ in self)

    def captured_s(self, place: str) -> float | None:
        """When the newest was captured; None when there is none, or it says nothing of it."""
        slot = self._slots.get(place)
        if slot is None or self._memory is None:
            return None
        number = self._number(slot)
        (at_s,) = struct.unpack_from("<d", self._memory, slot.begin + 8 + 8 * (number % TURNS))
        return float(at_s) if number and at_s else None
