"""The same view from another camera: through the same point of the room, and as wide there."""

import math
from dataclasses import dataclass

import numpy as np

from ribalta.core.base.aim import Aim
from ribalta.core.optics.projection import Vector, mount_to_world, point_to_pan_tilt, view_to_mount
from ribalta.core.show.document.model import Camera, Framing, Show

BESIDE_M = 1.2  # a mark this near to the line of sight is taken for what is looked at
EYE_M, SOMEWHERE_M, FURTHEST_M = 1.2, 6.0, 40.0


@dataclass(frozen=True, slots=True)
class MatchedView:
    """`by` says how the distance was found; `why_not` has the limits that the other camera met."""

    aim: Aim
    by: str
    why_not: tuple[str, ...]


def same_view(show: Show, camera: Camera, framing: Framing, other: Camera) -> MatchedView:
    """A framing of one steered camera as another would have it. Raises ValueError when the other cannot at all."""
    if other.head is None:
        raise ValueError(f"camera {other.number} is fixed")
    place = camera.place
    eye = np.array([place.x_m, place.y_m, place.z_m])
    ray = mount_to_world(place.pose) @ view_to_mount(framing.aim, place.hung)[:, 1]
    away_m, by = _distance(show, framing, eye, ray)
    point = eye + away_m * ray
    pan, tilt = point_to_pan_tilt(other.place.pose, *(float(c) for c in point))
    there_m = math.dist(point, (other.place.x_m, other.place.y_m, other.place.z_m))
    half = math.tan(math.radians(camera.lens.hfov_deg(framing.zoom)) / 2) * away_m / max(0.1, there_m)
    hfov = math.degrees(2 * math.atan(half))
    aim, met = other.head.limits.clamp(Aim(round(pan, 3), round(tilt, 3), other.lens.zoom_for(hfov)))
    return MatchedView(aim, by, met)


def _distance(show: Show, framing: Framing, eye: Vector, ray: Vector) -> tuple[float, str]:
    """How far off what a framing shows is, in metres, and by what that is known."""
    marks = [mark for mark_id in framing.mark_ids if (mark := show.mark(mark_id)) is not None]
    along = [float(np.array([m.x_m, m.y_m, m.height_m]) @ ray - eye @ ray) for m in marks]
    if marks and min(along) > 0.3:
        return sum(along) / len(along), f"mark {marks[0].name}"
    near = []
    for mark in show.marks:
        to = np.array([mark.x_m, mark.y_m, mark.height_m]) - eye
        ahead = float(to @ ray)
        beside = float(np.linalg.norm(to - ahead * ray))
        if ahead > 0.3 and beside < BESIDE_M:
            near.append((beside, ahead, mark.name))
    if near:
        _, ahead, name = min(near)
        return ahead, f"mark {name}, which is nearest"
    falls = (EYE_M - eye[2]) / ray[2] if abs(ray[2]) > 1e-6 else -1.0
    if 0.5 < falls < FURTHEST_M:
        return float(falls), f"a height of {EYE_M:g} m"
    return SOMEWHERE_M, f"{SOMEWHERE_M:g} m, for want of a mark"
