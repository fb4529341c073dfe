"""A board to begin with: from a floor plan, the framings that each steered camera can do well."""

from collections.abc import Sequence
from dataclasses import dataclass

from ribalta.core.planning.fit import USABLE, Suggestion, suggestions
from ribalta.core.planning.naming import name_of
from ribalta.core.show.model import LETTERS, Camera, Framing, Mark, ShotSize, Show

NEIGHBOURS_M = 4.5
CLOSE_UPS = 3
MOST = len(LETTERS)


@dataclass(frozen=True, slots=True)
class Planned:
    """A framing to be, without a place yet."""

    name: str
    suggestion: Suggestion


def planned(show: Show, camera: Camera) -> tuple[Planned, ...]:
    """Up to a page of framings: everybody, then singles by fit, two-shots of neighbours, and close-ups of the best.

    What the camera has already (the same marks at the same size) is left out.
    """
    have = {(f.mark_ids, f.size) for f in show.framings if f.camera_id == camera.id}
    wanted: list[tuple[tuple[Mark, ...], ShotSize]] = []
    if len(show.marks) > 1:
        wanted.append((show.marks, ShotSize.WIDE))
    singles = sorted(
        (s for mark in show.marks if (s := _of(show, camera, (mark,), ShotSize.MEDIUM)) is not None),
        key=lambda s: -s.fit.score,
    )
    best = [mark for s in singles if s.fit.score >= USABLE and (mark := show.mark(s.mark_ids[0])) is not None]
    wanted += [((mark,), ShotSize.MEDIUM) for mark in best[: MOST - 1]]
    wanted += [(pair, ShotSize.MEDIUM) for pair in _neighbours(best)]
    wanted += [((mark,), ShotSize.CLOSE_UP) for mark in best[:CLOSE_UPS]]
    made = []
    for marks, size in wanted:
        one = _of(show, camera, marks, size)
        if one is not None and one.fit.score >= USABLE / 2 and (one.mark_ids, size) not in have:
            made.append(Planned(name_of(marks, size, show), one))
    return tuple(made[:MOST])


def _of(show: Show, camera: Camera, marks: Sequence[Mark], size: ShotSize) -> Suggestion | None:
    alone = show.model_copy(update={"cameras": (camera,)})
    return next((s for s in suggestions(alone, marks, size) if s.possible), None)


def _neighbours(marks: Sequence[Mark]) -> list[tuple[Mark, ...]]:
    """Pairs that stand near each other, the nearest first; nobody stands in two of them."""
    pairs = []
    for k, one in enumerate(marks):
        for other in marks[k + 1 :]:
            apart = ((one.x_m - other.x_m) ** 2 + (one.y_m - other.y_m) ** 2) ** 0.5
            if 0.4 < apart < NEIGHBOURS_M:
                pairs.append((apart, one, other))
    used: set[str] = set()
    chosen: list[tuple[Mark, ...]] = []
    for _, one, other in sorted(pairs, key=lambda p: p[0]):
        if not used & {one.id, other.id}:
            used |= {one.id, other.id}
            chosen.append((one, other))
    return chosen


def as_framing(plan: Planned, number: int, slot: int) -> Framing:
    """A framing that nobody has seen yet."""
    one = plan.suggestion
    aim = one.composed.aim
    return Framing(
        id=f"f{number}",
        camera_id=one.camera_id,
        slot=slot,
        name=plan.name[:80],
        pan_deg=aim.pan_deg,
        tilt_deg=aim.tilt_deg,
        zoom=aim.zoom,
        mark_id=one.mark_ids[0],
        more_mark_ids=one.mark_ids[1:],
        size=one.size,
        seen=False,
    )
