"""A board to begin with: from a floor plan, the framings that each steered camera can do well."""

from collections.abc import Sequence
from dataclasses import dataclass

from ribalta.core.planning.fit import USABLE, Suggestion, suggestions
from ribalta.core.planning.naming import name_of
from ribalta.core.show.document.model import LETTERS, Camera, Framing, Mark, ShotSize, Show

NEIGHBOURS_M = 4.5
SINGLES, TWO_SHOTS, CLOSE_UPS = 5, 2, 2
MOST = len(LETTERS)


@dataclass(frozen=True, slots=True)
class Planned:
    """A framing to be, without a place yet."""

    name: str
    suggestion: Suggestion


def planned(show: Show, camera: Camera) -> tuple[Planned, ...]:
    """Up to a page of framings: one wide, then singles by fit, two-shots of neighbours, and close-ups of the best.

    What the camera has already (the same marks at the same size) is left out.
    """
    have = {(f.mark_ids, f.size) for f in show.framings if f.camera_id == camera.id}
    wide = _of(show, camera, show.marks, ShotSize.WIDE) if len(show.marks) > 1 else None
    singles = [s for mark in show.marks if (s := _of(show, camera, (mark,), ShotSize.MEDIUM)) is not None]
    singles = sorted((s for s in singles if s.fit.score >= USABLE), key=lambda s: -s.fit.score)
    best = [mark for s in singles if (mark := show.mark(s.mark_ids[0])) is not None]
    more = [(pair, ShotSize.MEDIUM) for pair in _neighbours(best)[:TWO_SHOTS]]
    more += [((mark,), ShotSize.CLOSE_UP) for mark in best[:CLOSE_UPS]]
    others = [s for marks, size in more if (s := _of(show, camera, marks, size)) is not None]
    wanted = [*([wide] if wide is not None else []), *singles[:SINGLES], *others]
    fresh = [s for s in wanted if (s.mark_ids, s.size) not in have]
    return tuple(Planned(_name(show, s), s) for s in fresh[:MOST])


def planned_of(show: Show, camera: Camera, marks: Sequence[Mark], size: ShotSize) -> Planned | None:
    """One framing that a camera could do well; None when it cannot."""
    found = _of(show, camera, marks, size)
    return Planned(_name(show, found), found) if found is not None and found.fit.score >= USABLE else None


def _name(show: Show, one: Suggestion) -> str:
    if one.size is ShotSize.WIDE:
        return "Wide"
    return name_of(tuple(m for i in one.mark_ids if (m := show.mark(i)) is not None), one.size, show)


def _of(show: Show, camera: Camera, marks: Sequence[Mark], size: ShotSize) -> Suggestion | None:
    """What the camera can do; a wide may be as wide as the lens goes, whoever is left out of it."""
    alone = show.model_copy(update={"cameras": (camera,)})
    found = next(iter(suggestions(alone, marks, size)), None)
    if found is None or found.possible:
        return found
    short = size is ShotSize.WIDE and all("wider" in why for why in found.composed.why_not)
    return found if short else None


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
