"""How loud: true RMS and peak with hold, in dBFS.

0 dBFS is the largest value that there is: a sine that reaches it has a peak of 0 and an RMS of -3.0 dBFS. RMS is the
square root of the mean square over RMS_S (AES17 would add 3 dB for a sine to read 0; that is not done).
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float32]
RATE = 48000
SILENCE_DB = -100.0
RMS_S, HOLD_S, FALL_DB_S = 0.3, 1.5, 24.0


def dbfs(value: float) -> float:
    """A level from 0 to 1 in decibels, at least SILENCE_DB."""
    return max(SILENCE_DB, 20 * math.log10(value)) if value > 1e-5 else SILENCE_DB


def gain_of(db: float) -> float:
    """Decibels as a factor; at SILENCE_DB and below there is nothing."""
    return 0.0 if db <= SILENCE_DB else float(10 ** (db / 20))


@dataclass(frozen=True, slots=True)
class Level:
    """`rms_db`, `peak_db` and the highest of late, `hold_db`."""

    rms_db: float = SILENCE_DB
    peak_db: float = SILENCE_DB
    hold_db: float = SILENCE_DB

    @property
    def silent(self) -> bool:
        """Nothing at all, not even a microphone's own noise."""
        return self.hold_db <= -90.0


class Meters:
    """For a number of channels that stays, fed with blocks of (channels, n) samples from -1 to 1."""

    def __init__(self, count: int) -> None:
        self._square = np.zeros(count)
        self._peak = np.full(count, SILENCE_DB)
        self._hold = np.full(count, SILENCE_DB)
        self._held_s = np.zeros(count)

    def feed(self, block: Samples) -> list[Level]:
        """Take in a block of shape (channels, samples), float, full scale 1, at RATE."""
        seconds = block.shape[1] / RATE
        square = np.einsum("ij,ij->i", block, block) / block.shape[1]
        keep = math.exp(-seconds / RMS_S)
        self._square = keep * self._square + (1 - keep) * square
        peak = np.maximum(block.max(axis=1), -block.min(axis=1))
        peak_db = np.maximum(SILENCE_DB, 20 * np.log10(np.maximum(peak, 1e-9)))
        self._peak = np.maximum(peak_db, self._peak - FALL_DB_S * seconds)
        self._held_s += seconds
        renewed = (peak_db >= self._hold) | (self._held_s > HOLD_S)
        self._hold = np.where(renewed, peak_db, self._hold)
        self._held_s[renewed] = 0.0
        rms = np.maximum(SILENCE_DB, 10 * np.log10(np.maximum(self._square, 1e-12)))
        return [Level(*row) for row in np.stack([rms, self._peak, self._hold], axis=1).tolist()]
