"""A slow zoom in small eased steps, for a protocol whose zoom command has no speed."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Ramp:
    """A slow zoom: counts from `start` to `end` in so many seconds, gently at both ends."""

    start_s: float
    seconds: float
    start: int
    end: int

    def at(self, now_s: float) -> int:
        """The value at a clock time, eased at both ends."""
        share = min(1.0, (now_s - self.start_s) / self.seconds)
        return round(self.start + (self.end - self.start) * share * share * (3 - 2 * share))
