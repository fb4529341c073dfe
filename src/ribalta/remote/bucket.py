"""So many a second, and so many at once: for whoever may ask too much."""

import time


class Bucket:
    """One owner asks."""

    def __init__(self, a_second: float, at_once: float) -> None:
        self._rate, self._most = a_second, at_once
        self._left, self._at_s = at_once, time.monotonic()

    def take(self) -> bool:
        """One more? False when it is too much."""
        now_s = time.monotonic()
        self._left = min(self._most, self._left + (now_s - self._at_s) * self._rate)
        self._at_s = now_s
        self._left -= 1.0
        return self._left >= 0.0
