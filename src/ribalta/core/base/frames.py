"""Picture time: whole frames and an exact rate, so that nothing drifts in an hour of show."""

from fractions import Fraction

RATE_25 = Fraction(25)


def frames_to_s(frames: int, rate: Fraction = RATE_25) -> float:
    """Seconds that `frames` (0 or more) last at `rate` frames a second."""
    return float(frames / rate)


def s_to_frames(seconds: float, rate: Fraction = RATE_25) -> int:
    """The nearest whole number of frames, at least 0."""
    return max(0, round(Fraction(seconds) * rate))
