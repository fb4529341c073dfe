"""A move that takes a given time: all axes start and arrive together, eased, from any starting speed.

Method: a cubic Hermite polynomial on each axis, from where it is and how fast it goes to rest at the end. It needs a
peak speed of 1.5 times the mean and its greatest acceleration at either end, 6 times distance over time squared. The
last thousandth of the way, which nobody sees, comes a little after the given time: what is seen arrives with it.
"""

import math
from dataclasses import dataclass

from ribalta.core.base.aim import STILL, Aim
from ribalta.core.motion.travel import HeadMotion

PEAK, BEND = 1.5, 6.0
TAIL = 1.03
SPARE = 1.05  # a head is not asked for the very last of its speed


def least_s(motion: HeadMotion, start: Aim, end: Aim) -> float:
    """The shortest time, in seconds, in which a head can glide from rest at one aim to another."""
    way = end - start
    axes = ((motion.pan, way.pan_deg), (motion.tilt, way.tilt_deg), (motion.zoom, way.zoom))
    return SPARE * max(
        max(PEAK * abs(d) / axis.speed, math.sqrt(BEND * abs(d) / axis.acceleration)) for axis, d in axes
    )


@dataclass(frozen=True, slots=True)
class Glide:
    """From `start`, going at `velocity` (a second), to `end` in `seconds` (above 0)."""

    start: Aim
    end: Aim
    seconds: float
    velocity: Aim = STILL

    def at(self, after_s: float) -> Aim:
        """Where the head should be."""
        whole_s = TAIL * self.seconds
        share = min(1.0, max(0.0, after_s / whole_s))
        rest = (1 - share) ** 2
        done, going = 1 - rest * (1 + 2 * share), share * rest * whole_s

        def part(a: float, b: float, v: float) -> float:
            return a + (b - a) * done + v * going

        return Aim(
            part(self.start.pan_deg, self.end.pan_deg, self.velocity.pan_deg),
            part(self.start.tilt_deg, self.end.tilt_deg, self.velocity.tilt_deg),
            part(self.start.zoom, self.end.zoom, self.velocity.zoom),
        )
