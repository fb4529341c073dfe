"""Where a camera stands, from marks of known position that it was aimed at (resection).

Method: non-linear least squares of the angles between where a pose says a mark is and where the head really pointed,
from several starting places around the marks, with a weak belief that the base is level; scipy's trust region solver
with a soft loss, so that one wrong mark does not drag the answer far.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ribalta.core.base.solving import least_squares
from ribalta.core.optics.projection import Pose, Vector, mount_to_world

LEVEL_DEG = 0.3  # how level a base is believed to be, one standard deviation
SIGHT_DEG = 0.2  # how well a mark is aimed at
FEWEST = 3
TRIED = 4
TILT_FROM = 5  # with fewer sights the base is taken to be as level as it was said to be
FURTHEST_M = 200.0


@dataclass(frozen=True, slots=True)
class Sight:
    """A mark (metres) in the middle of the picture, and the head's pan and tilt (degrees) then."""

    name: str
    x_m: float
    y_m: float
    z_m: float
    pan_deg: float
    tilt_deg: float


@dataclass(frozen=True, slots=True)
class Solved:
    """A pose, how far off each sight is at its mark in metres, and the name of one that disagrees with the others."""

    pose: Pose
    off_m: tuple[float, ...]
    disagrees: str | None

    @property
    def residual_m(self) -> float:
        """Root mean square at the marks."""
        return math.sqrt(sum(off * off for off in self.off_m) / len(self.off_m))


def solve_pose(sights: Sequence[Sight], start: Pose) -> Solved:
    """The pose that explains the sights. `start` gives what is not solved for: hung or not, and a first guess.

    Raises ValueError when there are fewer than three, or when they lie so that many places explain them equally.
    """
    if len({(s.x_m, s.y_m, s.z_m) for s in sights}) < FEWEST:
        raise ValueError(f"three different marks or more are needed, and there are {len(sights)} sights")
    rays = np.array([_ray(s.pan_deg, s.tilt_deg) for s in sights])
    marks = np.array([[s.x_m, s.y_m, s.z_m] for s in sights])
    axes = _axes(rays)
    free_base = len(sights) >= TILT_FROM

    def pose_of(v: Vector) -> Pose:
        base = (float(v[4]), float(v[5])) if free_base else (start.tilt_deg, start.roll_deg)
        return Pose(float(v[0]), float(v[1]), float(v[2]), float(v[3]), *base, start.hung)

    def misses(v: Vector) -> Vector:
        off = _angles(pose_of(v), marks, rays, axes) / SIGHT_DEG
        if free_base:
            off = np.concatenate([off, [(v[4] - start.tilt_deg) / LEVEL_DEG, (v[5] - start.roll_deg) / LEVEL_DEG]])
        return off

    best = None
    for first in sorted(_starts(marks, rays, start, free_base), key=lambda v: _soft(misses(v)))[:TRIED]:
        found = least_squares(misses, first, loss="soft_l1", x_scale="jac", max_nfev=200)
        if best is None or found.cost < best.cost:
            best = found
    assert best is not None
    slopes = np.asarray(best.jac, np.float64)
    if float(np.abs(best.x[:3]).max()) > FURTHEST_M or np.linalg.cond(slopes.T @ slopes) > 1e13:
        raise ValueError("these marks do not say where the camera is: choose marks further apart, and not in one line")
    pose = pose_of(best.x)
    pose = replace(pose, heading_deg=math.remainder(pose.heading_deg, 360.0))
    off = _angles(pose, marks, rays, axes).reshape(-1, 2)
    away = np.linalg.norm(marks - [pose.x_m, pose.y_m, pose.z_m], axis=1)
    off_m = tuple(float(x) for x in np.radians(np.linalg.norm(off, axis=1)) * away)
    return Solved(pose, off_m, _worst(sights, off_m))


def _ray(pan_deg: float, tilt_deg: float) -> tuple[float, float, float]:
    """(right, forward, up) in mount axes."""
    pan, tilt = math.radians(pan_deg), math.radians(tilt_deg)
    return math.cos(tilt) * math.sin(pan), math.cos(tilt) * math.cos(pan), math.sin(tilt)


def _axes(rays: Vector) -> tuple[Vector, Vector]:
    """(n, 3) each: aside of and up from each ray."""
    steep = np.abs(rays[:, 2:]) > 0.95
    aside = np.cross(rays, np.where(steep, [[0.0, 1.0, 0.0]], [[0.0, 0.0, 1.0]]))
    aside = aside / np.linalg.norm(aside, axis=1, keepdims=True)
    return np.asarray(aside), np.asarray(np.cross(aside, rays))


def _angles(pose: Pose, marks: Vector, rays: Vector, axes: tuple[Vector, Vector]) -> Vector:
    """(2 n,) degrees by which each mark is off its ray: aside and up, equal in size all over the sphere."""
    to_mount = mount_to_world(pose).T
    ways = (marks - [pose.x_m, pose.y_m, pose.z_m]) @ to_mount.T
    ways = ways / np.maximum(1e-6, np.linalg.norm(ways, axis=1, keepdims=True))
    aside, up = axes
    ahead = np.sum(ways * rays, axis=1)
    sideways = np.arctan2(np.sum(ways * aside, axis=1), ahead)
    upwards = np.arctan2(np.sum(ways * up, axis=1), ahead)
    return np.asarray(np.degrees(np.stack([sideways, upwards], axis=1)).ravel(), np.float64)


def _soft(misses: Vector) -> float:
    return float(np.sum(np.sqrt(1 + misses * misses)))


def _starts(marks: Vector, rays: Vector, start: Pose, free_base: bool) -> list[Vector]:
    """The pose that is believed, and places around the marks, each with the heading that suits it best."""
    middle, spread = marks.mean(axis=0), max(3.0, float(np.ptp(marks, axis=0).max()))
    sign = -1.0 if start.hung else 1.0
    pans = np.arctan2(sign * rays[:, 0], rays[:, 1])
    places = [(start.x_m, start.y_m, start.z_m)]
    for around in np.radians(np.arange(0, 360, 30)):
        for distance in (0.5 * spread, spread, 2 * spread):
            x, y = middle[0] - math.sin(around) * distance, middle[1] - math.cos(around) * distance
            places.append((float(x), float(y), start.z_m))
    starts = []
    for x, y, z in places:
        bearings = np.arctan2(marks[:, 0] - x, marks[:, 1] - y)
        turn = np.angle(np.mean(np.exp(1j * (bearings - pans))))
        starts.append([x, y, z, math.degrees(float(turn)), *([start.tilt_deg, start.roll_deg] if free_base else [])])
    return [np.array(v) for v in starts]


def _worst(sights: Sequence[Sight], off_m: tuple[float, ...]) -> str | None:
    """The sight that is far worse than the others, if there is one."""
    if len(sights) <= FEWEST:
        return None
    worst = max(range(len(sights)), key=lambda k: off_m[k])
    others = [off for k, off in enumerate(off_m) if k != worst]
    usual = sorted(others)[len(others) // 2]
    return sights[worst].name if off_m[worst] > max(0.08, 3 * usual) else None
