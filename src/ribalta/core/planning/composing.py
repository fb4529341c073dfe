"""Frame it for me: the pan, tilt and zoom that put somebody into the picture as a shot size asks for it.

Method: from a first aim at the face, the aim is moved and the angle changed until the top of the head is as far under
the frame's upper edge as the headroom says, the lowest point that is wanted lies on the lower edge (or the sides are
filled, if those are met first), and the head stands off the middle, to leave room on the side that it looks to.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ribalta.core.base.aim import Aim
from ribalta.core.optics.projection import HD, Vector, mount_to_world, pan_tilt_of, view_to_mount
from ribalta.core.planning.figure import Figure, figure_at, together
from ribalta.core.show.document.model import Camera, Mark, ShotSize

HEADROOM = {ShotSize.WIDE: 0.14, ShotSize.FULL: 0.1, ShotSize.MEDIUM: 0.1, ShotSize.MEDIUM_CLOSE_UP: 0.09}
HEADROOM |= {ShotSize.CLOSE_UP: 0.06, ShotSize.DETAIL: 0.05}
LOOK_ROOM = 0.08  # of the width, for somebody seen from the side
SIDE = 0.05  # of the width, kept free at either side
ROUNDS = 40
SAME = 1e-5


@dataclass(frozen=True, slots=True)
class Composed:
    """An aim, the angle that it needs, and why it cannot be had as it should be; nothing when it can."""

    aim: Aim
    hfov_deg: float
    why_not: tuple[str, ...] = ()


def compose(
    camera: Camera, marks: Sequence[Mark], size: ShotSize, headroom: float | None = None, look_room: float = LOOK_ROOM
) -> Composed:
    """The framing of one or more marks. `headroom` is a share of the height (0..0.4), `look_room` of the width.

    Raises ValueError for a fixed camera, without marks, or when the camera stands at a mark.
    """
    if camera.head is None:
        raise ValueError(f"camera {camera.number} is fixed")
    if not marks:
        raise ValueError("no mark is chosen")
    room = HEADROOM[size] if headroom is None else headroom
    figure = together([figure_at(mark, size) for mark in marks])
    eye = np.array([camera.place.x_m, camera.place.y_m, camera.place.z_m])
    to_mount = mount_to_world(camera.place.pose).T
    if float(np.linalg.norm(figure.face - eye)) < 0.3:
        raise ValueError(f"camera {camera.number} stands at this mark")
    look = _look(figure, eye) * look_room if len(marks) == 1 else 0.0
    crown, wanted = ((points - eye) @ to_mount.T for points in (figure.crown, figure.wanted))
    heads = ((figure_at(mark, size).face - eye) @ to_mount.T for mark in marks)
    lens = camera.lens
    pan, tilt, needed, half = _solve(crown, wanted, np.stack(list(heads)), camera, room, 0.5 + look)
    hfov = math.degrees(2 * math.atan(needed))
    met: list[str] = []
    if hfov < lens.narrowest_deg * 0.995:
        met.append(f"the lens does not go narrower than {lens.narrowest_deg:g}° ({hfov:.1f}° is needed)")
    elif hfov > lens.widest_deg * 1.005:
        met.append(f"the lens does not go wider than {lens.widest_deg:g}° ({hfov:.1f}° is needed)")
    zoom = lens.zoom_for(math.degrees(2 * math.atan(half)))
    aim, axes = camera.head.limits.clamp(Aim(round(pan, 3), round(tilt, 3), zoom))
    return Composed(aim, hfov, (*axes, *met))


def _look(figure: Figure, eye: Vector) -> float:
    """-1 to 1: how much somebody looks to the right as the camera sees it, so where the head is to stand is less."""
    away = figure.face - eye
    across = np.array([away[1], -away[0], 0.0])
    length = float(np.linalg.norm(across))
    return -float(figure.facing @ across) / length if length > 1e-6 else 0.0


def _solve(
    crown: Vector, wanted: Vector, heads: Vector, camera: Camera, room: float, across: float
) -> tuple[float, float, float, float]:
    """Pan and tilt in degrees, and the tangents of half the angle that is needed and of the one that the lens has.

    Points are in mount axes. A lens that does not reach keeps the headroom all the same.
    """
    hung, tall = camera.place.hung, HD.height / HD.width
    narrow, wide = (math.tan(math.radians(d) / 2) for d in (camera.lens.narrowest_deg, camera.lens.widest_deg))
    needed = 0.2
    pan, tilt = pan_tilt_of(heads.mean(axis=0))
    half = 0.2
    for _ in range(ROUNDS):
        turn = view_to_mount(Aim(pan, tilt, 0.0), hung)
        top, all_points, faces = (_flat(points, turn) for points in (crown, wanted, heads))
        high, low = float(top[:, 1].max()), float(all_points[:, 1].min())
        left, right = float(all_points[:, 0].min()), float(all_points[:, 0].max())
        middle = (left + right) / 2 if len(heads) > 1 else float(faces[:, 0].mean()) - (across - 0.5) * 2 * half
        upright = (high - low) / (2 * tall * (1 - room))
        sideways = max(right - middle, middle - left) / (1 - 2 * SIDE)
        needed = max(upright, sideways, 1e-3)
        grown = min(wide, max(narrow, needed))
        centre = high - tall * grown * (1 - 2 * room)
        ray = turn @ np.array([middle, 1.0, centre])
        new_pan, new_tilt = pan_tilt_of(ray)
        moved = abs(new_pan - pan) + abs(new_tilt - tilt) + abs(grown - half)
        pan, tilt, half = new_pan, new_tilt, grown
        if moved < SAME:
            break
    return pan, tilt, needed, half


def _flat(points: Vector, turn: Vector) -> Vector:
    """(n, 2) tangents right and up in the view; what is behind the camera is held at its side."""
    view = points @ turn
    return np.asarray(view[:, [0, 2]] / np.maximum(view[:, 1:2], 0.05), np.float64)
