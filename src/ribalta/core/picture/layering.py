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


class Scratch:
    """Room for what is on its way, so that no frame has to ask the system for memory. For one thread."""

    def __init__(self, width: int, height: int) -> None:
        self._buffers = [np.full((height, width, 4), 0, np.uint8) for _ in range(2)]

    def two(self, shape: tuple[int, ...]) -> tuple[Image, Image]:
        """Two pictures of a (height, width, …) that are spoilt by whoever asks next; larger ones are made anew."""
        tall, wide = shape[:2]
        height, width = self._buffers[0].shape[:2]
        if tall > height or wide > width:
            self._buffers = [np.empty((max(tall, height), max(wide, width), 4), np.uint8) for _ in range(2)]
        return self._buffers[0][:tall, :wide], self._buffers[1][:tall, :wide]


def by_mask(before: Image, after: Image, mask: Mask, out: Image, scratch: Scratch) -> None:
    """`after` where the mask is 255, `before` where it is 0, into `out`, which may be `before`. All of one size."""
    four, part = scratch.two(out.shape)
    cv2.merge([mask] * 4, four)
    cv2.multiply(after, four, part, UNIT)
    cv2.bitwise_not(four, four)
    cv2.multiply(before, four, out, UNIT)
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


@dataclass(frozen=True)
class _Cut:
    """What is always the same about a frame with round corners: its border as a drawing, and the shape of its inside.

    `rest` is what the border and the inside together leave of below; all (height, width, 4).
    """

    inside: Image
    ring: Image
    rest: Image


class Insetter:
    """Lays one picture in a frame over another. What hardly ever changes about a frame is kept."""

    def __init__(self, scratch: Scratch) -> None:
        self._cuts: dict[tuple[int, int, int, int, tuple[int, int, int]], _Cut] = {}
        self._scratch = scratch

    def lay(self, out: Image, picture: Image, frame: Frame, opacity: float = 1.0) -> None:
        """Parts that are outside of `out` are cut off."""
        height, width = out.shape[:2]
        edge = frame.border
        tall, wide = max(2, frame.tall) + 2 * edge, max(2, frame.wide) + 2 * edge
        left, top = frame.left - edge, frame.top - edge
        x0, y0, x1, y1 = max(0, left), max(0, top), min(width, left + wide), min(height, top + tall)
        if x0 >= x1 or y0 >= y1 or opacity <= 0:
            return
        here = np.s_[y0 - top : y1 - top, x0 - left : x1 - left]
        ground, (whole, below) = out[y0:y1, x0:x1], self._scratch.two((tall, wide))
        middle = whole[edge : tall - edge, edge : wide - edge]
        self._scaled(picture, frame, middle)
        if not frame.corner:
            if edge:
                _box(whole, edge, frame.colour)
            if opacity < 1:
                cv2.addWeighted(whole[here], opacity, ground, 1 - opacity, 0.0, ground)
            else:
                ground[:] = whole[here]
            return
        cut = self._cut(wide, tall, frame)
        cv2.multiply(middle, cut.inside, middle, UNIT)
        if edge:
            _box(whole, edge, (0, 0, 0))
            cv2.add(whole, cut.ring, whole)
        if opacity < 1:
            before = below[: y1 - y0, : x1 - x0]
            cv2.multiply(ground, cut.rest[here], before, UNIT)
            cv2.add(before, whole[here], before)
            cv2.addWeighted(before, opacity, ground, 1 - opacity, 0.0, ground)
        else:
            cv2.multiply(ground, cut.rest[here], ground, UNIT)
            cv2.add(ground, whole[here], ground)

    @staticmethod
    def _scaled(picture: Image, frame: Frame, out: Image) -> None:
        height, width = picture.shape[:2]
        left, top, right, bottom = frame.crop
        part = picture[int(top * height) : round((1 - bottom) * height), int(left * width) : round((1 - right) * width)]
        size = (out.shape[1], out.shape[0])
        if part.shape[1] >= 2 * size[0]:  # halved first: a picture that is made much smaller would flicker
            part = np.asarray(cv2.resize(part, (size[0] * 2, size[1] * 2), interpolation=cv2.INTER_NEAREST), np.uint8)
        cv2.resize(part, size, out, interpolation=cv2.INTER_LINEAR)

    def _cut(self, wide: int, tall: int, frame: Frame) -> _Cut:
        key = (wide, tall, frame.corner, frame.border, frame.colour)
        if key not in self._cuts:
            if len(self._cuts) > 20:
                self._cuts.clear()
            edge, inner = frame.border, np.zeros((tall, wide), np.uint8)
            shape = rounded(wide - 2 * edge, tall - 2 * edge, frame.corner)
            inner[edge : tall - edge, edge : wide - edge] = shape
            outer = rounded(wide, tall, frame.corner + edge)
            ring = cv2.subtract(outer, inner)
            colours = (ring[..., None] * (np.array([*frame.colour, 255]) / 255)).round().astype(np.uint8)
            four = [np.ascontiguousarray(np.repeat(mask[..., None], 4, axis=2)) for mask in (shape, 255 - outer)]
            self._cuts[key] = _Cut(four[0], np.ascontiguousarray(colours), four[1])
        return self._cuts[key]


def _box(whole: Image, edge: int, colour: tuple[int, int, int]) -> None:
    """The rim of a picture in one colour."""
    ink = (*colour, 255)
    whole[:edge], whole[-edge:], whole[:, :edge], whole[:, -edge:] = ink, ink, ink, ink


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
        cv2.subtract(bright, np.array([255 * low]), bright)
        cv2.multiply(bright, np.array([1 / max(0.004, high - low)]), bright)
    if inverted:
        cv2.bitwise_not(bright, bright)
    return np.asarray(bright, np.uint8)


def keyed(fill: Image, mask: Mask) -> Drawing | None:
    """A fill and its mask as a drawing, for what stays as it is; None when nothing of it is seen."""
    four = cv2.merge([mask] * 4)
    whole = np.asarray(cv2.multiply(fill, four, scale=UNIT), np.uint8)
    whole[..., 3] = mask
    return Drawing.of(whole)


def lay_key(out: Image, fill: Image, mask: Mask, scratch: Scratch, opacity: float = 1.0) -> None:
    """Lay the fill over `out` where the mask says so; only the part of the frame where there is any is worked on."""
    x, y, wide, tall = cv2.boundingRect(mask)
    if wide == 0 or opacity <= 0:
        return
    inside = np.s_[y : y + tall, x : x + wide]
    part = mask[inside]
    if opacity < 1:
        part = np.asarray(cv2.convertScaleAbs(part, alpha=opacity), np.uint8)
    by_mask(out[inside], fill[inside], part, out[inside], scratch)
