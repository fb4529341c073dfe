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


class Meter:
    """Fed block by block, (n,) or (n, channels) samples from -1 to 1; the loudest channel counts."""

    def __init__(self) -> None:
        self._mean_square = 0.0
        self._peak_db, self._hold_db, self._held_s = SILENCE_DB, SILENCE_DB, 0.0
        self.level = Level()

    def feed(self, block: Samples) -> Level:
        seconds = len(block) / RATE
        if len(block) == 0:
            return self.level
        square = float(np.square(block, dtype=np.float64).mean(axis=0).max())
        keep = math.exp(-seconds / RMS_S)
        self._mean_square = keep * self._mean_square + (1 - keep) * square
        peak_db = dbfs(float(np.abs(block).max()))
        self._peak_db = max(peak_db, self._peak_db - FALL_DB_S * seconds)
        self._held_s += seconds
        if peak_db >= self._hold_db or self._held_s > HOLD_S:
            self._hold_db, self._held_s = max(peak_db, SILENCE_DB), 0.0
        self.level = Level(dbfs(math.sqrt(self._mean_square)), self._peak_db, self._hold_db)
        return self.level
