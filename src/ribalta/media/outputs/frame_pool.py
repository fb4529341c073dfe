"""Memory for frames that wait for an encoder. It is used again: to get new memory from a system can take many times as
long as writing to it (10 to 30 ms for a frame of 1920x1080 were seen), and whoever composes would wait for that.
"""

import weakref
from collections import deque

import numpy as np

from ribalta.core.picture.planes import Picture, Plane, bytes_of

KEPT = 12  # more than usually wait
PAGE = 4096


class FramePool:
    """Pictures of any size. When nobody has one any more, its memory is there for the next. From any thread."""

    def __init__(self) -> None:
        self._free: dict[int, deque[Plane]] = {}  # by how long they are

    def picture(self, size: tuple[int, int]) -> Picture:
        """One of (width, height); what is in it is left over from another."""
        length = bytes_of(*size)
        free = self._of(length)
        try:
            memory = free.pop()
        except IndexError:
            memory = np.empty(length, np.uint8)
        made = Picture.over(memory, *size)
        weakref.finalize(made, free.append, memory).atexit = False
        return made

    def prepare(self, size: tuple[int, int]) -> None:
        """Have as much memory as is kept, and have it really there: for whoever has the time."""
        length = bytes_of(*size)
        free = self._of(length)
        while len(free) < KEPT:
            memory = np.empty(length, np.uint8)
            memory[::PAGE] = 0
            free.append(memory)

    def clear(self) -> None:
        """Nobody needs any now."""
        self._free = {}

    def _of(self, length: int) -> deque[Plane]:
        return self._free.setdefault(length, deque(maxlen=KEPT))
