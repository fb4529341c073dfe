"""How much cameras travelled in an evening, from one framing that was on air to the next one of the same camera."""

from collections.abc import Iterable
from dataclasses import dataclass
from math import hypot

from ribalta.core.base.aim import Aim
from ribalta.core.ports.as_run import Aired, AsRunLine
from ribalta.core.show.document.model import Show


@dataclass(frozen=True, slots=True)
class Travelled:
    """Of one camera, by its number: how many moves, how long they take by what is known of it, and how many degrees of
    pan and tilt they are."""

    camera: int
    moves: int
    seconds: float
    degrees: float


def travelled(show: Show, lines: Iterable[AsRunLine]) -> tuple[Travelled, ...]:
    """Of all steered cameras that moved, the longest way first. Framings that were removed since are passed
    over."""
    at: dict[str, Aim] = {}
    sums: dict[str, tuple[int, float, float]] = {}
    for line in lines:
        framing = show.framing(line.framing_id) if line.kind is Aired.SHOT else None
        camera = show.camera(framing.camera_id) if framing is not None else None
        if framing is None or camera is None or camera.head is None:
            continue
        before, at[camera.id] = at.get(camera.id), framing.aim
        if before is not None and before != framing.aim:
            way = framing.aim - before
            moves, seconds, degrees = sums.get(camera.id, (0, 0.0, 0.0))
            needs_s = camera.head.motion.travel_s(before, framing.aim)
            sums[camera.id] = moves + 1, seconds + needs_s, degrees + hypot(way.pan_deg, way.tilt_deg)
    found = (
        Travelled(camera.number, moves, round(seconds, 1), round(degrees, 1))
        for camera in show.cameras
        if camera.id in sums
        for moves, seconds, degrees in (sums[camera.id],)
    )
    return tuple(sorted(found, key=lambda one: (-one.seconds, one.camera)))
