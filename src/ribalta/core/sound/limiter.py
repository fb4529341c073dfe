"""Nothing leaves louder than the ceiling: a limiter that looks ahead.

Method: the gain that each sample needs, its minimum over the time ahead and a while back (so that it is low before the
peak comes and does not flutter after it), evened out over the time ahead. As every value that the evening takes in is
low enough for the peak, the result is too.
"""

import numpy as np

from ribalta.core.sound.levels import RATE, Samples

AHEAD, BACK = RATE // 200, RATE // 10  # samples: 5 ms, 100 ms
CEILING = 0.89  # -1 dBFS


class Limiter:
    """Blocks of (n, channels) in, blocks of the same size out, AHEAD samples later."""

    def __init__(self, channels: int = 2, ceiling: float = CEILING) -> None:
        self._ceiling = ceiling
        self._sound = np.zeros((AHEAD, channels), np.float32)
        self._needed = np.ones(BACK + 2 * AHEAD, np.float32)
        self.reduced_db = 0.0

    def run(self, block: Samples) -> Samples:
        """A block of shape (samples, 2), float, late by the look-ahead and nowhere above the ceiling."""
        count = len(block)
        whole = np.concatenate([self._sound, block])
        self._sound = whole[count:]
        peak = np.abs(block).max(axis=1) if count else np.zeros(0, np.float32)
        needed = np.minimum(1.0, self._ceiling / np.maximum(peak, 1e-9)).astype(np.float32)
        needed = np.concatenate([self._needed, needed])
        self._needed = needed[count:]
        if needed.min() >= 1.0:
            self.reduced_db = 0.0
            return np.asarray(whole[:count], np.float32)
        gain = _evened(needed)[-count - AHEAD : len(needed) - AHEAD]
        self.reduced_db = float(-20 * np.log10(max(1e-6, float(gain.min()))))
        return np.asarray(whole[:count] * gain[:, None], np.float32)


def make_ready() -> None:
    """Load what it computes with, which takes a while: before it has to hold anything down."""
    _evened(np.ones(BACK + AHEAD + 1, np.float32))


def _evened(needed: Samples) -> Samples:
    """The gain at each sample, from what it and those within BACK before and AHEAD after it need."""
    from scipy.ndimage import minimum_filter1d, uniform_filter1d

    size = BACK + AHEAD + 1
    lowest = minimum_filter1d(needed, size, origin=size // 2 - AHEAD, mode="nearest")
    half = AHEAD // 2
    return np.asarray(uniform_filter1d(lowest, 2 * half + 1, mode="nearest"), np.float32)
