"""Putting pictures together in their planes: two by a mask, a drawing with see-through parts, a picture in the picture,
a key.

What says how much of something is seen has 8 bits, at the size of brightness and, as the mean of each two by two, at
that of colour. A drawing's values are already multiplied by its cover (premultiplied, as in Porter and Duff 1984), so
that no edge has a fringe. What lies at a place lies at even pixels: colour has half as many.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ribalta.core.picture.colours import Image, covered, halved
from ribalta.core.picture.planes import BLACK, SWING, Ink, Picture, Plane, bytes_of, evenly, half
from ribalta.core.picture.scaling import Crop, scale

Mask = NDArray[np.uint8]
UNIT = 1 / 255


@dataclass(frozen=True, slots=True, eq=False)
class Drawing:
    """What is not empty of a drawing over a whole frame, at even (`left`, `top`): its premultiplied planes, and what is
    left of below in each (255 less its cover)."""

    left: int
    top: int
    picture: Picture
    left_over: Picture

    @classmethod
    def of(cls, whole: Image) -> "Drawing | None":
        """From a premultiplied picture of a whole frame, (height, width, 4) BGRA; None when nothing is in it."""
        found = _box_around(np.ascontiguousarray(whole[..., 3]))
        if found is None:
            return None
        left, top, right, bottom = found
        part = np.ascontiguousarray(whole[top:bottom, left:right], np.float32)
        smaller = halved(part)
        full, colour = covered(part), covered(smaller)
        y_plane, u_plane, v_plane = (_bytes(values) for values in (full[..., 0], colour[..., 1], colour[..., 2]))
        rest, colour_rest = _bytes(255 - part[..., 3]), _bytes(255 - smaller[..., 3])
        return cls(left, top, Picture(y_plane, u_plane, v_plane), Picture(rest, colour_rest, colour_rest))

    @classmethod
    def by(cls, picture: Picture, mask: Mask) -> "Drawing | None":
        """A picture, seen as far as the mask says; for what stays as it is. None when nothing of it is seen."""
        found = _box_around(mask)
        if found is None:
            return None
        left, top, right, bottom = found
        seen = _at_both(mask[top:bottom, left:right])
        made, rest = seen.copy(), seen.copy()
        _multiply(picture.part(*found), seen, made)
        for plane in rest.planes:
            cv2.bitwise_not(plane, plane)
        return cls(left, top, made, rest)

    @classmethod
    def flattened(cls, parts: "Sequence[Drawing]", width: int, height: int) -> "Drawing | None":
        """Drawings that lie over each other on a frame, as one; None when nothing is in them."""
        whole, left = Picture.plain(width, height, (0, 0, 0)), Picture.plain(width, height, (255, 255, 255))
        for part in parts:
            wide, tall = part.picture.size
            where = (part.left, part.top, part.left + wide, part.top + tall)
            _multiply(whole.part(*where), part.left_over, whole.part(*where))
            _add(whole.part(*where), part.picture, whole.part(*where))
            _multiply(left.part(*where), part.left_over, left.part(*where))
        found = _box_around(255 - left.y)
        if found is None:
            return None
        return cls(found[0], found[1], whole.part(*found), left.part(*found))


def _box_around(mask: Mask) -> tuple[int, int, int, int] | None:
    """The smallest box with all of it (left, top, right, bottom), at even pixels but for the frame's own edge; None
    when it is empty."""
    x, y, wide, tall = cv2.boundingRect(mask)
    if wide == 0:
        return None
    return x // 2 * 2, y // 2 * 2, min(mask.shape[1], 2 * half(x + wide)), min(mask.shape[0], 2 * half(y + tall))


def _bytes(values: NDArray[np.float32]) -> Plane:
    return np.ascontiguousarray(np.clip(np.rint(values), 0, 255), np.uint8)


class Scratch:
    """Room for what is on its way, so that no frame has to ask the system for memory. For one thread."""

    def __init__(self, width: int, height: int) -> None:
        self._rooms = [np.zeros(0, np.uint8) for _ in range(2)]
        self.pictures(width, height)

    def pictures(self, width: int, height: int) -> tuple[Picture, Picture]:
        """Two that are spoilt by whoever asks next."""
        return self._room(0, width, height), self._room(1, width, height)

    def _room(self, which: int, width: int, height: int) -> Picture:
        if len(self._rooms[which]) < bytes_of(width, height):
            self._rooms[which] = np.zeros(bytes_of(width, height), np.uint8)
        return Picture.over(self._rooms[which], width, height)


def mix(before: Picture, after: Picture, share: float, out: Picture) -> None:
    """So much of `after` (0 to 1) over `before`, into `out`, which may be either. All of one size."""
    if before.whole is not None and after.whole is not None and out.whole is not None:
        cv2.addWeighted(before.whole, 1 - share, after.whole, share, 0.0, dst=out.whole)
        return
    for one, other, made in zip(before.planes, after.planes, out.planes, strict=True):
        cv2.addWeighted(one, 1 - share, other, share, 0.0, dst=made)


def darken(out: Picture, darkness: float) -> None:
    """Towards black, in place; 0 to 1."""
    for plane, black in zip(out.planes, BLACK, strict=True):
        cv2.convertScaleAbs(plane, plane, 1 - darkness, darkness * black)


def by_mask(before: Picture, after: Picture, mask: Mask, out: Picture, scratch: Scratch) -> None:
    """`after` where the mask is 255, `before` where it is 0, into `out`, which may be `before`. All of one size."""
    part, room = scratch.pictures(*out.size)
    seen, rest = _at_both(mask), Picture(room.y, room.u, room.u)
    cv2.bitwise_not(seen.y, rest.y)
    cv2.bitwise_not(seen.u, rest.u)
    _multiply(after, seen, part)
    _multiply(before, rest, out)
    _add(out, part, out)


def draw(
    out: Picture, drawing: Drawing, scratch: Scratch, opacity: float = 1.0, right: float = 0, down: float = 0
) -> None:
    """Lay a drawing over `out`, by so much, moved by so many pixels (the nearest even); what is outside is cut off."""
    moved_right, moved_down = evenly(right, down)
    left, top = drawing.left + moved_right, drawing.top + moved_down
    wide, tall = drawing.picture.size
    x0, y0, x1, y1 = max(0, left), max(0, top), min(out.width, left + wide), min(out.height, top + tall)
    if x0 >= x1 or y0 >= y1 or opacity <= 0:
        return
    cut = (x0 - left, y0 - top, x1 - left, y1 - top)
    ground, ours = out.part(x0, y0, x1, y1), drawing.picture.part(*cut)
    made = ground if opacity >= 1 else scratch.pictures(*ground.size)[0]
    _multiply(ground, drawing.left_over.part(*cut), made)
    _add(made, ours, made)
    if opacity < 1:
        mix(ground, made, opacity, ground)


@dataclass(frozen=True)
class Frame:
    """How a picture in the picture is cut and placed, in pixels of the frame; `crop` in shares of its picture."""

    left: int
    top: int
    wide: int
    tall: int
    crop: Crop
    border: int
    colour: Ink
    corner: int

    @classmethod
    def evenly(
        cls,
        place: tuple[float, float, float, float],
        crop: Crop,
        border: float,
        colour: Ink,
        corner: float,
    ) -> "Frame":
        """At the nearest even pixels of `place` (left, top, wide, tall); `corner` as a share of its shorter side."""
        left, top, wide, tall, edge = evenly(*place, border)
        wide, tall = max(2, wide), max(2, tall)
        return cls(left, top, wide, tall, crop, edge, colour, round(corner * min(wide, tall)))


@dataclass(frozen=True)
class _Cut:
    """What is always the same about a frame with round corners: its border as it is added, the shape of its inside, and
    what both leave of below."""

    inside: Picture
    ring: Picture
    rest: Picture


class Insetter:
    """Lays one picture in a frame over another. What hardly ever changes about a frame is kept."""

    def __init__(self, scratch: Scratch) -> None:
        self._cuts: dict[tuple[int, int, int, int, Ink], _Cut] = {}
        self._scratch = scratch

    def lay(self, out: Picture, picture: Picture, frame: Frame, opacity: float = 1.0) -> None:
        """Parts that are outside of `out` are cut off."""
        edge = frame.border
        tall, wide = frame.tall + 2 * edge, frame.wide + 2 * edge
        left, top = frame.left - edge, frame.top - edge
        x0, y0, x1, y1 = max(0, left), max(0, top), min(out.width, left + wide), min(out.height, top + tall)
        if x0 >= x1 or y0 >= y1 or opacity <= 0:
            return
        here = (x0 - left, y0 - top, x1 - left, y1 - top)
        ground = out.part(x0, y0, x1, y1)
        if ground.size == (frame.wide, frame.tall) and not frame.corner and opacity >= 1:
            scale(picture, frame.crop, ground)
            return
        whole, below = self._scratch.pictures(wide, tall)
        middle = whole.part(edge, edge, wide - edge, tall - edge)
        scale(picture, frame.crop, middle)
        if not frame.corner:
            if edge:
                _box(whole, edge, frame.colour)
            if opacity < 1:
                mix(ground, whole.part(*here), opacity, ground)
            else:
                ground.take(whole.part(*here))
            return
        cut = self._cut(wide, tall, frame)
        _multiply(middle, cut.inside.part(edge, edge, wide - edge, tall - edge), middle)
        if edge:
            _box(whole, edge, (0, 0, 0))
            _add(whole, cut.ring, whole)
        made = ground if opacity >= 1 else below.part(*here)
        _multiply(ground, cut.rest.part(*here), made)
        _add(made, whole.part(*here), made)
        if opacity < 1:
            mix(ground, made, opacity, ground)

    def _cut(self, wide: int, tall: int, frame: Frame) -> _Cut:
        key = (wide, tall, frame.corner, frame.border, frame.colour)
        if key not in self._cuts:
            if len(self._cuts) > 20:
                self._cuts.clear()
            edge, inner = frame.border, np.zeros((tall, wide), np.uint8)
            shape = rounded(wide - 2 * edge, tall - 2 * edge, frame.corner)
            inner[edge : tall - edge, edge : wide - edge] = shape
            inside, rest = _at_both(inner), _at_both(255 - rounded(wide, tall, frame.corner + edge))
            rings = [255 - cv2.add(one, other) for one, other in zip(inside.planes, rest.planes, strict=True)]
            coloured = [
                np.rint(ring * np.float32(value / 255)).astype(np.uint8)
                for ring, value in zip(rings, frame.colour, strict=True)
            ]
            self._cuts[key] = _Cut(inside, Picture(coloured[0], coloured[1], coloured[2]), rest)
        return self._cuts[key]


def _at_both(mask: Mask) -> Picture:
    colour = halved(mask)
    return Picture(mask, colour, colour)


def _multiply(picture: Picture, by: Picture, out: Picture) -> None:
    for one, other, made in zip(picture.planes, by.planes, out.planes, strict=True):
        cv2.multiply(one, other, made, UNIT)


def _add(one: Picture, other: Picture, out: Picture) -> None:
    for mine, its, made in zip(one.planes, other.planes, out.planes, strict=True):
        cv2.add(mine, its, made)


def _box(whole: Picture, edge: int, colour: Ink) -> None:
    """The rim of a picture in one colour."""
    for plane, rim, value in zip(whole.planes, (edge, edge // 2, edge // 2), colour, strict=True):
        plane[:rim], plane[-rim:], plane[:, :rim], plane[:, -rim:] = value, value, value, value


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


def key_mask(key: Picture, low: float, high: float, inverted: bool, linear: bool) -> Mask:
    """How much of the fill is seen, 0 to 255: by brightness as it is, or none below `low` and all above `high`."""
    bright = np.clip((np.arange(256) - BLACK[0]) / SWING, 0, 1)
    if not linear:
        bright = np.clip((bright - low) / max(0.004, high - low), 0, 1)
    table = np.rint(255 * (1 - bright if inverted else bright)).astype(np.uint8)
    return np.asarray(cv2.LUT(key.y, table), np.uint8)


def lay_key(out: Picture, fill: Picture, mask: Mask, scratch: Scratch, opacity: float = 1.0) -> None:
    """Lay the fill over `out` where the mask says so; only the part of the frame where there is any is worked on."""
    where = _box_around(mask)
    if where is None or opacity <= 0:
        return
    seen = mask[where[1] : where[3], where[0] : where[2]]
    if opacity < 1:
        seen = np.asarray(cv2.convertScaleAbs(seen, alpha=opacity), np.uint8)
    ground = out.part(*where)
    by_mask(ground, fill.part(*where), seen, ground, scratch)
