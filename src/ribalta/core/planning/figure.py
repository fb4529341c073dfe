"""How somebody who stands or sits at a mark fills a picture: the points that a shot size wants in the frame.

A shot size is cut where the trade cuts it: full at the feet, medium at the waist, medium close-up at the chest,
close-up under the shoulders. Measures are those of a grown-up, the head from its middle (the mark's height).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ribalta.core.optics.projection import Vector
from ribalta.core.show.document.model import Mark, ShotSize

CROWN_M, CHIN_M, HEAD_SIDE_M = 0.14, 0.13, 0.09
SHOULDER_M, SHOULDER_SIDE_M = 0.30, 0.23
CUT_M = {
    ShotSize.WIDE: 1.5,
    ShotSize.FULL: 1.55,
    ShotSize.MEDIUM: 0.75,
    ShotSize.MEDIUM_CLOSE_UP: 0.52,
    ShotSize.CLOSE_UP: 0.36,
    ShotSize.DETAIL: 0.16,
}
AROUND_M = {ShotSize.WIDE: 1.6, ShotSize.FULL: 0.5}


@dataclass(frozen=True)
class Figure:
    """(n, 3) points of the room each: the top of the head all around, head and shoulders, and all that is wanted."""

    crown: Vector
    head_and_shoulders: Vector
    wanted: Vector
    face: Vector
    facing: Vector


def figure_at(mark: Mark, size: ShotSize) -> Figure:
    """The points of a mark for a shot size. Metres."""
    face = np.array([mark.x_m, mark.y_m, mark.height_m])
    a = math.radians(mark.facing_deg)
    facing, side = np.array([math.sin(a), math.cos(a), 0.0]), np.array([math.cos(a), -math.sin(a), 0.0])
    up = np.array([0.0, 0.0, 1.0])
    top, temples = face + CROWN_M * up, face + 0.8 * CROWN_M * up
    crown = np.stack([top, *(temples + 0.06 * way for way in (side, -side, facing, -facing))])
    head = [*(face + HEAD_SIDE_M * way for way in (side, -side)), face - CHIN_M * up]
    shoulders = [face + SHOULDER_SIDE_M * way - SHOULDER_M * up for way in (side, -side)]
    low = max(0.0, mark.height_m - CUT_M[size])
    cut = np.array([mark.x_m, mark.y_m, low])
    around = AROUND_M.get(size, 0.0)
    spread = [cut + around * way for way in (side, -side, facing, -facing)] if around else []
    if size is ShotSize.DETAIL:
        shoulders = []
    parts = np.stack([*crown, *head, *shoulders])
    return Figure(crown, parts, np.stack([*parts, cut, *spread]), face, facing)


def together(figures: Sequence[Figure]) -> Figure:
    """Several people in one picture: who looks where cancels out."""
    return Figure(
        np.concatenate([f.crown for f in figures]),
        np.concatenate([f.head_and_shoulders for f in figures]),
        np.concatenate([f.wanted for f in figures]),
        np.mean([f.face for f in figures], axis=0),
        np.sum([f.facing for f in figures], axis=0) / len(figures),
    )
