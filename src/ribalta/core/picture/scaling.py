"""Pictures at another size: made smaller, all of what there is counts; else what is fine would flicker."""

import cv2
import numpy as np

from ribalta.core.picture.planes import Picture, Plane, bytes_of

Crop = tuple[float, float, float, float]
WHOLE: Crop = (0.0, 0.0, 0.0, 0.0)


def scale(picture: Picture, crop: Crop, out: Picture) -> None:
    """Into `out`, cut by shares of its sides (left, top, right, bottom) at even pixels."""
    left, top, right, bottom = crop
    x0, y0 = (2 * int(share * side / 2) for share, side in ((left, picture.width), (top, picture.height)))
    x1, y1 = round((1 - right) * picture.width), round((1 - bottom) * picture.height)
    part = picture if crop == WHOLE else picture.part(x0, y0, max(x1, x0 + 2), max(y1, y0 + 2))
    for plane, made in zip(part.planes, out.planes, strict=True):
        scale_plane(plane, made)


def scaled(picture: Picture, size: tuple[int, int]) -> Picture:
    """A new one of the given (width, height)."""
    made = Picture.over(np.empty(bytes_of(*size), np.uint8), *size)
    scale(picture, WHOLE, made)
    return made


def scale_plane(plane: Plane, out: Plane) -> None:
    """To the size of `out`, and into it."""
    tall, wide = out.shape[:2]
    if plane.shape == out.shape:
        np.copyto(out, plane)
        return
    while plane.shape[1] > 2 * wide and plane.shape[0] > 2 * tall:
        halves = (plane.shape[1] // 2, plane.shape[0] // 2)
        even = plane[: 2 * halves[1], : 2 * halves[0]]  # at a half exactly, linear is the mean of each two by two
        plane = np.asarray(cv2.resize(even, halves, interpolation=cv2.INTER_LINEAR), np.uint8)
    cv2.resize(plane, (wide, tall), out, interpolation=cv2.INTER_LINEAR)
