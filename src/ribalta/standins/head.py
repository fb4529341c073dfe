"""How a stand-in's head moves: a braking servo on each axis, with a mechanism that springs a little after it.

It is stepped at its own rate whenever somebody looks, and keeps a short memory so that a picture can show where
the head was a moment ago.
"""

import threading
from collections import deque
from dataclasses import dataclass, field

from ribalta.standins.cameras import Axis, Build

STEP_S = 0.004
MEMORY_S = 0.3
STIFFNESS = 45.0


@dataclass
class _Servo:
    axis: Axis
    at: float = 0.0
    speed: float = 0.0
    goal: float = 0.0
    share: float = 1.0
    shown: float = 0.0
    shown_speed: float = 0.0

    def step(self) -> None:
        left = self.goal - self.at
        top = self.axis.speed * self.share
        brake = self.axis.acceleration * 0.93
        wanted = min(top, (2 * brake * abs(left)) ** 0.5, abs(left) / STEP_S)
        wanted = wanted if left >= 0 else -wanted
        change = self.axis.acceleration * STEP_S
        self.speed += max(-change, min(change, wanted - self.speed))
        self.at += self.speed * STEP_S
        if abs(self.goal - self.at) < 1e-4 and abs(self.speed) <= change:
            self.at, self.speed = self.goal, 0.0
        damping = 2 * (1 - 0.5 * self.axis.ring) * STIFFNESS
        pull = STIFFNESS * STIFFNESS * (self.at - self.shown) + damping * (self.speed - self.shown_speed)
        self.shown_speed += pull * STEP_S
        self.shown += self.shown_speed * STEP_S
        if self.speed == 0.0 and abs(self.at - self.shown) < 1e-7 and abs(self.shown_speed) < 1e-6:
            self.shown, self.shown_speed = self.at, 0.0

    @property
    def rests(self) -> bool:
        """A step would change nothing at all."""
        return self.speed == self.shown_speed == 0.0 and self.at == self.shown == self.goal

    @property
    def busy(self) -> bool:
        return self.speed != 0.0 or abs(self.goal - self.at) > 1e-4 or abs(self.goal - self.shown) > 0.004


@dataclass(frozen=True)
class Stand:
    """Where a head really is: degrees in its own axes and zoom 0..1."""

    pan_deg: float
    tilt_deg: float
    zoom: float


@dataclass
class Head:
    """Pan, tilt and zoom of one camera. Thread-safe."""

    build: Build
    started_s: float
    memories: dict[int, Stand] = field(default_factory=dict)

    def __post_init__(self) -> None:
        assert self.build.pan is not None
        assert self.build.tilt is not None
        assert self.build.zoom is not None
        self.pan, self.tilt, self.zoom = _Servo(self.build.pan), _Servo(self.build.tilt), _Servo(self.build.zoom)
        self._time_s = self.started_s
        self._past: deque[tuple[float, Stand]] = deque([(self.started_s, Stand(0, 0, 0))])
        self._lock = threading.Lock()
        self.stuck = ""

    def go(self, now_s: float, pan_deg: float, tilt_deg: float, pan_share: float, tilt_share: float) -> None:
        with self._lock:
            self._catch_up(now_s)
            self.pan.goal = max(-170.0, min(170.0, pan_deg))
            self.tilt.goal = max(-30.0, min(90.0, tilt_deg))
            self.pan.share, self.tilt.share = pan_share, tilt_share

    def go_zoom(self, now_s: float, zoom: float, share: float = 1.0) -> None:
        with self._lock:
            self._catch_up(now_s)
            self.zoom.goal, self.zoom.share = max(0.0, min(1.0, zoom)), share

    def drive(self, now_s: float, pan: float, tilt: float) -> None:
        """Towards the end of each axis at a share of full speed (-1 to 1) until something else is asked."""
        with self._lock:
            self._catch_up(now_s)
            for servo, share, ends in ((self.pan, pan, (-170.0, 170.0)), (self.tilt, tilt, (-30.0, 90.0))):
                if share:
                    servo.goal, servo.share = ends[share > 0], abs(share)
                else:
                    servo.goal = servo.at + servo.speed * abs(servo.speed) / (2 * servo.axis.acceleration)

    def stop(self, now_s: float) -> None:
        with self._lock:
            self._catch_up(now_s)
            for servo in (self.pan, self.tilt):
                servo.goal = servo.at + servo.speed * abs(servo.speed) / (2 * servo.axis.acceleration)

    def now(self, now_s: float) -> Stand:
        with self._lock:
            self._catch_up(now_s)
            return self._past[-1][1]

    def goal(self) -> Stand:
        return Stand(self.pan.goal, self.tilt.goal, self.zoom.goal)

    def past(self, now_s: float, ago_s: float) -> Stand:
        """Where it was `ago_s` seconds (0 to MEMORY_S) before now."""
        with self._lock:
            self._catch_up(now_s)
            for at_s, stand in reversed(self._past):
                if at_s <= now_s - ago_s:
                    return stand
            return self._past[0][1]

    def turning(self, now_s: float) -> bool:
        with self._lock:
            self._catch_up(now_s)
            return (self.pan.busy and self.stuck != "pan") or (self.tilt.busy and self.stuck != "tilt")

    def zooming(self, now_s: float) -> bool:
        with self._lock:
            self._catch_up(now_s)
            return self.zoom.speed != 0.0 or abs(self.zoom.goal - self.zoom.at) > 1e-5

    def _catch_up(self, now_s: float) -> None:
        if now_s - self._time_s > 5:
            self._time_s = now_s - 5
        if self.pan.rests and self.tilt.rests and self.zoom.rests:
            self._time_s += STEP_S * int((now_s - self._time_s) / STEP_S)
        while self._time_s + STEP_S <= now_s:
            self._time_s += STEP_S
            for name, servo in (("pan", self.pan), ("tilt", self.tilt), ("zoom", self.zoom)):
                if name != self.stuck:
                    servo.step()
            stand = Stand(self.pan.shown, self.tilt.shown, max(0.0, min(1.0, self.zoom.shown)))
            if stand != self._past[-1][1]:
                self._past.append((self._time_s, stand))
        while len(self._past) > 1 and self._past[1][0] < now_s - MEMORY_S:
            self._past.popleft()
