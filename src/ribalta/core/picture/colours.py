"""Between planes and the red, green and blue of drawings and screens, by ITU-R BT.709: limited range on the one side,
0 to 255 on the other. In OpenCV's order: blue, green, red, and how much is covered."""

from typing import TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from ribalta.core.picture.planes import Ink, Picture, bytes_of, half
from ribalta.core.picture.scaling import scale_plane

Image = NDArray[np.uint8]
Values = TypeVar("Values", NDArray[np.uint8], NDArray[np.float32])
RED, BLUE = 0.2126, 0.0722  # of brightness; the rest is green
GREEN = 1 - RED - BLUE
_BRIGHT = np.array([BLUE, GREEN, RED]) * 219 / 255
_BLUER = (np.array([1, 0, 0]) - np.array([BLUE, GREEN, RED])) / (2 * (1 - BLUE)) * 224 / 255
_REDDER = (np.array([0, 0, 1]) - np.array([BLUE, GREEN, RED])) / (2 * (1 - RED)) * 224 / 255
TO_PLANES = np.array([_BRIGHT, _BLUER, _REDDER])
"""(3, 3): blue, green, red from 0 to 255 to what is added to black."""
BASE = np.array([16.0, 128.0, 128.0])
FROM_PLANES = np.linalg.inv(TO_PLANES)
_OUT = np.ascontiguousarray(np.hstack([FROM_PLANES, -(FROM_PLANES @ BASE)[:, None]]), np.float32)
_IN = np.ascontiguousarray(np.hstack([TO_PLANES, BASE[:, None]]), np.float32)
_COVERED = np.ascontiguousarray(np.hstack([TO_PLANES, BASE[:, None] / 255]), np.float32)


def ink(blue: int, green: int, red: int) -> Ink:
    """One colour (0 to 255 each) as it is in the planes."""
    y, u, v = np.rint(TO_PLANES @ np.array([blue, green, red]) + BASE).astype(int)
    return int(y), int(u), int(v)


def halved(plane: Values) -> Values:
    """The mean of each two by two, of bytes or floats; an odd side goes on as it ends."""
    tall, wide = plane.shape[:2]
    if tall % 2 or wide % 2:
        plane = np.asarray(cv2.copyMakeBorder(plane, 0, tall % 2, 0, wide % 2, cv2.BORDER_REPLICATE), plane.dtype)
    return np.asarray(cv2.resize(plane, (half(wide), half(tall)), interpolation=cv2.INTER_AREA), plane.dtype)


def picture_of(image: Image) -> Picture:
    """Of (height, width, 3 or 4) blue, green and red; what is covered does not count."""
    tall, wide = image.shape[:2]
    made = Picture.over(np.empty(bytes_of(wide, tall), np.uint8), wide, tall)
    three = image if image.shape[2] == 3 else cv2.cvtColor(image, cv2.COLOR_BGRA2BGR)
    values = cv2.transform(three, _IN)  # of four channels at once it takes ten times as long
    cv2.extractChannel(values, 0, made.y)
    for k, plane in enumerate((made.u, made.v), 1):
        np.copyto(plane, halved(np.asarray(cv2.extractChannel(values, k), np.uint8)))
    return made


def covered(image: NDArray[np.float32]) -> NDArray[np.float32]:
    """Premultiplied (height, width, 4), 0 to 255, as premultiplied (height, width, 3) values of the planes."""
    return np.asarray(cv2.transform(image, _COVERED), np.float32)


def image_of(picture: Picture, size: tuple[int, int] | None = None) -> Image:
    """(height, width, 3) blue, green and red of 0 to 255, at (width, height) or at its own size."""
    wide, tall = size or picture.size
    planes = [np.empty((tall, wide), np.uint8) for _ in range(3)]
    for plane, made in zip(picture.planes, planes, strict=True):
        scale_plane(plane, made)
    return np.asarray(cv2.transform(cv2.merge(planes), _OUT), np.uint8)
