"""Blocks of sound as they go from one process to another: as bytes, and waited for so that a late one is not missed."""

from collections import deque

import numpy as np

from ribalta.core.sound.levels import RATE, Samples

BLOCK = RATE // 50  # samples: 20 ms, a turn of the sound's clock


def as_16_bits(block: Samples) -> np.ndarray[tuple[int, ...], np.dtype[np.int16]]:
    """Full scale 1 as little-endian 16 bits; what is beyond is cut off."""
    return (np.clip(block, -1.0, 1.0) * 32767).astype("<i2")


class JitterBuffer:
    """Blocks that come unevenly and are taken evenly. `ahead` are waited for before the first is given, and at most
    `most` are kept: what is older is dropped."""

    def __init__(self, ahead: int, most: int) -> None:
        self._ahead, self._begun = ahead, False
        self._blocks: deque[Samples] = deque(maxlen=most)

    def put(self, block: Samples) -> None:
        """One has come."""
        self._blocks.append(block)

    def take(self) -> Samples | None:
        """The next, if it is its turn."""
        self._begun = bool(self._blocks) and (self._begun or len(self._blocks) >= self._ahead)
        return self._blocks.popleft() if self._begun else None

    def clear(self) -> None:
        """Nobody wants what has come."""
        self._blocks.clear()
