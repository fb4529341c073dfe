"""What every picture says that leaves a desk in practice: a band along its upper edge that cannot be taken for anything
that is really on air."""

from functools import lru_cache

import cv2
import numpy as np

from ribalta.core.picture.colours import picture_of
from ribalta.core.picture.planes import Picture, evenly

WORDS = "PRACTICE   NOTHING REAL IS ON AIR"
GROUND, INK = (218, 232, 241), (12, 15, 18)  # blue, green, red: cream, and nearly black
SHARE = 16  # the band is so many times less tall than the picture


def stamp(picture: Picture) -> None:
    """In place."""
    (tall,) = evenly(max(8, picture.height / SHARE))
    picture.part(0, 0, picture.width, min(tall, picture.height)).take(_band(picture.width, tall))


def stamped(picture: Picture) -> Picture:
    """A copy that says it."""
    copy = picture.copy()
    stamp(copy)
    return copy


@lru_cache(maxsize=8)
def _band(wide: int, tall: int) -> Picture:
    band = np.empty((tall, wide, 3), np.uint8)
    band[:] = GROUND
    for x in range(-tall, wide, 2 * tall):  # hatched, so that it is known without being read
        corners = np.array([(x, tall), (x + tall // 2, tall), (x + tall * 3 // 2, 0), (x + tall, 0)])
        cv2.fillPoly(band, [corners], INK, cv2.LINE_AA)
    scale, thick = tall / 34, max(1, tall // 20)
    (long, high), _ = cv2.getTextSize(WORDS, cv2.FONT_HERSHEY_SIMPLEX, scale, thick)
    left = (wide - long) // 2
    cv2.rectangle(band, (left - tall // 2, 0), (left + long + tall // 2, tall), GROUND, -1)
    cv2.putText(band, WORDS, (left, (tall + high) // 2), cv2.FONT_HERSHEY_SIMPLEX, scale, INK, thick, cv2.LINE_AA)
    return picture_of(band)
