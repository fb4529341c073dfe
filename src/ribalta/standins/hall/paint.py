"""Brushes: flat and textured polygons, bodies of revolution, and soft forms made of spheres, in true perspective.

Light comes from the upper left. Round things are shaded by nested shapes, each a little lighter, smaller and
nearer to the light than the one below it. Small things on the screen get fewer of them.
"""

import copy
import functools
import math
from collections.abc import Callable, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from ribalta.standins.hall.values import Colour, Image, Ink, colour_ink, value_ink
from ribalta.standins.hall.view import NEAR_M, Points, View

Shaded = tuple[NDArray[np.int32], list[Ink]]  # outlines (shades, points, 2), a colour for each
SHIFT = 4
LIGHT = np.array([-0.35, -0.45])  # on the screen: left and up
_TURN = np.linspace(0, 2 * np.pi, 33)[:-1]
RING = np.stack([np.cos(_TURN), np.sin(_TURN)], axis=1)
SUN = np.array([-0.45, -0.55, 0.7])


def tone(colour: Colour, brightness: float) -> Colour:
    """Darker below 1; above 1 it moves towards a warm white."""
    if brightness <= 1:
        return (colour[0] * brightness, colour[1] * brightness, colour[2] * brightness)
    k = min(1.0, brightness - 1)
    return (
        colour[0] + (255 - colour[0]) * k,
        colour[1] + (248 - colour[1]) * k,
        colour[2] + (232 - colour[2]) * k,
    )


class Canvas:
    """A picture and what is painted on it: four channels are blue, green, red and covered, three are a sensor's values.
    `mask`, if any, gets `mask_ink` wherever something is painted."""

    def __init__(self, view: View, image: Image, mask: Image | None = None) -> None:
        self.view = view
        self.image = image
        self.mask = mask
        self.mask_ink = 0
        self._ink = colour_ink if image.shape[2] == 4 else value_ink

    def polygon(self, pixels: Points, colour: Colour) -> None:
        """Fill a convex polygon, (n, 2) pixels."""
        low, high = pixels.min(axis=0), pixels.max(axis=0)
        if high[0] < 0 or high[1] < 0 or low[0] > self.view.width or low[1] > self.view.height:
            return
        self.fill(_fixed(pixels), colour)

    def fill(self, fixed: NDArray[np.int32], colour: Colour) -> None:
        """Fill a convex polygon given in fixed-point pixels."""
        cv2.fillConvexPoly(self.image, fixed, self._ink(colour), cv2.LINE_AA, SHIFT)
        if self.mask is not None:
            cv2.fillConvexPoly(self.mask, fixed, self.mask_ink, cv2.LINE_8, SHIFT)

    def outline(self, corners: Points) -> Points | None:
        """Pixels of a plane polygon, (n, 3) in the world, cut at the near plane; None when it is all behind."""
        local = self.view.local(corners)
        if (local[:, 1] >= NEAR_M).all():
            return self.view.flat(local)
        kept = []
        for a, b in zip(local, np.roll(local, -1, axis=0), strict=True):
            if a[1] >= NEAR_M:
                kept.append(a)
            if (a[1] >= NEAR_M) != (b[1] >= NEAR_M):
                kept.append(a + (b - a) * (NEAR_M - a[1]) / (b[1] - a[1]))
        return self.view.flat(np.array(kept)) if len(kept) >= 3 else None

    def plane(self, corners: Points, colour: Colour) -> None:
        pixels = self.outline(corners)
        if pixels is not None:
            self.polygon(pixels, colour)

    def textured(self, corners: Points, levels: Sequence[Image]) -> None:
        """A texture on a rectangle of the world: (4, 3) from its top left corner clockwise; `levels` halve in size."""
        outline = self.outline(corners)
        if outline is None:
            return
        low = np.maximum(np.floor(outline.min(axis=0)), 0).astype(int)
        high = np.minimum(np.ceil(outline.max(axis=0)) + 1, [self.view.width, self.view.height]).astype(int)
        if (high <= low).any():
            return
        texture = self._level(corners, levels, (low + high) / 2)
        height, width = texture.shape[:2]
        edge_u, edge_v = (corners[1] - corners[0]) / width, (corners[3] - corners[0]) / height
        # texture pixel (s, t, 1) -> world -> view -> screen
        to_local = np.stack([edge_u, edge_v, corners[0] - self.view.eye], axis=1)
        swap = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])
        forth = self.view.intrinsics() @ swap @ self.view.axes @ to_local
        shift = np.array([[1.0, 0, -low[0]], [0, 1, -low[1]], [0, 0, 1]])
        half = np.array([[1.0, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
        try:
            back = np.linalg.inv(np.linalg.inv(half) @ shift @ forth @ half)
        except np.linalg.LinAlgError:
            return
        size = (int(high[0] - low[0]), int(high[1] - low[1]))
        patch = cv2.warpPerspective(
            texture, back, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
        )
        stencil = np.zeros((size[1], size[0]), np.uint8)
        fixed = np.clip(np.rint((outline - low) * (1 << SHIFT)), -500_000, 500_000).astype(np.int32)
        cv2.fillConvexPoly(stencil, fixed, 255, cv2.LINE_8, SHIFT)
        region = self.image[low[1] : high[1], low[0] : high[0]]
        cv2.copyTo(patch, stencil, region)
        if self.mask is not None:
            self.mask[low[1] : high[1], low[0] : high[0]][stencil > 0] = self.mask_ink

    def _level(self, corners: Points, levels: Sequence[Image], middle: Points) -> Image:
        """The texture size that is nearest to one texture pixel a screen pixel, around the middle of what is seen."""
        normal = np.cross(corners[1] - corners[0], corners[3] - corners[0])
        normal /= np.linalg.norm(normal)
        right, up = (middle[0] - self.view.width / 2), (self.view.height / 2 - middle[1])
        ray = np.array([right, self.view.focal, up]) @ self.view.axes
        facing = float(normal @ ray)
        reach = float(normal @ (corners[0] - self.view.eye)) / facing if abs(facing) > 1e-6 else 1.0
        depth = max(NEAR_M, reach * self.view.focal)
        slant = max(0.35, abs(facing) / float(np.linalg.norm(ray)))
        texture_px_per_m = levels[0].shape[1] / float(np.linalg.norm(corners[1] - corners[0]))
        ratio = texture_px_per_m / (self.view.focal / depth * slant**0.5)
        return levels[min(len(levels) - 1, max(0, round(math.log2(max(ratio, 1e-6)) - 0.2)))]

    def box(self, centre: tuple[float, ...], size: tuple[float, ...], colour: Colour, turn_deg: float = 0.0) -> None:
        """A box standing on the z of its centre's base, turned clockwise about the vertical."""
        faces, normals, tones = _box(tuple(map(float, centre)), tuple(map(float, size)), turn_deg)
        local = self.view.local(faces)
        if (local[..., 1] < NEAR_M).all():
            return
        towards = ((self.view.eye - faces[:, 0]) * normals).sum(axis=1) > 0
        if (local[..., 1] < NEAR_M).any():
            for k in np.flatnonzero(towards):
                self.plane(faces[k], tone(colour, tones[k]))
            return
        flat = self.view.flat(local)
        low, high = flat.min(axis=(0, 1)), flat.max(axis=(0, 1))
        if high[0] < 0 or high[1] < 0 or low[0] > self.view.width or low[1] > self.view.height:
            return
        fixed = _fixed(flat)
        for k in np.flatnonzero(towards):
            self.fill(fixed[k], tone(colour, tones[k]))

    def lathe(
        self, base: Sequence[float], profile: Points, colour: Colour, gloss: float = 0.3, lid: bool = True
    ) -> None:
        """A turned body: `profile` is (n, 2) of radius and height above `base`, from the bottom to the top."""
        heights, radii = profile[:, 1], profile[:, 0]
        foot = np.array(base)
        middle = self.view.local(foot + np.array([0, 0, (heights[0] + heights[-1]) / 2]))
        reach = float(radii.max()) + float(heights[-1] - heights[0]) / 2
        if middle[1] < NEAR_M + reach or not self._seen(middle, reach):
            return
        size = float(radii.max()) * self.view.focal / float(middle[1])
        shares, brightness = _steps(min(6, int(_counts(size))), gloss)
        ring = RING if size > 24 else RING[::2] if size > 6 else RING[::4]
        if size < 9 and len(profile) > 5:
            profile = profile[:: 2 if len(profile) % 2 else 3]
            heights, radii = profile[:, 1], profile[:, 0]
        rings = np.empty((len(profile), len(ring) + 1, 3))
        rings[:, :-1, :2] = ring[None] * radii[:, None, None]
        rings[:, -1, :2] = 0
        rings[..., 2] = heights[:, None]
        local = self.view.local(rings + foot)
        local, axis = local[:, :-1], local[:, -1:]
        inner = np.repeat(local[None], len(shares), axis=0)
        across = (local - axis)[None, ..., 0]
        inner[..., 0] = axis[..., 0] + across * shares[:, None, None] - 0.5 * abs(across) * (1 - shares[:, None, None])
        fixed = _fixed(self.view.flat(inner))
        lift = 1.0 - 0.2 * np.diff(radii) / (np.hypot(np.diff(heights), np.diff(radii)) + 1e-9)
        below = self.view.eye[2] < foot[2] + float(heights[-1])
        for i in range(len(profile) - 1) if not below else range(len(profile) - 2, -1, -1):
            rims = fixed[:, i : i + 2].reshape(len(shares), -1, 2)
            hull = cv2.convexHull(rims[0], returnPoints=False).ravel()
            for k, rim in enumerate(np.take(rims, hull, axis=1)):
                self.fill(rim, tone(colour, brightness[k] * lift[i]))
        if lid and radii[-1] > 0.004 and not below:
            self.fill(fixed[0, -1], tone(colour, 1.1))
            self.fill(_fixed(self.view.flat(axis[-1] + (local[-1] - axis[-1]) * 0.86)), tone(colour, 0.55))

    def _seen(self, middle: Points, reach_m: float) -> bool:
        """Is any of a sphere, given in local axes, inside the picture?"""
        u, v = self.view.flat(middle)
        size = reach_m * self.view.focal / max(NEAR_M, float(middle[1] - reach_m))
        return bool(-size < u < self.view.width + size and -size < v < self.view.height + size)

    def soft(self, forms: "SoftForms") -> None:
        """Paint soft forms, far groups first."""
        for rims, inks in self.shaded(forms)[0]:
            self.shades(rims, inks)

    def shades(self, rims: NDArray[np.int32], inks: Sequence[Ink]) -> None:
        """Nested outlines (shades, points, 2), the largest first."""
        for rim, ink in zip(rims, inks, strict=True):
            cv2.fillConvexPoly(self.image, rim, ink, cv2.LINE_AA, SHIFT)
        if self.mask is not None:
            cv2.fillConvexPoly(self.mask, rims[0], self.mask_ink, cv2.LINE_8, SHIFT)

    def shaded(self, forms: "SoftForms", stages: int = 1) -> list[list["Shaded"]]:
        """Outlines and colours of the forms that are seen, large enough and turned this way, by their stage."""
        view = self.view
        local = view.local(forms.centres)
        depth = local[:, 1]
        sizes = forms.radii * view.focal / np.maximum(depth, NEAR_M)
        spots = view.flat(local)
        biggest = np.maximum.reduceat(sizes, forms.starts)
        shown = np.minimum.reduceat(depth, forms.starts) > NEAR_M + 0.1
        shown &= (np.maximum.reduceat(spots + sizes[:, None], forms.starts) > 0).all(axis=1)
        shown &= (np.minimum.reduceat(spots - sizes[:, None], forms.starts) < [view.width, view.height]).all(axis=1)
        shown &= biggest >= forms.least_px
        to_eye = view.eye - forms.centres[forms.starts]
        to_eye /= np.linalg.norm(to_eye, axis=1, keepdims=True)
        shown &= (forms.facing * to_eye).sum(axis=1) >= forms.turned
        parts = np.flatnonzero(shown)
        made: list[list[Shaded]] = [[] for _ in range(stages)]
        if len(parts) == 0:
            return made
        away = np.linalg.norm(forms.middles - view.eye, axis=1)
        parts = parts[np.argsort(-away[forms.groups[parts]], kind="stable")]
        counts = np.minimum(forms.most[parts], _counts(biggest[parts]))
        rims = self._rims(forms, parts, counts, spots, sizes)
        for k, part in enumerate(parts):
            inks = _inks(forms.colours[part], int(counts[k]), forms.gloss[part], self._ink)
            made[forms.stage_of[forms.groups[part]]].append((rims[k], inks))
        return made

    def _rims(
        self, forms: "SoftForms", parts: NDArray[np.intp], counts: NDArray[np.intp], spots: Points, sizes: Points
    ) -> list[NDArray[np.int32]]:
        """For each part (shades, points, 2): the fixed-point outline of its spheres' hull at each shade.

        The inner shades have the shape of the outermost, so its hull serves for all of them.
        """
        found: list[NDArray[np.int32]] = [_NOTHING] * len(parts)
        for count in np.unique(counts):
            shares, _ = _steps(int(count), 0.0)
            chosen = np.flatnonzero(counts == count)
            starts, ends = forms.starts[parts[chosen]], forms.ends[parts[chosen]]
            lengths = ends - starts
            first = np.cumsum(lengths) - lengths
            spheres = np.repeat(starts - first, lengths) + np.arange(lengths.sum())
            size, spot = sizes[spheres], spots[spheres]
            circle = RING if count > 6 else RING[::2] if count > 2 else RING[::4]
            rings = _fixed(spot[:, None] + circle * size[:, None, None])
            hulls = [_hull(rings[a : a + n], a * len(circle)) for a, n in zip(first, lengths, strict=True)]
            of_sphere, on_ring = np.divmod(np.concatenate(hulls), len(circle))
            share = shares[:, None, None]
            way = circle[on_ring] * share + LIGHT * (1 - share) * 0.8
            rims = _fixed(spot[of_sphere] + size[of_sphere][:, None] * way)
            ends = np.cumsum([len(hull) for hull in hulls])
            for k, hull, end in zip(chosen, hulls, ends, strict=True):
                found[k] = rims[:, end - len(hull) : end]
        return found


def _hull(rings: NDArray[np.int32], offset: int) -> NDArray[np.intp]:
    """Which points of some circles (n, points, 2) make their hull, counted from `offset`."""
    if len(rings) == 1:
        return np.arange(offset, offset + rings.shape[1])
    return np.asarray(cv2.convexHull(rings.reshape(-1, 2), returnPoints=False).ravel() + offset, np.intp)


_SQUARE = np.array([[-1.0, 1.0], [1.0, 1.0], [1.0, -1.0], [-1.0, -1.0]])


@functools.cache
def _box(
    centre: tuple[float, ...], size: tuple[float, ...], turn_deg: float
) -> tuple[Points, Points, NDArray[np.float64]]:
    """Faces (5, 4, 3), their normals and brightnesses: four sides and the top."""
    (cx, cy, cz), (sx, sy, sz) = centre, size
    c, s = math.cos(math.radians(turn_deg)), math.sin(math.radians(turn_deg))
    ends = (_SQUARE * np.array([sx, sy]) / 2) @ np.array([[c, -s], [s, c]]) + [cx, cy]
    low = np.concatenate([ends, np.full((4, 1), cz)], axis=1)
    top = np.concatenate([ends, np.full((4, 1), cz + sz)], axis=1)
    faces = [np.stack([top[i], top[(i + 1) % 4], low[(i + 1) % 4], low[i]]) for i in range(4)]
    edges = np.roll(ends, -1, axis=0) - ends
    normals = np.stack([-edges[:, 1], edges[:, 0], np.zeros(4)], axis=1)
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    tones = 0.62 + 0.3 * np.maximum(0.0, normals @ SUN)
    return np.stack([*faces, top]), np.concatenate([normals, [[0, 0, 1.0]]]), np.append(tones, 1.02)


_NOTHING = np.zeros((0, 0, 2), np.int32)
_STEPS_FROM_PX = np.array([3.5, 8.0, 16.0, 32.0, 64.0])
_STEPS = np.array([1, 2, 3, 4, 6, 8])


def _counts(size_px: NDArray[np.float64] | float) -> NDArray[np.intp]:
    """How many shades things of these sizes get."""
    return np.asarray(_STEPS[np.searchsorted(_STEPS_FROM_PX, size_px)])


@functools.cache
def _steps(count: int, gloss: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Shares of the size and brightnesses, from the rim inwards."""
    if count == 1:
        return np.array([1.0]), np.array([0.88])
    k = np.linspace(0, 1, count)
    return 1.0 - 0.85 * k**0.85, 0.66 + (0.36 + gloss) * k**0.75


@functools.cache
def _inks(colour: Colour, count: int, gloss: float, ink: Callable[[Colour], Ink]) -> list[Ink]:
    return [ink(tone(colour, float(b))) for b in _steps(count, gloss)[1]]


def _fixed(pixels: Points) -> NDArray[np.int32]:
    return np.clip(pixels * (1 << SHIFT), -500_000, 500_000).astype(np.int32)


class SoftForms:
    """Convex hulls of spheres, collected in the order of painting, for any number of views of one moment.

    Forms belong to groups (figures); within one the order of adding holds, and groups are painted far to near.
    """

    def __init__(self) -> None:
        self._centres: list[Points] = []
        self._radii: list[float] = []
        self._starts: list[int] = []
        self._facing: list[Sequence[float] | Points] = []
        self._limits: list[tuple[float, float, int]] = []
        self.colours: list[Colour] = []
        self.gloss: list[float] = []

    def add(
        self,
        centres: Sequence[Points],
        radii: Sequence[float],
        colour: Colour,
        most: int = 12,
        gloss: float = 0.16,
        least_px: float = 0.9,
        facing: Sequence[float] | Points = (0.0, 0.0, 0.0),
        turned: float = -2.0,
    ) -> None:
        """One form: centres and radii in metres; `most` shades; shown when `facing` points at the eye enough."""
        self._starts.append(len(self._radii))
        self._centres.extend(centres)
        self._radii.extend(radii)
        self._facing.append(facing)
        self._limits.append((least_px, turned, most))
        self.colours.append(colour)
        self.gloss.append(gloss)

    def freeze(self) -> "SoftForms":
        """Ready the numbers for painting; nothing is added afterwards."""
        self.centres, self.radii = np.array(self._centres), np.array(self._radii)
        self.starts = np.array(self._starts)
        self.facing = np.array(self._facing, dtype=float)
        limits = np.array(self._limits)
        self.least_px, self.turned, self.most = limits[:, 0], limits[:, 1], limits[:, 2].astype(int)
        self.groups = np.zeros(len(self.starts), int)
        self.ends = np.append(self.starts[1:], len(self.radii))
        self.middles = self.centres[:1]
        self.stage_of = [0]
        return self

    def placed(self, origin: Points, axes: Points) -> "SoftForms":
        """The same forms in another place: `axes` (3, 3) has the world directions of their own x, y and z as rows."""
        there = copy.copy(self)
        there.centres = origin + self.centres @ axes
        there.facing = self.facing @ axes
        return there

    @staticmethod
    def join(groups: Sequence[Sequence["SoftForms"]], stage_of: Sequence[int] = ()) -> "SoftForms":
        """One set of forms from figures, each given as its parts in order; `stage_of` each when it is painted."""
        flat = [forms for group in groups for forms in group]
        whole = SoftForms()
        whole.centres = np.concatenate([f.centres for f in flat])
        whole.radii = np.concatenate([f.radii for f in flat])
        before = np.cumsum([0, *(len(f.radii) for f in flat[:-1])])
        whole.starts = np.concatenate([f.starts + n for f, n in zip(flat, before, strict=True)])
        for name in ("facing", "least_px", "turned", "most"):
            setattr(whole, name, np.concatenate([getattr(f, name) for f in flat]))
        whole.groups = np.concatenate([np.full(len(f.starts), k) for k, group in enumerate(groups) for f in group])
        whole.colours = [c for f in flat for c in f.colours]
        whole.gloss = [g for f in flat for g in f.gloss]
        whole.ends = np.append(whole.starts[1:], len(whole.radii))
        whole.middles = np.stack([group[-1].centres[0] for group in groups])
        whole.stage_of = list(stage_of) or [0] * len(groups)
        return whole


def pyramid(texture: Image) -> list[Image]:
    """The texture and its halves, down to a few pixels."""
    levels = [np.ascontiguousarray(texture)]
    while min(levels[-1].shape[:2]) > 8 and len(levels) < 8:
        levels.append(np.asarray(cv2.pyrDown(levels[-1]), np.uint8))
    return levels
