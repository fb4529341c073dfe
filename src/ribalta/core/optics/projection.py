"""Pixels, rays and head angles, exact on the sphere.

Three frames of axes, each (right, forward, up) and right-handed:

- world: metres, z up; heading 0° looks along +y, and grows clockwise seen from above.
- mount: the base that the head turns on: the world turned by heading, tilt and roll, and by another half
  turn about its forward axis when the camera hangs upside down.
- view: the picture's own axes. A hung camera turns its picture upright by itself, so its view is rotated
  by half a turn against its head.

A pixel is (u, v) from the picture's top left corner, continuous: the centre of a 1280x720 picture is (640, 360).
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ribalta.core.base.aim import Aim, AimLimits
from ribalta.core.optics.lens import Lens

Vector = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Pose:
    """Where a camera's head stands (metres) and how its base is set (degrees). `hung`: upside down."""

    x_m: float = 0.0
    y_m: float = 0.0
    z_m: float = 1.5
    heading_deg: float = 0.0
    tilt_deg: float = 0.0
    roll_deg: float = 0.0
    hung: bool = False


@dataclass(frozen=True, slots=True)
class Picture:
    """The size of a picture in pixels (square ones)."""

    width: int = 1280
    height: int = 720


HD = Picture()


def _turn_z(deg: float) -> Vector:
    """Clockwise from above: forward turns towards right."""
    c, s = math.cos(math.radians(deg)), math.sin(math.radians(deg))
    return np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])


def _turn_x(deg: float) -> Vector:
    """Forward turns towards up."""
    c, s = math.cos(math.radians(deg)), math.sin(math.radians(deg))
    return np.array([[1.0, 0.0, 0.0], [0.0, c, -s], [0.0, s, c]])


def _turn_y(deg: float) -> Vector:
    """Right sinks: the base leans to the right."""
    c, s = math.cos(math.radians(deg)), math.sin(math.radians(deg))
    return np.array([[c, 0.0, s], [0.0, 1.0, 0.0], [-s, 0.0, c]])


def mount_to_world(pose: Pose) -> Vector:
    """(3, 3) rotation from mount axes to world axes."""
    base = _turn_z(pose.heading_deg) @ _turn_x(pose.tilt_deg) @ _turn_y(pose.roll_deg)
    return base @ _turn_y(180.0) if pose.hung else base


def view_to_mount(aim: Aim, hung: bool) -> Vector:
    """(3, 3) rotation from the picture's axes to mount axes for a head at `aim`."""
    head = _turn_z(aim.pan_deg) @ _turn_x(aim.tilt_deg)
    return head @ _turn_y(180.0) if hung else head


def focal_px(lens: Lens, zoom: float, picture: Picture) -> float:
    """The focal length in pixels of a picture at a zoom of 0 to 1."""
    return picture.width / 2 / math.tan(math.radians(lens.hfov_deg(zoom)) / 2)


def pixel_to_view(u: float, v: float, focal: float, picture: Picture) -> Vector:
    """(3,) unit ray in view axes through the pixel."""
    ray = np.array([(u - picture.width / 2) / focal, 1.0, (picture.height / 2 - v) / focal])
    unit: Vector = ray / np.linalg.norm(ray)
    return unit


def pan_tilt_of(ray_mount: Vector) -> tuple[float, float]:
    """Pan and tilt in degrees that point the head along a (3,) ray in mount axes of any length above 0."""
    right, forward, up = (float(c) for c in ray_mount)
    return math.degrees(math.atan2(right, forward)), math.degrees(math.atan2(up, math.hypot(right, forward)))


def pixel_to_pan_tilt(
    u: float, v: float, aim: Aim, lens: Lens, hung: bool = False, picture: Picture = HD
) -> tuple[float, float]:
    """The direction that a pixel shows, as the pan and tilt in degrees that would centre it."""
    ray = pixel_to_view(u, v, focal_px(lens, aim.zoom, picture), picture)
    return pan_tilt_of(view_to_mount(aim, hung) @ ray)


def pan_tilt_to_pixel(
    pan_deg: float, tilt_deg: float, aim: Aim, lens: Lens, hung: bool = False, picture: Picture = HD
) -> tuple[float, float] | None:
    """The pixel at which a direction appears, outside the picture's edges too; None behind the picture plane."""
    ray = _turn_z(pan_deg) @ _turn_x(tilt_deg) @ np.array([0.0, 1.0, 0.0])
    right, forward, up = (float(c) for c in view_to_mount(aim, hung).T @ ray)
    if forward <= 1e-9:
        return None
    focal = focal_px(lens, aim.zoom, picture)
    return picture.width / 2 + focal * right / forward, picture.height / 2 - focal * up / forward


def point_to_pan_tilt(pose: Pose, x_m: float, y_m: float, z_m: float) -> tuple[float, float]:
    """Pan and tilt in degrees that point a camera at a point of the room. Raises ValueError at the camera itself."""
    offset = np.array([x_m - pose.x_m, y_m - pose.y_m, z_m - pose.z_m])
    if float(np.linalg.norm(offset)) < 1e-6:
        raise ValueError("the point is the camera's own position")
    return pan_tilt_of(mount_to_world(pose).T @ offset)


@dataclass(frozen=True, slots=True)
class Reached:
    """An aim that a head can take, and the phrases for the limits that kept it from the asked one."""

    aim: Aim
    limits_met: tuple[str, ...] = ()


def centre_on(
    u: float, v: float, aim: Aim, lens: Lens, limits: AimLimits, hung: bool = False, picture: Picture = HD
) -> Reached:
    """The aim that brings a pixel to the centre at the same zoom, turning the short way."""
    pan, tilt = pixel_to_pan_tilt(u, v, aim, lens, hung, picture)
    return Reached(*limits.clamp(Aim(_short_way(pan, aim), tilt, aim.zoom)))


def _short_way(pan_deg: float, start: Aim) -> float:
    """The same direction as `pan_deg`, counted on from where the head is: beyond a limit, not around behind it."""
    return start.pan_deg + math.remainder(pan_deg - start.pan_deg, 360.0)


def fill_with(
    box: tuple[float, float, float, float],
    aim: Aim,
    lens: Lens,
    limits: AimLimits,
    hung: bool = False,
    picture: Picture = HD,
) -> Reached:
    """The aim that fills the frame with a box of pixels (left, top, right, bottom) as nearly as its shape allows.

    After turning, the box is no longer a rectangle; the aim is moved until the box's extent is centred and the
    angle is the smallest that keeps all of it in the frame. Raises ValueError for an empty box.
    """
    left, top, right, bottom = box
    if right - left < 1 or bottom - top < 1:
        raise ValueError("the box is empty: draw it at least one pixel wide and high")
    focal = focal_px(lens, aim.zoom, picture)
    turn = view_to_mount(aim, hung)
    corners = np.stack([turn @ pixel_to_view(u, v, focal, picture) for u in (left, right) for v in (top, bottom)])
    pan, tilt = pixel_to_pan_tilt((left + right) / 2, (top + bottom) / 2, aim, lens, hung, picture)
    half = 0.0
    for _ in range(6):
        view = corners @ view_to_mount(Aim(pan, tilt, 0.0), hung)
        flat = view[:, [0, 2]] / view[:, 1:2]
        low, high = flat.min(axis=0), flat.max(axis=0)
        middle = (low + high) / 2
        half = max(float(high[0] - low[0]) / 2, float(high[1] - low[1]) / 2 * picture.width / picture.height)
        ray = np.array([middle[0], 1.0, middle[1]])
        pan, tilt = pan_tilt_of(view_to_mount(Aim(pan, tilt, 0.0), hung) @ ray)
    hfov = math.degrees(2 * math.atan(half))
    met: tuple[str, ...] = ()
    if hfov < lens.narrowest_deg:
        met = (f"the lens does not go narrower than {lens.narrowest_deg:g}° ({hfov:.1f}° was asked)",)
    elif hfov > lens.widest_deg:
        met = (f"the lens does not go wider than {lens.widest_deg:g}° ({hfov:.1f}° was asked)",)
    reached, axes_met = limits.clamp(Aim(_short_way(pan, aim), tilt, lens.zoom_for(hfov)))
    return Reached(reached, axes_met + met)


def offset_percent(actual: Aim, wanted: Aim, lens: Lens) -> float:
    """How far off a framing is, as a percentage of the frame's width at the wanted zoom.

    The largest displacement, over the picture's centre and its left and right edges, of what should be there:
    the error of pan and tilt as seen in the wanted frame, plus the growth or shrinkage that a wrong zoom makes
    at the edge. Both aims are in the same camera's axes; hanging upside down does not change a distance.
    """
    half_wanted = math.tan(math.radians(lens.hfov_deg(wanted.zoom)) / 2)
    half_actual = math.tan(math.radians(lens.hfov_deg(actual.zoom)) / 2)
    aside, lift = math.radians(actual.pan_deg - wanted.pan_deg), math.radians(actual.tilt_deg)
    right, ahead, high = math.cos(lift) * math.sin(aside), math.cos(lift) * math.cos(aside), math.sin(lift)
    c, s = math.cos(math.radians(wanted.tilt_deg)), math.sin(math.radians(wanted.tilt_deg))
    forward, up = c * ahead + s * high, c * high - s * ahead
    if forward <= 1e-6:
        return 1e6
    shift = math.hypot(right, up) / forward / (2 * half_wanted)
    return 100.0 * (shift + abs(half_actual / half_wanted - 1.0) / 2)
