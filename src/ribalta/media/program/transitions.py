"""From one picture to another: a mix, a dip to a colour, a wipe."""

import functools

import numpy as np

from ribalta.core.picture.colours import ink
from ribalta.core.picture.layering import Scratch, by_mask, mix
from ribalta.core.picture.planes import Ink, Picture
from ribalta.core.picture.wipes import mask_of, order_of
from ribalta.core.show.document.scenes import Transition, TransitionKind


class Transitions:
    """For one size of frame. Not thread-safe: it has buffers of its own."""

    def __init__(self, width: int, height: int, scratch: Scratch) -> None:
        self._mask = np.zeros((height, width), np.uint8)
        self._scratch = scratch
        self._dip: tuple[str, Picture] | None = None
        self._smaller = Picture.plain(2, 2)

    def lay(self, transition: Transition, before: Picture, after: Picture, share: float, out: Picture) -> None:
        """So much of it (0 to 1) into `out`; all three of one size, which for a wipe is the frame's."""
        if transition.kind is TransitionKind.DIP:
            ground = self._ground(transition.colour, out.size)
            if share < 0.5:
                mix(before, ground, 2 * share, out)
            else:
                mix(ground, after, 2 * share - 1, out)
        elif transition.kind is TransitionKind.WIPE:
            order = order_of(transition.shape, *out.size)
            mask = mask_of(order, share, transition.softness, transition.backwards, self._mask)
            by_mask(before, after, mask, out, self._scratch)
        else:
            mix(before, after, share, out)

    def smaller(self, transition: Transition, before: Picture, after: Picture, share: float) -> Picture:
        """The same of two that are smaller than the frame, at their own size; it is overwritten by the next."""
        if self._smaller.size != before.size:
            self._smaller = Picture.plain(*before.size)
        self.lay(transition, before, after, share, self._smaller)
        return self._smaller

    def _ground(self, colour: str, size: tuple[int, int]) -> Picture:
        """One colour all over."""
        if self._dip is None or self._dip[0] != colour or self._dip[1].size != size:
            self._dip = (colour, Picture.plain(*size, colour_of(colour)))
        return self._dip[1]


@functools.lru_cache(maxsize=64)
def colour_of(colour: str) -> Ink:
    """From "#rrggbb"."""
    return ink(int(colour[5:7], 16), int(colour[3:5], 16), int(colour[1:3], 16))
