"""What a fresh framing probably shows: which mark, how large, and a name made of both."""

import math
from dataclasses import dataclass

import numpy as np

from ribalta.core.base.aim import Aim
from ribalta.core.optics.projection import HD, focal_px, mount_to_world, view_to_mount
from ribalta.core.planning.composing import compose
from ribalta.core.show.document.model import Camera, Mark, ShotSize, Show

CENTRAL = 0.3  # of the width: further from the middle somebody is not what the shot is about
SIZES = (ShotSize.FULL, ShotSize.MEDIUM, ShotSize.MEDIUM_CLOSE_UP, ShotSize.CLOSE_UP)
TIGHTER, WIDER = 0.6, 1.8


@dataclass(frozen=True, slots=True)
class Guess:
    """`name` is empty when no mark is in sight."""

    name: str = ""
    mark_ids: tuple[str, ...] = ()
    size: ShotSize | None = None


def guess(show: Show, camera: Camera, aim: Aim) -> Guess:
    """What is in the picture of a steered camera at an aim, by the floor plan."""
    seen = [(off, mark) for mark in show.marks if (off := _off_middle(camera, aim, mark)) is not None]
    if not seen:
        return Guess()
    off, nearest = min(seen, key=lambda pair: pair[0])
    if off > CENTRAL:
        return Guess()
    hfov_deg = camera.lens.hfov_deg(aim.zoom)
    size = _size(camera, nearest, hfov_deg)
    if size is ShotSize.WIDE and len(seen) > 1:
        return Guess("Wide", tuple(mark.id for _, mark in sorted(seen, key=lambda pair: pair[0])), size)
    return Guess(f"{nearest.name} {size.value}", (nearest.id,), size)


def name_of(marks: tuple[Mark, ...], size: ShotSize, show: Show) -> str:
    """A name for a framing of marks, short enough for the board."""
    if len(marks) == 1:
        return f"{marks[0].name} {size.value}"
    if len(marks) == 2:
        return f"{marks[0].name} and {marks[1].name}"
    return "Everybody" if len(marks) == len(show.marks) else f"{marks[0].name} to {marks[-1].name}"


def _off_middle(camera: Camera, aim: Aim, mark: Mark) -> float | None:
    """How far from the middle a mark is, as a share of the width; None when it is not in the picture."""
    place = camera.place
    away = np.array([mark.x_m - place.x_m, mark.y_m - place.y_m, mark.height_m - place.z_m])
    right, forward, up = view_to_mount(aim, place.hung).T @ (mount_to_world(place.pose).T @ away)
    if forward <= 0.1:
        return None
    focal = focal_px(camera.lens, aim.zoom, HD)
    u, v = focal * right / forward / HD.width, focal * up / forward / HD.height
    return float(math.hypot(u, v)) if abs(u) < 0.5 and abs(v) < 0.5 else None


def _size(camera: Camera, mark: Mark, hfov_deg: float) -> ShotSize:
    """The shot size whose angle is nearest."""
    needed = {size: compose(camera, [mark], size).hfov_deg for size in SIZES}
    size, angle = min(needed.items(), key=lambda item: abs(math.log(hfov_deg / item[1])))
    if hfov_deg < TIGHTER * angle:
        return ShotSize.DETAIL
    return ShotSize.WIDE if hfov_deg > WIDER * angle else size
