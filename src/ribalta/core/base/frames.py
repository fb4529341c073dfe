"""Picture time: whole frames and exact rates, so that nothing drifts in an hour of show."""

from collections.abc import Mapping
from fractions import Fraction

RATES: Mapping[str, Fraction] = {
    "25": Fraction(25),
    "29.97": Fraction(30000, 1001),
    "30": Fraction(30),
    "50": Fraction(50),
    "59.94": Fraction(60000, 1001),
    "60": Fraction(60),
}
"""Frames a second by their usual names."""
USUAL = RATES["25"]  # where nothing is said, and in all that was made before shows had a rate


def frames_to_s(frames: int, rate: Fraction) -> float:
    """Seconds that `frames` last at `rate` frames a second."""
    return float(frames / rate)


def nearest_frame(seconds: float, rate: Fraction) -> int:
    """The frame that begins nearest to a time from the first."""
    return round(seconds * rate)


def samples_before(frame: int, rate: Fraction, sound_rate: int) -> int:
    """How many samples of sound come before a frame: whole ones, so that their number differs from frame to frame at
    29.97 and 59.94, and never drifts."""
    return round(frame * sound_rate / rate)
