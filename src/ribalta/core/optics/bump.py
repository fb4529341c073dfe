"""What a knock did to a camera's mount, from how far off its framings show what they were stored with.

Method: each framing whose picture was compared says by which rotation its view is off. Seen from the mount all of
them must be the same rotation; it is the least-squares one (iteratively reweighted, so that a framing that disagrees
does not drag it along), weighted by how finely each framing sees. Where a turn alone does not explain them, and the
distances of four marks or more are known, a shift of the mount is solved too, with a weak belief that there was none;
it counts only if it explains much more.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ribalta.core.base.aim import Aim, AimLimits
from ribalta.core.base.solving import least_squares
from ribalta.core.optics.lens import Lens
from ribalta.core.optics.projection import Pose, Reached, Vector, mount_to_world, pan_tilt_of, view_to_mount

LEAN_COUNTS = 0.2  # how much the lean of a picture counts against where its middle is
SHIFT_M = 0.1  # how far a mount is believed to have been pushed, one standard deviation
SEEN_PERCENT = 0.2  # how well a comparison places a picture's middle
MARKS_FOR_SHIFT, FURTHEST_M = 4, 0.5
TURN_EXPLAINS_PERCENT = 0.6  # a turn that leaves less than this of every framing needs no push beside it
DISAGREES_PERCENT = 1.5


@dataclass(frozen=True, slots=True)
class Offset:
    """A framing and where the middle of its stored picture is now: % of the width from the middle, and the turn.

    `looked` is the aim at which it was compared, `away_m` the distance of what it shows, if that is known.
    """

    name: str
    aim: Aim
    looked: Aim
    hfov_deg: float
    right_percent: float
    down_percent: float
    turn_deg: float
    away_m: float | None = None


@dataclass(frozen=True, slots=True)
class Bump:
    """Rotation vector (degrees, about the mount's right, forward and up axes) and shift (metres, the same axes).

    `left_percent`: what each framing would still be off after the correction. `disagree`: names of those that
    do not fit the others.
    """

    turn_deg: tuple[float, float, float]
    shift_m: tuple[float, float, float]
    left_percent: tuple[float, ...]
    disagree: tuple[str, ...]

    @property
    def size_deg(self) -> float:
        """How far the mount was turned, in degrees."""
        return math.hypot(*self.turn_deg)

    def words(self, hung: bool) -> str:
        """In degrees, as its picture shows it."""
        sign = -1 if hung else 1
        tilt, lean, pan = sign * self.turn_deg[0], self.turn_deg[1], sign * self.turn_deg[2]
        parts = [(abs(pan), "left" if pan > 0 else "right"), (abs(tilt), "up" if tilt > 0 else "down")]
        said = [f"{value:.1f}° {way}" for value, way in parts if value >= 0.05]
        if abs(lean) >= 0.05:
            said.append(f"leaning {abs(lean):.1f}° to the {'right' if lean > 0 else 'left'}")
        shift = math.hypot(*self.shift_m)
        if shift >= 0.01:
            said.append(f"pushed {100 * shift:.0f} cm")
        return ", ".join(said) or "not at all"


def solve_bump(offsets: Sequence[Offset], hung: bool) -> Bump:
    """What explains the offsets. Raises ValueError with fewer than two framings, or when they point nearly one way."""
    if len(offsets) < 2:
        raise ValueError("two compared framings or more are needed")
    turned = _without_odd_ones(offsets, hung, False)
    if max(turned.left_percent) < TURN_EXPLAINS_PERCENT or sum(o.away_m is not None for o in offsets) < MARKS_FOR_SHIFT:
        return turned
    pushed = _without_odd_ones(offsets, hung, True)
    likely = math.hypot(*pushed.shift_m) < FURTHEST_M and not pushed.disagree
    return pushed if likely and _left(pushed) < _left(turned) / 2 else turned


def _left(bump: Bump) -> float:
    return sum(percent * percent for percent in bump.left_percent)


def _without_odd_ones(offsets: Sequence[Offset], hung: bool, with_shift: bool) -> Bump:
    bump = _solved(offsets, offsets, hung, with_shift)
    agreeing = [o for o in offsets if o.name not in bump.disagree]
    return _solved(agreeing, offsets, hung, with_shift) if bump.disagree and len(agreeing) >= 2 else bump


def _solved(offsets: Sequence[Offset], all_offsets: Sequence[Offset], hung: bool, with_shift: bool) -> Bump:
    """What explains some offsets best, and what it leaves of all of them."""

    def bump_of(v: Vector) -> tuple[Vector, Vector]:
        return _turned(v[:3]), (v[3:] if with_shift else np.zeros(3))

    def misses(v: Vector) -> Vector:
        turned, shift = bump_of(v)
        off = np.concatenate([_miss(o, turned, shift, hung) for o in offsets]) / SEEN_PERCENT
        return np.concatenate([off, v[3:] / SHIFT_M]) if with_shift else off

    found = least_squares(misses, np.zeros(6 if with_shift else 3), loss="soft_l1", f_scale=2.0)
    turned, shift = bump_of(found.x)
    left = tuple(float(np.hypot(*_miss(o, turned, shift, hung)[:2])) for o in all_offsets)
    disagree = tuple(o.name for o, percent in zip(all_offsets, left, strict=True) if percent > DISAGREES_PERCENT)
    pan, tilt, up = (float(x) for x in found.x[:3])
    return Bump((pan, tilt, up), (float(shift[0]), float(shift[1]), float(shift[2])), left, disagree)


def _turned(by_deg: Sequence[float] | Vector) -> Vector:
    """The rotation matrix of a rotation vector (Rodrigues' formula)."""
    x, y, z = v = np.radians(np.asarray(by_deg, np.float64))
    angle = float(np.linalg.norm(v))
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    half = np.sinc(angle / 2 / np.pi)
    return np.asarray(np.eye(3) + np.sinc(angle / np.pi) * cross + 0.5 * half * half * cross @ cross, np.float64)


def _miss(offset: Offset, turned: Vector, shift: Vector, hung: bool) -> Vector:
    """(3,) what the bump does not explain: right and down in % of the width, and the turn, weighed."""
    right, down, turn = _expected(offset, turned, shift, hung)
    edge = 50 * math.radians(1)  # a turn of one degree, at the picture's edge
    off = [offset.right_percent - right, offset.down_percent - down, (offset.turn_deg - turn) * edge * LEAN_COUNTS]
    return np.array(off)


def _expected(offset: Offset, turned: Vector, shift: Vector, hung: bool) -> tuple[float, float, float]:
    """Where the bump puts the middle of the stored picture, in % of the width, and by how much it turns it."""
    view, looked = view_to_mount(offset.aim, hung), view_to_mount(offset.looked, hung)
    away = view[:, 1] * (offset.away_m or 1e6)
    half = math.tan(math.radians(offset.hfov_deg) / 2)
    seen = looked.T @ turned.T @ (away - shift)
    above = looked.T @ turned.T @ (view @ np.array([0.0, 1.0, 0.01]))
    middle = looked.T @ turned.T @ view[:, 1]
    lean = math.degrees(
        math.atan2(above[0] / above[1] - middle[0] / middle[1], above[2] / above[1] - middle[2] / middle[1])
    )
    return 50 * seen[0] / seen[1] / half, -50 * seen[2] / seen[1] / half, lean


def corrected(
    aim: Aim, bump: Bump, limits: AimLimits, hung: bool, away_m: float | None = None, lens: Lens | None = None
) -> Reached:
    """The aim that shows after the bump what `aim` showed before it; a lean of the picture stays.

    With a distance and a lens the zoom makes up for a shift along the way.
    """
    turned = _turned(bump.turn_deg)
    away = view_to_mount(aim, hung)[:, 1] * (away_m or 1e6)
    now = away - np.array(bump.shift_m)
    pan, tilt = pan_tilt_of(np.asarray(turned.T @ now, np.float64))
    zoom = aim.zoom
    if away_m is not None and lens is not None:
        half = math.tan(math.radians(lens.hfov_deg(aim.zoom)) / 2) * away_m / float(np.linalg.norm(now))
        zoom = lens.zoom_for(math.degrees(2 * math.atan(half)))
    pan = aim.pan_deg + math.remainder(pan - aim.pan_deg, 360.0)
    return Reached(*limits.clamp(Aim(pan, tilt, zoom)))


def bumped_pose(pose: Pose, bump: Bump) -> Pose:
    """Where the mount stands after the bump."""
    before = mount_to_world(pose)
    turned = before @ _turned(bump.turn_deg)
    if pose.hung:
        turned = turned @ np.diag([-1.0, 1.0, -1.0])  # the base without its half turn
    moved = np.array([pose.x_m, pose.y_m, pose.z_m]) + before @ np.array(bump.shift_m)
    forward, up_right = turned[:, 1], turned[2]
    return Pose(
        float(moved[0]),
        float(moved[1]),
        float(moved[2]),
        math.degrees(math.atan2(forward[0], forward[1])),
        math.degrees(math.asin(max(-1.0, min(1.0, float(forward[2]))))),
        math.degrees(math.atan2(-up_right[0], up_right[2])),
        pose.hung,
    )
