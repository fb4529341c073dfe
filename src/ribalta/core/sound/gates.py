"""Who speaks: a gate for each microphone, which opens for its own voice and not for its neighbour's.

Fed with the power of each microphone, block by block. A gate opens when its level has been, for the attack, so far
above its own noise floor, and above what the others' voices leave in it; it closes when that has not been so for the
hold and release. The floor is the least of what was heard over FLOOR_OVER_S (minimum statistics, Martin 2001), so it
follows a hall that gets louder and is not lifted by speech, which has pauses. How much of one microphone's voice is
heard in another is learned while that one speaks alone; until then it is what the settings say.
"""

import math
from collections import deque
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ribalta.core.sound.levels import SILENCE_DB

FLOOR_OVER_S, FLOOR_PART_S = 12.0, 1.5
SMOOTH_S, FALL_S = 0.04, 0.04  # of the level that the floor is taken from; of a level that falls
ABOVE_LEAST_DB = 3.5  # the least of a noise's level lies so far below its mean
LOWEST_FLOOR_DB, HIGHEST_FLOOR_DB = -85.0, -25.0
FIRST_FLOOR_DB = -60.0  # until there is one
FIRST_S = 0.3  # so long it only listens, when something comes
NOTHING = 1e-9  # -90 dBFS
MARGIN_DB = 4.0  # above what is bleed
ALONE_S, LEARN_S, FASTER = 0.3, 4.0, 4.0
HEARD_DB = 3.0  # above its floor, a microphone hears something
LEAST_BLEED_DB, MOST_BLEED_DB = -40.0, -5.0
Powers = NDArray[np.float64]
Flags = NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class Gating:
    """`threshold_db` above the noise floor; `bleed_db` is how much quieter a voice is in the others' microphones, above
    0; times in seconds."""

    threshold_db: float = 9.0
    bleed_db: float = 8.0
    attack_s: float = 0.06
    hold_s: float = 0.15
    release_s: float = 0.1


@dataclass(frozen=True, slots=True)
class GateView:
    """A gate as it is now, in dBFS."""

    level_db: float = SILENCE_DB
    floor_db: float = FIRST_FLOOR_DB
    open: bool = False


class Gates:
    """For a number of microphones that stays. `open` are their gates as they are after the last block."""

    def __init__(self, count: int, gating: Gating = Gating()) -> None:
        self.gating = gating
        self.open: Flags = np.zeros(count, bool)
        self.level_db: Powers = np.full(count, SILENCE_DB)
        self.floor_db: Powers = np.full(count, FIRST_FLOOR_DB)
        self._level = np.zeros(count)
        self._smooth = np.zeros(count)
        self._least = np.full(count, np.inf)
        self._minima: deque[Powers] = deque(maxlen=round(FLOOR_OVER_S / FLOOR_PART_S))
        self._part_s = 0.0
        self._heard_s = np.zeros(count)
        self._above_s = np.zeros(count)
        self._below_s = np.full(count, np.inf)
        self._bleed_db = np.full((count, count), -gating.bleed_db)
        self._alone, self._alone_s = -1, 0.0

    def feed(self, power: Powers, seconds: float) -> bool:
        """The mean square of a block in each microphone, (count,), and its length; True when a gate has moved."""
        if not len(power):
            return False
        self._level = np.maximum(power, self._level * math.exp(-seconds / FALL_S))
        self.level_db = _db(self._level)
        self._follow_floor(power, seconds)
        heard = self._own_voice()
        self._above_s = np.where(heard, self._above_s + seconds, 0.0)
        self._below_s = np.where(heard, 0.0, self._below_s + seconds)
        gating = self.gating
        stays = self.open & (self._below_s < gating.hold_s + gating.release_s)
        was, self.open = self.open, stays | (self._above_s >= gating.attack_s - 1e-9)
        self._learn(seconds)
        return bool((was != self.open).any())

    def views(self) -> list[GateView]:
        """Level, floor (both dBFS) and whether it is open, for each channel in order."""
        rows = zip(self.level_db.tolist(), self.floor_db.tolist(), self.open.tolist(), strict=True)
        return [GateView(*row) for row in rows]

    def _own_voice(self) -> Flags:
        """Loud enough by itself, and louder than what every other microphone's voice could leave in it."""
        level = self.level_db
        loud = level > self.floor_db + self.gating.threshold_db
        left = level[:, None] + self._bleed_db  # (whose voice, in which microphone)
        np.fill_diagonal(left, SILENCE_DB - MARGIN_DB)
        loud &= self._heard_s >= FIRST_S - 1e-9
        return np.asarray(loud & (level > left.max(axis=0) + MARGIN_DB))

    def _follow_floor(self, power: Powers, seconds: float) -> None:
        keep = math.exp(-seconds / SMOOTH_S)
        there = power > NOTHING  # a microphone that sends nothing, or whose sound drops out, says nothing of the room
        smoothed = np.where(self._smooth > 0, keep * self._smooth + (1 - keep) * power, power)
        self._smooth = np.where(there, smoothed, self._smooth)
        self._least = np.where(there, np.minimum(self._least, self._smooth), self._least)
        self._part_s += seconds
        if self._part_s >= FLOOR_PART_S:
            self._minima.append(self._least)
            self._least, self._part_s = np.full(len(power), np.inf), 0.0
        least = np.min([*self._minima, self._least], axis=0)
        found = np.clip(_db(least) + ABOVE_LEAST_DB, LOWEST_FLOOR_DB, HIGHEST_FLOOR_DB)
        known = np.isfinite(least)
        self._heard_s = np.where(known, self._heard_s + np.where(there, seconds, 0.0), 0.0)
        self.floor_db = np.where(known, found, FIRST_FLOOR_DB)

    def _learn(self, seconds: float) -> None:
        """While one speaks alone, what the others hear is its bleed; what they do not hear says how much at most.

        It goes up faster than down, so that it is what bleed seldom exceeds.
        """
        speaking = np.flatnonzero(self.open)
        alone = int(speaking[0]) if len(speaking) == 1 else -1
        self._alone_s = self._alone_s + seconds if alone == self._alone else 0.0
        self._alone = alone
        if alone < 0 or self._alone_s < ALONE_S or self._below_s[alone] > 0.0:
            return
        row = self._bleed_db[alone]
        just_heard = self.floor_db + HEARD_DB
        heard = self.level_db > just_heard
        away = np.where(heard, self.level_db, just_heard) - self.level_db[alone]
        away = np.where(heard, away, np.minimum(away, row))
        share = np.where(away > row, FASTER, 1.0) * min(1.0, seconds / LEARN_S)
        self._bleed_db[alone] = np.clip(row + share * (away - row), LEAST_BLEED_DB, MOST_BLEED_DB)


def _db(power: Powers) -> Powers:
    return np.asarray(np.maximum(SILENCE_DB, 10 * np.log10(np.maximum(power, 1e-12))))
