"""Pictures in planes for tests, and what is seen in them."""

import numpy as np

from ribalta.core.picture.colours import image_of, ink, picture_of
from ribalta.core.picture.planes import Picture


def grey(level: int, width: int, height: int) -> Picture:
    """One grey of 0 to 255 all over."""
    return Picture.plain(width, height, ink(level, level, level))


def painted(image: np.ndarray) -> Picture:
    """Of (height, width, 3 or 4) blue, green and red."""
    return picture_of(np.ascontiguousarray(image))


def bgr(picture: Picture) -> np.ndarray:
    """(height, width, 3) blue, green and red."""
    return image_of(picture)


def level(picture: Picture, x: int = 0, y: int = 0) -> int:
    """How bright it is at a place, 0 to 255."""
    return round(min(255.0, max(0.0, (int(picture.y[y, x]) - 16) * 255 / 219)))


def furthest(one: Picture, other: Picture) -> int:
    """By how much the two differ at most, in any of their planes."""
    return max(int(np.abs(a.astype(int) - b).max()) for a, b in zip(one.planes, other.planes, strict=True))
