"""Picture time: whole frames and an exact rate, so that nothing drifts in an hour of show."""

from fractions import Fraction

RATE_25 = Fraction(25)


def frames_to_s(frames: int, rate: Fraction = RATE_25) -> float:
    """Seconds that `frames` (0 or more) last at `rate` frames a second."""
    return float(frames / rate)
