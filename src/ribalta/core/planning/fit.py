"""How well a camera shows a mark, 0 to 100: the product of how it stands to the face, how far, how free the view is.

- frontality: best within 25° of where the face looks, nothing from behind;
- steepness: level is best, from straight above nothing is seen of a face;
- reserve: how much of its zoom the lens has left, and how little a far camera's picture trembles;
- sight: how much of head and chest is hidden behind furniture and other people.
"""

import functools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ribalta.core.optics.projection import Vector
from ribalta.core.planning.composing import Composed, compose
from ribalta.core.planning.figure import figure_at
from ribalta.core.show.document.model import Camera, Framing, Mark, Obstacle, ShotSize, Show

Flags = NDArray[np.bool_]
FRONTAL_DEG, BEHIND_DEG = 25.0, 150.0
LEVEL_DEG, ABOVE_DEG = 15.0, 80.0
COMFORTABLE_M, FAR_M = 9.0, 30.0
PERSON_M = 0.24  # half the width of somebody in the way
USABLE = 30


@dataclass(frozen=True, slots=True)
class Fit:
    """`score` 0..100 and its reasons, each a factor 0..1; `blocked_by` is the name of what is in the way most."""

    score: int
    frontality: float
    steepness: float
    reserve: float
    sight: float
    blocked_by: str | None = None

    @property
    def words(self) -> str:
        """Why it is not better; empty when there is nothing to say."""
        said = []
        if self.frontality < 0.7:
            said.append("from behind" if self.frontality < 0.15 else "from the side")
        if self.steepness < 0.7:
            said.append("from steeply above")
        if self.reserve < 0.8:
            said.append("at the end of the lens")
        if self.sight < 0.95 and self.blocked_by is not None:
            said.append(f"{'hidden' if self.sight < 0.2 else 'partly hidden'} behind {self.blocked_by}")
        return ", ".join(said)


def fit_of(show: Show, camera: Camera, marks: Sequence[Mark], composed: Composed) -> Fit:
    """How well a composed framing serves its marks; of several the mean, and their worst sight."""
    return _fit(camera, tuple(marks), composed, show.marks, show.obstacles)


@functools.lru_cache(maxsize=4096)  # lists ask for the same ones many times a second
def _fit(
    camera: Camera, marks: tuple[Mark, ...], composed: Composed, people: tuple[Mark, ...], boxes: tuple[Obstacle, ...]
) -> Fit:
    eye = np.array([camera.place.x_m, camera.place.y_m, camera.place.z_m])
    each = [(_frontality(eye, mark), _steepness(eye, mark), *_sight(people, boxes, eye, mark, marks)) for mark in marks]
    front = sum(e[0] for e in each) / len(each)
    steep = sum(e[1] for e in each) / len(each)
    sight, blocked_by = min(((e[2], e[3]) for e in each), key=lambda pair: pair[0])
    reserve = _reserve(camera, composed, max(math.dist(eye, (m.x_m, m.y_m, m.height_m)) for m in marks))
    score = round(100 * front * steep * reserve * sight)
    return Fit(score, front, steep, reserve, sight, blocked_by)


def fit_of_framing(show: Show, framing: Framing) -> int | None:
    """The director's rating, or else the computed fit; None when it is not known what the framing shows."""
    if framing.rating is not None:
        return framing.rating
    camera = show.camera(framing.camera_id)
    marks = [mark for mark_id in framing.mark_ids if (mark := show.mark(mark_id)) is not None]
    if camera is None or camera.head is None or not marks:
        return None
    return fit_of(show, camera, marks, Composed(framing.aim, camera.lens.hfov_deg(framing.zoom))).score


def _fade(value: float, best: float, worst: float) -> float:
    """1 up to `best`, 0 from `worst` on, smoothly between."""
    share = min(1.0, max(0.0, (value - best) / (worst - best)))
    return 1 - share * share * (3 - 2 * share)


def _frontality(eye: Vector, mark: Mark) -> float:
    to_camera = math.degrees(math.atan2(eye[0] - mark.x_m, eye[1] - mark.y_m))
    return _fade(abs(math.remainder(to_camera - mark.facing_deg, 360)), FRONTAL_DEG, BEHIND_DEG)


def _steepness(eye: Vector, mark: Mark) -> float:
    flat = math.hypot(eye[0] - mark.x_m, eye[1] - mark.y_m)
    return _fade(abs(math.degrees(math.atan2(eye[2] - mark.height_m, flat))), LEVEL_DEG, ABOVE_DEG)


def _reserve(camera: Camera, composed: Composed, away_m: float) -> float:
    lens = camera.lens
    left = math.log(composed.hfov_deg / lens.narrowest_deg) / math.log(lens.widest_deg / lens.narrowest_deg)
    ends = 1 - 0.6 * _fade(left, -0.15, 0.12)
    return ends * (0.6 + 0.4 * _fade(away_m, COMFORTABLE_M, FAR_M))


def _sight(
    people: Sequence[Mark], boxes: Sequence[Obstacle], eye: Vector, mark: Mark, wanted: Sequence[Mark]
) -> tuple[float, str | None]:
    """The share of head and shoulders that is seen, and what hides most of the rest."""
    points = figure_at(mark, ShotSize.MEDIUM_CLOSE_UP).head_and_shoulders
    hidden = np.zeros(len(points), bool)
    counts: dict[str, int] = {}
    ids = {m.id for m in wanted}
    for name, blocks in [
        *((o.name, _behind_box(eye, points, o)) for o in boxes),
        *((m.name, _behind_person(eye, points, m)) for m in people if m.id not in ids and not _same(m, mark)),
    ]:
        hidden |= blocks
        counts[name] = counts.get(name, 0) + int(blocks.sum())
    worst = max(counts, key=lambda name: counts[name], default=None) if hidden.any() else None
    return 1 - float(hidden.mean()), worst


def _same(one: Mark, other: Mark) -> bool:
    """Two marks of one place: who stands there now does not hide himself."""
    return math.hypot(one.x_m - other.x_m, one.y_m - other.y_m) < 0.5


def _behind_person(eye: Vector, points: Vector, other: Mark) -> Flags:
    """Is each point hidden by somebody at a mark: an upright post as wide as a person?"""
    way = points[:, :2] - eye[:2]
    to = np.array([other.x_m, other.y_m]) - eye[:2]
    length = np.maximum((way * way).sum(axis=1), 1e-9)
    share = (way @ to) / length
    miss = np.abs(way[:, 0] * to[1] - way[:, 1] * to[0]) / np.sqrt(length)
    height = eye[2] + share * (points[:, 2] - eye[2])
    return np.asarray((share > 0.02) & (share < 0.97) & (miss < PERSON_M) & (height < other.height_m + 0.1))


def _behind_box(eye: Vector, points: Vector, box: Obstacle) -> Flags:
    """Is each point hidden by a box on the floor? By clipping the line of sight against its three pairs of sides."""
    a = math.radians(box.turned_deg)
    across, along = np.array([math.cos(a), -math.sin(a), 0.0]), np.array([math.sin(a), math.cos(a), 0.0])
    axes = np.stack([across, along, [0.0, 0.0, 1.0]])
    middle = np.array([box.x_m, box.y_m, box.height_m / 2])
    half = np.array([box.wide_m / 2, box.deep_m / 2, box.height_m / 2])
    start = axes @ (eye - middle)
    way = (points - eye) @ axes.T
    way = np.where(np.abs(way) < 1e-9, 1e-9, way)
    one, other = (-half - start) / way, (half - start) / way
    enters, leaves = np.minimum(one, other).max(axis=1), np.maximum(one, other).min(axis=1)
    return np.asarray((enters < leaves) & (leaves > 0.01) & (enters < 0.98))


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A framing that could be had: of which camera, what it shows, how it is aimed and how good it is."""

    camera_id: str
    mark_ids: tuple[str, ...]
    size: ShotSize
    composed: Composed
    fit: Fit

    @property
    def possible(self) -> bool:
        """Can it be framed, and is its subject seen?"""
        return not self.composed.why_not and self.fit.sight > 0.2


def suggestions(
    show: Show, marks: Sequence[Mark], size: ShotSize, headroom: float | None = None, look_room: float | None = None
) -> tuple[Suggestion, ...]:
    """What each steered camera could do, the best first; those that cannot come last, with their reasons."""
    made = []
    for camera in show.cameras:
        if camera.head is None or camera.recall_only or not marks:
            continue
        try:
            composed = compose(camera, marks, size, headroom, *(() if look_room is None else (look_room,)))
        except ValueError:
            continue
        made.append(
            Suggestion(camera.id, tuple(m.id for m in marks), size, composed, fit_of(show, camera, marks, composed))
        )
    return tuple(sorted(made, key=lambda s: (not s.possible, -s.fit.score)))
