"""One channel's way to the mix: its delay, and a gain that is moved without a click."""

import numpy as np

from ribalta.core.sound.levels import RATE, Samples

LONGEST_S = 2.0
SHORTEST_FADE_S = 0.01


class Strip:
    """Blocks of (n,) samples in, what goes to the mix out. `gain` is what it really is, at the end of the block."""

    def __init__(self) -> None:
        self.gain = 0.0
        self._late = np.zeros(0, np.float32)

    def run(self, block: Samples, gain: float, fade_s: float, delay_s: float) -> Samples:
        """`gain` is a factor that is reached within `fade_s` for a whole way of 1; `delay_s` at most LONGEST_S."""
        count = len(block)
        delayed = self._delayed(block, round(min(LONGEST_S, max(0.0, delay_s)) * RATE))
        step = count / RATE / max(SHORTEST_FADE_S, fade_s) * max(1.0, gain, self.gain)
        reached = min(gain, self.gain + step) if gain > self.gain else max(gain, self.gain - step)
        ramp = np.linspace(self.gain, reached, count, endpoint=False, dtype=np.float32)
        self.gain = reached
        return np.asarray(delayed * ramp, np.float32)

    def _delayed(self, block: Samples, samples: int) -> Samples:
        if samples != len(self._late):
            kept = self._late[-samples:] if samples else self._late[:0]
            self._late = np.concatenate([np.zeros(samples - len(kept), np.float32), kept])
        if samples == 0:
            return block
        whole = np.concatenate([self._late, block])
        self._late = whole[len(block) :]
        return np.asarray(whole[: len(block)], np.float32)
