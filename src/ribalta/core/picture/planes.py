"""A picture as cameras send it and files keep it: three planes, brightness at full size and colour at half.

I420 of 8 bits, BT.709, limited range (ITU-R BT.709: black is 16, white 235, no colour 128). Every picture between a
source and an output is this; other forms are turned into it once, where they come in, and out of it where they are
shown.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.uint8]
Ink = tuple[int, int, int]
BLACK: Ink = (16, 128, 128)
SWING = 219  # of brightness, from black to white


def half(length: int) -> int:
    """Of a side of the picture, that of its colour: an odd one is rounded up."""
    return (length + 1) // 2


def bytes_of(width: int, height: int) -> int:
    """How long a picture is in one piece."""
    return width * height + 2 * half(width) * half(height)


@dataclass(slots=True, eq=False, weakref_slot=True)  # frozen, it would take three times as long to make
class Picture:
    """`y` is (height, width), `u` and `v` are half of each, rounded up. `whole` are all three, one after the other, if
    they lie so in memory. One that is `lent` is overwritten later: copy it to keep it. Two pictures are the same only
    when they are one."""

    y: Plane
    u: Plane
    v: Plane
    whole: Plane | None = None
    lent: bool = False

    @classmethod
    def over(cls, memory: Plane, width: int, height: int, lent: bool = False) -> "Picture":
        """On memory of `bytes_of` bytes, without a copy. Raises ValueError when it is shorter."""
        wide, tall = half(width), half(height)
        first, second = width * height, width * height + wide * tall
        whole = memory[: bytes_of(width, height)]
        return cls(
            whole[:first].reshape(height, width),
            whole[first:second].reshape(tall, wide),
            whole[second:].reshape(tall, wide),
            whole,
            lent,
        )

    @classmethod
    def plain(cls, width: int, height: int, ink: Ink = BLACK) -> "Picture":
        """One colour all over, in memory of its own."""
        made = cls.over(np.empty(bytes_of(width, height), np.uint8), width, height)
        made.fill(ink)
        return made

    @property
    def width(self) -> int:
        """In pixels."""
        return int(self.y.shape[1])

    @property
    def height(self) -> int:
        """In pixels."""
        return int(self.y.shape[0])

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        return self.width, self.height

    @property
    def planes(self) -> tuple[Plane, Plane, Plane]:
        """Brightness, and the two of colour."""
        return self.y, self.u, self.v

    def fill(self, ink: Ink) -> None:
        """One colour all over."""
        for plane, value in zip(self.planes, ink, strict=True):
            plane[:] = value

    def take(self, other: "Picture") -> None:
        """Become what the other, of the same size, is. Raises ValueError for another size."""
        if self.whole is not None and other.whole is not None and self.size == other.size:
            np.copyto(self.whole, other.whole)
            return
        for mine, its in zip(self.planes, other.planes, strict=True):
            np.copyto(mine, its)

    def copy(self) -> "Picture":
        """In memory of its own, in one piece."""
        made = Picture.over(np.empty(bytes_of(*self.size), np.uint8), *self.size)
        made.take(self)
        return made

    def in_one_piece(self) -> Plane:
        """All bytes, one plane after the other; a copy only when they do not lie so."""
        found = self.whole if self.whole is not None else self.copy().whole
        assert found is not None
        return found

    def part(self, left: int, top: int, right: int, bottom: int) -> "Picture":
        """A part of it without a copy; `left` and `top` are even, so that brightness and colour stay together."""
        colours = np.s_[top // 2 : half(bottom), left // 2 : half(right)]
        return Picture(self.y[top:bottom, left:right], self.u[colours], self.v[colours])


def evenly(*lengths: float) -> Iterator[int]:
    """Each as the nearest even number of pixels: colour has half as many."""
    return (2 * round(length / 2) for length in lengths)
