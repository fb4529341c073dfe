"""A move in a given time for protocols that only know how to go somewhere at a speed: many small moves, one after
another, along an eased path. Each is asked for so early that it is reached when the path is there, and at the speed
that the path has there, so that the head never stands still on the way if it has a speed so low. A fast axis is sent
further ahead, or it would begin to brake for every leg.
"""

from dataclasses import dataclass

from ribalta.core.base.aim import Aim
from ribalta.core.motion.gliding import TAIL, Glide
from ribalta.core.show.document.model import Head

SMALLEST = 1e-3
BRAKING = 0.6  # of the time from a speed to rest: the way to brake is half of what is gone at that speed meanwhile


@dataclass(frozen=True, slots=True)
class Leg:
    """Where to go next, and at which share of full speed on each axis (0 to 1)."""

    aim: Aim
    pan: float
    tilt: float
    zoom: float


@dataclass(frozen=True, slots=True)
class Gliding:
    """A path that began at `start_s`, taken in legs of `leg_s`; what is asked for takes effect `late_s` later."""

    path: Glide
    head: Head
    start_s: float
    leg_s: float
    late_s: float

    @property
    def end_s(self) -> float:
        """When it is over, in clock time."""
        return self.start_s + TAIL * self.path.seconds

    def over(self, now_s: float) -> bool:
        """Has its last leg been asked for?"""
        return now_s + self.late_s + self.leg_s >= self.end_s

    def leg(self, now_s: float) -> Leg:
        """The next leg: where to and how fast, so that the head is on the path at its end."""
        after_s = now_s - self.start_s + self.late_s
        way, motion = self.path.at(after_s + self.leg_s) - self.path.at(after_s), self.head.motion
        each = ((motion.pan, way.pan_deg), (motion.tilt, way.tilt_deg), (motion.zoom, way.zoom))
        speeds = [abs(part) / self.leg_s for _, part in each]
        pan, tilt, zoom = (max(SMALLEST, axis.pace_for(speed)) for (axis, _), speed in zip(each, speeds, strict=True))
        ahead = [self.leg_s + BRAKING * v / axis.acceleration for (axis, _), v in zip(each, speeds, strict=True)]
        pan_deg, tilt_deg = self.path.at(after_s + ahead[0]).pan_deg, self.path.at(after_s + ahead[1]).tilt_deg
        return Leg(Aim(pan_deg, tilt_deg, self.path.at(after_s + ahead[2]).zoom), pan, tilt, zoom)

    def next_path(self, now_s: float, end: Aim, seconds: float) -> Glide:
        """To another end, from where this path is and as fast as it goes there."""
        after_s, step_s = now_s - self.start_s, 0.01
        here, on = self.path.at(after_s), self.path.at(after_s + step_s)
        way = on - here
        speed = Aim(way.pan_deg / step_s, way.tilt_deg / step_s, way.zoom / step_s)
        return Glide(here, end, seconds, speed)
