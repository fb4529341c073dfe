"""How long a head needs: each axis accelerates, cruises and brakes; the slowest axis decides.

Method: the time-optimal bang-bang profile of a double integrator with limited speed, from any starting speed
to rest (any textbook on motion control).
"""

import math
from dataclasses import dataclass
from itertools import pairwise

from ribalta.core.base.aim import STILL, Aim


@dataclass(frozen=True, slots=True)
class AxisMotion:
    """The most that an axis does: speed in units a second, acceleration in units a second squared (above 0).

    `table` has (share, speed) rows for less than full pace, shares rising in 0..1; without any, speed is linear.
    """

    speed: float
    acceleration: float
    table: tuple[tuple[float, float], ...] = ()

    def at_pace(self, pace: float) -> "AxisMotion":
        """The axis when it is asked for a share (above 0, up to 1) of its full speed."""
        if pace >= 1:
            return self
        rows = ((0.0, 0.0), *self.table, (1.0, self.speed))
        (s0, v0), (s1, v1) = next(pair for pair in pairwise(rows) if pair[1][0] >= pace)
        return AxisMotion(max(1e-6, v0 + (v1 - v0) * (pace - s0) / (s1 - s0)), self.acceleration)

    def pace_for(self, speed: float) -> float:
        """The share of full pace, above 0 up to 1, at which the axis goes at a speed (units a second)."""
        rows = ((0.0, 0.0), *self.table, (1.0, self.speed))
        for (s0, v0), (s1, v1) in pairwise(rows):
            if speed <= v1:
                return max(1e-3, s0 + (s1 - s0) * max(0.0, speed - v0) / (v1 - v0)) if v1 > v0 else s1
        return 1.0

    def travel_s(self, distance: float, velocity: float = 0.0) -> float:
        """Seconds to be at rest `distance` (signed) away, moving at `velocity` (signed) now."""
        a = self.acceleration
        if distance < 0 or (distance == 0 and velocity < 0):
            distance, velocity = -distance, -velocity
        if velocity < 0:  # going the wrong way: stop first
            return -velocity / a + self.travel_s(distance + velocity * velocity / (2 * a))
        braking = velocity * velocity / (2 * a)
        if braking > distance:  # cannot stop in time: overshoot and come back
            return velocity / a + self.travel_s(braking - distance)
        start = min(velocity, self.speed)
        peak = math.sqrt(a * distance + start * start / 2)
        if peak <= self.speed:
            return (2 * peak - start) / a
        ramps = (2 * self.speed * self.speed - start * start) / (2 * a)
        return (2 * self.speed - start) / a + (distance - ramps) / self.speed


@dataclass(frozen=True, slots=True)
class HeadMotion:
    """Three axes (degrees and zoom 0..1), plus what passes before the head starts and until it stands still.

    A tight picture shows the end of a turn for longer than a wide one: a turn that ends at zoom 1 looks still
    `tele_settle_s` later than one that ends at zoom 0, and between them in proportion.
    """

    pan: AxisMotion = AxisMotion(80.0, 160.0)
    tilt: AxisMotion = AxisMotion(60.0, 120.0)
    zoom: AxisMotion = AxisMotion(0.45, 1.8)
    latency_s: float = 0.05
    settle_s: float = 0.15
    tele_settle_s: float = 0.0

    def at_pace(self, pace: float) -> "HeadMotion":
        """The head when every axis is asked for a share (above 0, up to 1) of its full speed."""
        pan, tilt, zoom = (axis.at_pace(pace) for axis in (self.pan, self.tilt, self.zoom))
        return HeadMotion(pan, tilt, zoom, self.latency_s, self.settle_s, self.tele_settle_s)

    def moving_s(self, start: Aim, end: Aim, velocity: Aim = STILL) -> float:
        """Seconds of movement from `start`, moving at `velocity` a second, to looking still at `end`."""
        way = end - start
        turning_s = max(
            self.pan.travel_s(way.pan_deg, velocity.pan_deg), self.tilt.travel_s(way.tilt_deg, velocity.tilt_deg)
        )
        if turning_s > 0:
            turning_s += self.tele_settle_s * end.zoom
        return max(turning_s, self.zoom.travel_s(way.zoom, velocity.zoom))

    def travel_s(self, start: Aim, end: Aim, velocity: Aim = STILL) -> float:
        """Seconds from asking to standing still: latency, movement and settling; 0 when it is there already."""
        moving = self.moving_s(start, end, velocity)
        return 0.0 if moving == 0 else self.latency_s + moving + self.settle_s
