"""Many channels' way to the mix at once: their delays, and gains that are moved without a click."""

import numpy as np
from numpy.typing import NDArray

from ribalta.core.sound.levels import RATE, Samples

LONGEST_S = 2.0
SHORTEST_FADE_S = 0.01
Numbers = NDArray[np.float32]


class Strips:
    """For a number of channels that stays. Blocks of (channels, n) samples in, the mix (n,) out.

    `gains` are what they really are, at the end of the last block.
    """

    def __init__(self, count: int, block: int) -> None:
        self.gains = np.zeros(count, np.float32)
        self._block = block
        self._reach = int(LONGEST_S * RATE) + block
        self._late = np.zeros((count, 2 * self._reach), np.float32)  # so that it seldom has to be moved
        self._end = self._reach
        self._ramp = np.arange(block, dtype=np.float32) / block
        self._delayed = np.zeros((count, block), np.float32)

    def run(self, sound: Samples, gains: Numbers, fades_s: Numbers, delays_s: Numbers) -> Samples:
        """`gains` are factors that are reached within `fades_s` for a whole way of 1; delays are at most LONGEST_S."""
        late, block = self._late, self._block
        if self._end + block > late.shape[1]:
            late[:, : self._reach] = late[:, self._end - self._reach : self._end]
            self._end = self._reach
        late[:, self._end : self._end + block] = sound
        self._end += block
        ends = self._end - np.rint(np.clip(delays_s, 0.0, LONGEST_S) * RATE).astype(int)
        for k, end in enumerate(ends):
            self._delayed[k] = late[k, end - block : end]
        most = block / RATE / np.maximum(SHORTEST_FADE_S, fades_s) * np.maximum(1.0, np.maximum(gains, self.gains))
        reached = self.gains + np.clip(gains - self.gains, -most, most)
        start, way = self.gains, np.asarray(reached - self.gains, np.float32)
        self.gains = np.asarray(reached, np.float32)
        return np.asarray(start @ self._delayed + (way @ self._delayed) * self._ramp, np.float32)
