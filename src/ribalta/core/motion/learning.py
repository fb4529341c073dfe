"""From timed moves to what an axis can do: delay before it starts, full speed, acceleration.

Method: non-linear least squares of a trapezoidal profile on all reported positions of all moves at once, with a soft
loss against outliers (scipy). What the profile does not tell (braking gently, springing) is left to the settling time,
the median of what the moves really needed beyond it.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ribalta.core.base.aim import Aim
from ribalta.core.base.solving import least_squares
from ribalta.core.motion.travel import AxisMotion, HeadMotion

Values = NDArray[np.float64]
FEWEST_SAMPLES = 6
LEARNING, BELIEVABLE, SHORTEST_S = 0.08, 0.3, 0.2
BELIEF_S = 0.02  # what a whole e-fold away from the first guess counts, as seconds of one sample
TELE_STEPS_S = tuple(k / 100 for k in range(41))
FAR_OFF_S = 0.2  # what is further off than this has another reason, and counts no more
AXES = ("pan", "tilt", "zoom")


@dataclass(frozen=True, slots=True)
class AxisMove:
    """One axis during one move: (n,) seconds since it was asked, and (n,) reported positions; `pace` 0..1."""

    times_s: Values
    values: Values
    start: float
    end: float
    pace: float = 1.0


@dataclass(frozen=True, slots=True)
class Timed:
    """A whole move: from, to, what share of full pace was asked, and the seconds until it was set."""

    start: Aim
    end: Aim
    actual_s: float
    pace: float = 1.0


def profile(times_s: Values, distance: float, speed: float, acceleration: float, delay_s: float) -> Values:
    """Where an axis is, as a share 0..1 of a distance above 0, (n,) at times since it was asked."""
    peak = min(speed, (acceleration * distance) ** 0.5)
    ramp_s = peak / acceleration
    cruise_s = max(0.0, distance / peak - ramp_s)
    t = np.clip(times_s - delay_s, 0.0, 2 * ramp_s + cruise_s)
    rising = 0.5 * acceleration * np.minimum(t, ramp_s) ** 2
    cruising = peak * np.clip(t - ramp_s, 0.0, cruise_s)
    last = np.clip(t - ramp_s - cruise_s, 0.0, ramp_s)
    falling = peak * last - 0.5 * acceleration * last**2
    return np.asarray((rising + cruising + falling) / distance, np.float64)


def fit_axis(moves: Sequence[AxisMove], first: AxisMotion, delay_s: float) -> tuple[AxisMotion, float, float]:
    """Speed, acceleration, (share, speed) table and delay that explain the moves; and the residual in seconds.

    `first` is where the search begins. Raises ValueError when there is too little to go by.
    """
    measured = [m for m in moves if len(m.times_s) >= FEWEST_SAMPLES and abs(m.end - m.start) > 1e-9]
    full = [m for m in measured if m.pace >= 0.99]
    if len(full) < 2:
        raise ValueError("the camera reported too few positions on its way")
    paces = sorted({round(m.pace, 3) for m in measured if m.pace < 0.99})
    index = {pace: 3 + k for k, pace in enumerate(paces)}

    begin = np.array(
        [np.log(first.speed), np.log(first.acceleration), delay_s, *(np.log(first.speed * p) for p in paces)]
    )

    def misses(v: Values) -> Values:
        speed, acceleration, late_s = np.exp(v[0]), np.exp(v[1]), v[2]
        parts = []
        for m in measured:
            top = speed if m.pace >= 0.99 else np.exp(v[index[round(m.pace, 3)]])
            way = abs(m.end - m.start)
            model = profile(m.times_s, way, float(top), float(acceleration), float(late_s))
            parts.append((model - (m.values - m.start) / (m.end - m.start)) * way / first.speed)
        return np.concatenate([*parts, BELIEF_S * (v - begin)])

    found = least_squares(misses, begin, loss="soft_l1", f_scale=0.01, x_scale="jac", max_nfev=300)
    speed, acceleration = float(np.exp(found.x[0])), float(np.exp(found.x[1]))
    rows = [(pace, float(np.exp(found.x[index[pace]]))) for pace in paces]
    table = tuple((p, v) for (p, v), (_, after) in pairwise([*rows, (1.0, speed)]) if v <= after * 1.02)
    residual_s = float(np.sqrt(np.mean(misses(found.x)[: -len(begin)] ** 2)))
    return AxisMotion(speed, acceleration, table), max(0.0, float(found.x[2])), residual_s


def settled(motion: HeadMotion, moves: Sequence[Timed]) -> HeadMotion:
    """The motion with the settling times that make the predicted times of these moves right on the median.

    How much longer a tight picture needs is tried out in steps; the one that leaves the least spread is taken.
    """
    late: dict[float, list[float]] = {}
    for tele_s in TELE_STEPS_S:
        bare = replace(motion, settle_s=0.0, tele_settle_s=tele_s)
        late[tele_s] = [m.actual_s - bare.at_pace(m.pace).travel_s(m.start, m.end) for m in moves if m.start != m.end]
    if not late[0.0]:
        return motion

    def spread(tele_s: float) -> float:
        off = np.abs(np.array(late[tele_s]) - np.median(late[tele_s]))
        return float(np.sum(np.minimum(off, FAR_OFF_S)))

    best = min(TELE_STEPS_S, key=spread)
    return replace(motion, settle_s=max(0.0, float(np.median(late[best]))), tele_settle_s=best)


def errors(motion: HeadMotion, moves: Sequence[Timed]) -> tuple[float, float]:
    """Median of the relative error, and the 95th percentile of the error in seconds, of predicted times."""
    if not moves:
        return float("nan"), float("nan")
    off = [abs(motion.at_pace(m.pace).travel_s(m.start, m.end) - m.actual_s) for m in moves]
    share = [e / m.actual_s for e, m in zip(off, moves, strict=True) if m.actual_s > 0]
    return float(np.median(share)) if share else 0.0, float(np.percentile(off, 95))


def nudged(motion: HeadMotion, move: Timed) -> HeadMotion:
    """What one more move at full pace teaches, a little at a time; the same motion when it teaches nothing.

    A long move corrects the speed of the axis that decided it, a short one the settling time.
    """
    predicted = motion.travel_s(move.start, move.end)
    off = move.actual_s - predicted
    if predicted < SHORTEST_S or abs(off) > BELIEVABLE * max(predicted, 0.5):
        return motion
    way = move.end - move.start
    distances = {"pan": abs(way.pan_deg), "tilt": abs(way.tilt_deg), "zoom": abs(way.zoom)}
    slowest = max(AXES, key=lambda name: getattr(motion, name).travel_s(distances[name]))
    axis: AxisMotion = getattr(motion, slowest)
    cruise_s = distances[slowest] / axis.speed
    if cruise_s > 0.6 * predicted:
        speed = axis.speed * (1 - LEARNING * off / cruise_s)
        corrected: dict[str, Any] = {slowest: replace(axis, speed=speed)}
        return replace(motion, **corrected)
    return replace(motion, settle_s=max(0.0, motion.settle_s + LEARNING * off))
