"""Time as the whole program knows it: seconds on a monotonic scale, passed in, never slept for."""

import time
from typing import Protocol


class Clock(Protocol):
    """Tells the time. `now_s` never goes back."""

    def now_s(self) -> float:
        """Seconds on a clock that never goes back; where it begins means nothing."""
        ...


class SystemClock:
    """The machine's monotonic clock, shared by every process on it (CLOCK_MONOTONIC)."""

    def now_s(self) -> float:
        """Seconds of this machine's monotonic clock."""
        return time.monotonic()


class ShiftedClock:
    """The clock of another machine, as far as it is known: `ahead_s` before this one's."""

    def __init__(self, ahead_s: float = 0.0) -> None:
        self.ahead_s = ahead_s

    def now_s(self) -> float:
        """Seconds of that machine's monotonic clock."""
        return time.monotonic() + self.ahead_s


class HandClock:
    """A clock that tests turn by hand."""

    def __init__(self, start_s: float = 0.0) -> None:
        self._now_s = start_s

    def now_s(self) -> float:
        """Seconds to which it was turned."""
        return self._now_s

    def advance(self, seconds: float) -> float:
        """Turn the clock on by `seconds` and return the new time. Raises ValueError below 0."""
        if seconds < 0:
            raise ValueError(f"time does not go back: {seconds} s")
        self._now_s += seconds
        return self._now_s
