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


def _evened(needed: Samples) -> Samples:
    """The gain at each sample, from what it and those within BACK before and AHEAD after it need."""
    lowest = _lowest(np.pad(needed, (BACK, AHEAD), mode="edge"), BACK + AHEAD + 1)
    half = AHEAD // 2
    sums = np.cumsum(np.pad(lowest, (half + 1, half), mode="edge"), dtype=np.float64)
    return np.asarray((sums[2 * half + 1 :] - sums[: -2 * half - 1]) / (2 * half + 1), np.float32)


def _lowest(values: Samples, size: int) -> Samples:
    """The lowest of every `size` values beside each other: of two windows of half that size, and so on."""
    wide = 1
    while 2 * wide <= size:
        values = np.minimum(values[:-wide], values[wide:])
        wide *= 2
    rest = size - wide
    return np.minimum(values[:-rest], values[rest:]) if rest else values
