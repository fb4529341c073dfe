"""Putting pictures together: two by a mask, a drawing with see-through parts, a picture in the picture, a key.

All pictures are (height, width, 4) BGRA, 8 bits; the fourth channel of a drawing says how much it covers, and its
colours are already multiplied by that (premultiplied, as in Porter and Duff 1984).
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Image = NDArray[np.uint8]
Mask = NDArray[np.uint8]
UNIT = 1 / 255


@dataclass(frozen=True)
class Drawing:
    """What is not empty of a drawing over a whole frame: at (`left`, `top`), colours and what they leave of below.

    `left_over` has 255 less the cover, in all four channels.
    """

    left: int
    top: int
    pixels: Image
    left_over: Image

    @classmethod
    def of(cls, whole: Image) -> "Drawing | None":
        """From a premultiplied picture of a whole frame; None when nothing is in it."""
        x, y, wide, tall = cv2.boundingRect(np.ascontiguousarray(whole[..., 3]))
        if wide == 0:
            return None
        part = np.ascontiguousarray(whole[y : y + tall, x : x + wide])
        cover = part[..., 3]
        return cls(x, y, part, np.ascontiguousarray(np.repeat(255 - cover[..., None], 4, axis=2)))


def by_mask(before: Image, after: Image, mask: Mask, out: Image, scratch: Image) -> None:
    """`after` where the mask is 255, `before` where it is 0, into `out`. All of one size; `scratch` is spoilt."""
    four = cv2.merge([mask] * 4, scratch)
    part = cv2.multiply(after, four, scale=UNIT)
    cv2.bitwise_not(scratch, scratch)
    cv2.multiply(before, scratch, out, UNIT)
    cv2.add(out, part, out)


def draw(out: Image, drawing: Drawing, opacity: float = 1.0, right: int = 0, down: int = 0) -> None:
    """Lay a drawing over `out`, by so much, moved by so many pixels; what is outside is cut off."""
    height, width = out.shape[:2]
    left, top = drawing.left + right, drawing.top + down
    tall, wide = drawing.pixels.shape[:2]
    x0, y0, x1, y1 = max(0, left), max(0, top), min(width, left + wide), min(height, top + tall)
    if x0 >= x1 or y0 >= y1 or opacity <= 0:
        return
    inside = np.s_[y0 - top : y1 - top, x0 - left : x1 - left]
    pixels, rest = drawing.pixels[inside], drawing.left_over[inside]
    if opacity < 1:
        pixels = np.asarray(cv2.convertScaleAbs(pixels, alpha=opacity), np.uint8)
        rest = np.asarray(cv2.convertScaleAbs(rest, alpha=opacity, beta=255 * (1 - opacity)), np.uint8)
    ground = out[y0:y1, x0:x1]
    cv2.multiply(ground, rest, ground, UNIT)
    cv2.add(ground, pixels, ground)


@dataclass(frozen=True)
class Frame:
    """How a picture in the picture is cut and placed, in pixels of the frame; `crop` in shares of its picture."""

    left: int
    top: int
    wide: int
    tall: int
    crop: tuple[float, float, float, float]
    border: int
    colour: tuple[int, int, int]
    corner: int


class Insetter:
    """Lays one picture in a frame over another. Masks of round corners are kept, as they hardly ever change."""

    def __init__(self) -> None:
        self._masks: dict[tuple[int, int, int], Mask] = {}

    def lay(self, out: Image, picture: Image, frame: Frame, opacity: float = 1.0) -> None:
        """Parts that are outside of `out` are cut off."""
        whole = self._framed(picture, frame)
        height, width = out.shape[:2]
        tall, wide = whole.shape[:2]
        left, top = frame.left - frame.border, frame.top - frame.border
        x0, y0, x1, y1 = max(0, left), max(0, top), min(width, left + wide), min(height, top + tall)
        if x0 >= x1 or y0 >= y1 or opacity <= 0:
            return
        inside = np.s_[y0 - top : y1 - top, x0 - left : x1 - left]
        part, ground = whole[inside], out[y0:y1, x0:x1]
        if frame.corner:
            mask = self._mask(wide, tall, frame.corner + frame.border)[inside]
            if opacity < 1:
                mask = np.asarray(cv2.convertScaleAbs(mask, alpha=opacity), np.uint8)
            below, above, mask = (np.ascontiguousarray(a) for a in (ground, part, mask))
            done = np.empty_like(below)
            by_mask(below, above, mask, done, np.empty_like(below))
            ground[:] = done
        elif opacity < 1:
            cv2.addWeighted(part, opacity, ground, 1 - opacity, 0.0, ground)
        else:
            ground[:] = part

    def _framed(self, picture: Image, frame: Frame) -> Image:
        """The picture cropped, scaled, and on a ground of the border's colour."""
        height, width = picture.shape[:2]
        left, top, right, bottom = frame.crop
        part = picture[int(top * height) : round((1 - bottom) * height), int(left * width) : round((1 - right) * width)]
        size = (max(2, frame.wide), max(2, frame.tall))
        if part.shape[1] >= 2 * size[0]:  # halved first: a picture that is made much smaller would flicker
            part = cv2.resize(part, (size[0] * 2, size[1] * 2), interpolation=cv2.INTER_NEAREST)  # type: ignore[assignment]
            small = cv2.resize(part, size, interpolation=cv2.INTER_LINEAR)
        else:
            small = cv2.resize(part, size, interpolation=cv2.INTER_LINEAR)
        if not frame.border:
            return np.asarray(small, np.uint8)
        edge = frame.border
        whole = np.empty((size[1] + 2 * edge, size[0] + 2 * edge, 4), np.uint8)
        whole[:] = (*frame.colour, 255)
        if not frame.corner:
            whole[edge:-edge, edge:-edge] = small
        else:
            mask = self._mask(*size, frame.corner)
            ground = np.ascontiguousarray(whole[edge:-edge, edge:-edge])
            done = np.empty_like(ground)
            by_mask(ground, np.asarray(small, np.uint8), mask, done, np.empty_like(ground))
            whole[edge:-edge, edge:-edge] = done
        return whole

    def _mask(self, wide: int, tall: int, corner: int) -> Mask:
        key = (wide, tall, corner)
        if key not in self._masks:
            if len(self._masks) > 40:
                self._masks.clear()
            self._masks[key] = rounded(wide, tall, corner)
        return self._masks[key]


def rounded(wide: int, tall: int, corner: int) -> Mask:
    """255 inside a box with round corners, 0 outside, smooth at its edge; (tall, wide)."""
    corner = min(corner, wide // 2, tall // 2)
    big = 4
    mask = np.zeros((tall * big, wide * big), np.uint8)
    r, w, h = corner * big, wide * big, tall * big
    cv2.rectangle(mask, (r, 0), (w - r - 1, h - 1), 255, -1)
    cv2.rectangle(mask, (0, r), (w - 1, h - r - 1), 255, -1)
    for x, y in ((r, r), (w - r - 1, r), (r, h - r - 1), (w - r - 1, h - r - 1)):
        cv2.circle(mask, (x, y), r, 255, -1)
    return np.asarray(cv2.resize(mask, (wide, tall), interpolation=cv2.INTER_AREA), np.uint8)


def key_mask(key: Image, low: float, high: float, inverted: bool, linear: bool) -> Mask:
    """How much of the fill is seen, 0 to 255: by brightness as it is, or none below `low` and all above `high`."""
    bright = cv2.cvtColor(key, cv2.COLOR_BGRA2GRAY)
    if not linear:
        steep = 1 / max(0.004, high - low)
        cv2.addWeighted(bright, steep, bright, 0.0, -255 * low * steep, bright)
    if inverted:
        cv2.bitwise_not(bright, bright)
    return np.asarray(bright, np.uint8)


def lay_key(out: Image, fill: Image, mask: Mask, opacity: float = 1.0) -> None:
    """Lay the fill over `out` where the mask says so; only the part of the frame where there is any is worked on."""
    x, y, wide, tall = cv2.boundingRect(mask)
    if wide == 0 or opacity <= 0:
        return
    inside = np.s_[y : y + tall, x : x + wide]
    part = np.ascontiguousarray(mask[inside])
    if opacity < 1:
        part = np.asarray(cv2.convertScaleAbs(part, alpha=opacity), np.uint8)
    ground = np.ascontiguousarray(out[inside])
    done = np.empty_like(ground)
    by_mask(ground, np.ascontiguousarray(fill[inside]), part, done, np.empty_like(ground))
    out[inside] = done
