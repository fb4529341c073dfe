"""Moving a head over VISCA: to an aim at a pace, to an aim in a time, by speeds, by angles. What is asked for is put
into the lanes of pan and tilt and of zoom; what goes on for a while is asked for bit by bit in `tick`.
"""

import math

from ribalta.core.base.aim import Aim
from ribalta.core.motion.gliding import Glide
from ribalta.core.ports.messages import GlideTo
from ribalta.core.show.document.model import Head
from ribalta.devices.drivers.glides import Gliding
from ribalta.devices.drivers.visca import wire
from ribalta.devices.drivers.visca.lanes import Lanes
from ribalta.devices.drivers.visca.messages import PAN_SPEEDS, TILT_SPEEDS, ZOOM_COUNTS
from ribalta.devices.drivers.visca.ramp import Ramp

RAMP_STEP_S, LEG_S = 0.06, 0.08
DRIVEN_FOR_S = 0.4
NEVER_S = float("inf")
Counts = tuple[int, int, int]


class Moves:
    """`last` is where the head stood by its last answer, in counts; None when it has not said so yet."""

    def __init__(self, lanes: Lanes, head: Head) -> None:
        self._lanes, self._head = lanes, head
        self._ramp: Ramp | None = None
        self._gliding: Gliding | None = None
        self._ramp_s = self._leg_s = 0.0
        self._drive_until_s = NEVER_S

    @property
    def busy(self) -> bool:
        """Is a move under way that is asked for bit by bit?"""
        return self._ramp is not None or self._gliding is not None

    def end(self) -> None:
        """Ask for nothing more of what is under way."""
        self._ramp = self._gliding = None
        self._drive_until_s = NEVER_S

    def counts(self, aim: Aim) -> Counts:
        """An aim in the head's own counts: pan, tilt, zoom."""
        per_deg, zoom = self._head.counts_per_deg, min(1.0, max(0.0, aim.zoom))
        pan, tilt = (max(-0x8000, min(0x7FFF, round(deg * per_deg))) for deg in (aim.pan_deg, aim.tilt_deg))
        return pan, tilt, round(zoom * ZOOM_COUNTS)

    def aim(self, counts: Counts) -> Aim:
        """Counts of the head as an aim."""
        per_deg = self._head.counts_per_deg
        return Aim(counts[0] / per_deg, counts[1] / per_deg, counts[2] / ZOOM_COUNTS)

    def go_to(self, aim: Aim, pace: float, last: Counts | None, now_s: float) -> None:
        """Go to an aim at a share of full speed (above 0 up to 1); `last` is where the head was last seen."""
        self.end()
        pan, tilt, zoom = self.counts(aim)
        self._go_to_zoom(zoom, pace, last, now_s)
        speeds = max(1, round(pace * PAN_SPEEDS)), max(1, round(pace * TILT_SPEEDS))
        self._lanes.pan_tilt.wanted = wire.pan_tilt_absolute(pan, tilt, *speeds)

    def _go_to_zoom(self, zoom: int, pace: float, last: Counts | None, now_s: float) -> None:
        """At once, or below full pace by small eased steps: the zoom command of the protocol has no speed."""
        here = last[2] if last is not None else zoom
        seconds = abs(zoom - here) / ZOOM_COUNTS / (self._head.zoom.speed * pace)
        if pace < 1 and seconds > RAMP_STEP_S:
            self._ramp, self._ramp_s = Ramp(now_s, seconds, here, zoom), now_s
        else:
            self._lanes.zoom.wanted = wire.zoom_direct(zoom)

    def glide(self, request: GlideTo, last: Counts | None, late_s: float, now_s: float) -> None:
        """From where it is by its last answer, or from the path that it is on. `late_s`: from asking to moving."""
        before = self._gliding
        if last is None:
            self.go_to(request.aim, 1.0, last, now_s)
            return
        self.end()
        if before is not None and now_s < before.end_s:
            path = before.next_path(now_s, request.aim, request.seconds)
        else:
            path = Glide(self.aim(last), request.aim, request.seconds)
        self._gliding, self._leg_s = Gliding(path, self._head, now_s, LEG_S, late_s), now_s

    def drive(self, pan: float, tilt: float, zoom: float, now_s: float) -> None:
        """At shares of full speed, for a moment if it is not asked again."""
        self.end()
        self._drive(pan, tilt, zoom)
        if pan or tilt or zoom:
            self._drive_until_s = now_s + DRIVEN_FOR_S

    def _drive(self, pan: float, tilt: float, zoom: float) -> None:
        self._lanes.pan_tilt.wanted = wire.pan_tilt_drive(pan, tilt)
        self._lanes.zoom.wanted = wire.zoom_drive(zoom)

    def turn_by(self, pan_deg: float, tilt_deg: float) -> None:
        """Turn by so many degrees from wherever it stands."""
        self.end()
        pan, tilt, _ = self.counts(Aim(pan_deg, tilt_deg, 0.0))
        speeds = PAN_SPEEDS // 3, TILT_SPEEDS // 3
        self._lanes.pan_tilt.wanted = wire.pan_tilt_relative(pan, tilt, *speeds)

    def home(self) -> None:
        """Go to the head's own home."""
        self.end()
        self._lanes.pan_tilt.wanted = wire.HOME

    def tick(self, now_s: float) -> bool:
        """Ask for what is due; True when the head is kept moving by that."""
        moving = False
        if self._ramp is not None and now_s >= self._ramp_s:
            self._ramp_s, moving = now_s + RAMP_STEP_S, True
            self._lanes.zoom.wanted = wire.zoom_direct(self._ramp.at(now_s))
            if now_s >= self._ramp.start_s + self._ramp.seconds:
                self._ramp = None
        if self._gliding is not None and now_s >= self._leg_s:
            self._leg_s, moving = now_s + LEG_S, True
            self._next_leg(self._gliding, now_s)
        if now_s >= self._drive_until_s:
            self._drive_until_s = NEVER_S
            self._drive(0.0, 0.0, 0.0)
        return moving

    def _next_leg(self, gliding: Gliding, now_s: float) -> None:
        leg = gliding.leg(now_s)
        pan, tilt, zoom = self.counts(leg.aim)
        self._lanes.zoom.wanted = wire.zoom_direct(zoom)
        steps = max(1, math.ceil(leg.pan * PAN_SPEEDS)), max(1, math.ceil(leg.tilt * TILT_SPEEDS))
        self._lanes.pan_tilt.wanted = wire.pan_tilt_absolute(pan, tilt, *steps)
        if gliding.over(now_s):
            self._gliding = None

    def due_s(self) -> float:
        """When `tick` next has something to do."""
        due = self._drive_until_s
        if self._ramp is not None:
            due = min(due, self._ramp_s)
        return min(due, self._leg_s) if self._gliding is not None else due
