"""A talk between two: from three cameras, one single of each and one picture of both.

Of every three cameras the pictures that serve best, stored framings before new ones; best from one side of the line
between the two, so that they keep looking at each other when it is cut from one to the other.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

from ribalta.core.planning.fit import fit_of_framing
from ribalta.core.planning.planning_problem import side_of
from ribalta.core.planning.starter_board import Planned, planned_of
from ribalta.core.show.document.model import Framing, Mark, ShotSize, Show

ACROSS, NEW = 40.0, 15.0  # what crossing the line, and a framing that nobody has seen, cost of the fits
SINGLES = (ShotSize.MEDIUM, ShotSize.MEDIUM_CLOSE_UP, ShotSize.CLOSE_UP)


@dataclass(frozen=True, slots=True)
class View:
    """A picture for the talk: stored already, or to be made. `side` is the camera's side of the line, -1, 0 or 1."""

    camera_id: str
    worth: float
    side: int
    made: Framing | Planned

    @property
    def stored(self) -> Framing | None:
        """The framing that it is, unless it would have to be made."""
        return self.made if isinstance(self.made, Framing) else None


@dataclass(frozen=True, slots=True)
class Talk:
    """`both` None: no third camera has the two of them, so the cover shot stands for it."""

    one: View
    other: View
    both: View | None

    @property
    def crosses(self) -> bool:
        """Do the two views stand on different sides of the line between the two?"""
        return self.one.side * self.other.side < 0


def talk_of(show: Show, one: Mark, other: Mark) -> Talk | None:
    """The best three views; None when no two cameras have a single each."""
    line = (one, other)
    firsts, seconds = views(show, (one,), SINGLES, line), views(show, (other,), SINGLES, line)
    pairs = views(show, line, (ShotSize.MEDIUM, ShotSize.WIDE), line)
    best: tuple[float, Talk] | None = None
    for a, b in product(firsts, seconds):
        if a.camera_id == b.camera_id:
            continue
        apart = ACROSS if a.side * b.side < 0 else 0.0
        both = next((p for p in pairs if p.camera_id not in (a.camera_id, b.camera_id)), None)
        worth = a.worth + b.worth - apart + (both.worth if both is not None else 0.0)
        if best is None or worth > best[0]:
            best = (worth, Talk(a, b, both))
    return best[1] if best is not None else None


def views(show: Show, marks: tuple[Mark, ...], sizes: Sequence[ShotSize], line: tuple[Mark, Mark]) -> list[View]:
    """The best of each camera, the best first."""
    wanted = {m.id for m in marks}
    found: list[View] = []
    for camera in show.cameras:
        if not camera.steered:
            continue
        side = side_of(line[0], line[1], camera.place.x_m, camera.place.y_m)
        own = [f for f in show.framings if f.camera_id == camera.id and set(f.mark_ids) == wanted and f.size in sizes]
        views = [View(camera.id, float(fit_of_framing(show, f) or 0), side, f) for f in own]
        if not views:
            made = planned_of(show, camera, marks, sizes[0])
            if made is not None:
                views = [View(camera.id, made.suggestion.fit.score - NEW, side, made)]
        if views:
            found.append(max(views, key=lambda v: v.worth))
    return sorted(found, key=lambda v: (-v.worth, v.camera_id))
