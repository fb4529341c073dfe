"""Is a picture still the stored one? Where the middle of the stored picture is now, how much it leans and has grown.

Method: what both pictures have in common is found roughly by correlating the directions of their edges (orientation
correlation, Fitch, Kadyrov, Christmas and Kittler 2002) at a small size, normalised by how much the two overlap. Each
good candidate is refined by direct alignment (Lucas and Kanade 1981, with the mean of both gradients as in Benhimane
and Malis 2004) of pictures whose local contrast is evened out, so that light hardly matters. Every part of the picture
says by itself how it wants to move; the motion of a turning, leaning and zooming camera that most parts vote for wins,
and parts that want something else (people who moved) lose their weight. How many parts look the same in the end, how
much of the picture they are, and whether they are content with their places, is how sure the answer is.
"""

import functools
import math
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ribalta.core.picture.registration import Grey

Matrix = NDArray[np.float64]
Matrices = NDArray[np.float64]
COARSE, FINE = (120, 68), (240, 135)
FURTHEST = 0.36  # of the width: what is looked for
CANDIDATES = 5
APART = 0.03  # of the width: nearer peaks are the same candidate
ACROSS, RICH, AGREES = 16, 0.12, 0.55  # parts across the picture; how much is in one; how alike
FIRST_ROUNDS, MORE_ROUNDS, FINE_ROUNDS = 4, 5, 6
FINALISTS = 2
SURE = 0.63  # from here on nothing wrong was found among 500 pairs; see bench/registration.py
SURE_NEAR = 0.45  # enough for an answer of hardly any shift: that all of the rest was searched too makes it likely
CHANGED = 0.6  # of the picture has to be alike
ROUGH_POINTS, FINE_POINTS = 6, 26  # of each part of the picture
EVENED_OVER = 8  # of the width
DAMPING, OWN_DAMPING = 1e-3 * np.eye(4), 0.02
STILL_PX = 0.02
STRICT_PX, LENIENT_PX, VOTES = 0.4, 3.0, 3
FAR_OFF, WEAK = 1.5, 0.3
TOLD, PLACED_PX, PLACED = 0.5, 0.25, 0.35  # of 2,000 pairs 99 % of the right have 0.39 in place, the wrong 0.29 at most
TEXTURE = 0.02


@dataclass(frozen=True, slots=True)
class Comparison:
    """`right`, `down`: where the middle of the stored picture is in the live one, in % of the width from its middle.

    `turn_deg`: by how much the picture's content is turned clockwise; `growth`: how much larger it is. `sure` 0..1:
    above `SURE` the numbers can be relied upon. `alike` 0..1: the share of the picture that is the same.
    """

    right: float
    down: float
    turn_deg: float
    growth: float
    sure: float
    alike: float

    @property
    def off(self) -> float:
        """In % of the width."""
        return math.hypot(self.right, self.down)


NOTHING_ALIKE = Comparison(0.0, 0.0, 0.0, 1.0, 0.0, 0.0)


def compare(stored: Grey, live: Grey, hfov_deg: float) -> Comparison:
    """Compare two pictures of one camera, (height, width) each, brightness 0..1; `hfov_deg` is of the stored one.

    Both are 16:9, of at least 240x135 pixels. Raises ValueError when one is not, or the angle is outside 0° to 170°.
    """
    for picture in (stored, live):
        height, width = picture.shape
        if width < FINE[0] or abs(width / height - FINE[0] / FINE[1]) > 0.02:
            raise ValueError(f"a picture of {width}x{height} pixels cannot be compared: 16:9, at least 240 wide")
    if not 0 < hfov_deg < 170:
        raise ValueError(f"an angle of {hfov_deg:g}° is outside 0° to 170°")
    fine_before, fine_now = _resized(stored, FINE), _resized(live, FINE)
    before, now = (_evened(_resized(picture, COARSE)) for picture in (fine_before, fine_now))
    shifts = _candidates(before, now)
    if not shifts:
        return NOTHING_ALIKE
    to_rays, to_pixels, focal = _lens(COARSE, hfov_deg)
    starts = np.stack([to_pixels @ _turned(right / focal, down / focal) @ to_rays for right, down in shifts])
    points, layers = _points(before, ROUGH_POINTS), _layers(now)
    found = _aligned(points, ROUGH_POINTS, layers, starts, hfov_deg, FIRST_ROUNDS)
    scores = _agreement(before, now, found)[0]
    found = _aligned(points, ROUGH_POINTS, layers, found[np.argsort(-scores)[:FINALISTS]], hfov_deg, MORE_ROUNDS)
    best = found[np.argmax(_agreement(before, now, found)[0])]
    scale = _lens(FINE, hfov_deg)[1] @ to_rays
    start = scale @ best @ np.linalg.inv(scale)
    fine_before, fine_now = _evened(fine_before), _evened(fine_now)
    points, layers = _points(fine_before, FINE_POINTS), _layers(fine_now)
    matrix = _aligned(points, FINE_POINTS, layers, start[None], hfov_deg, FINE_ROUNDS)
    score, alike = _agreement(fine_before, fine_now, matrix)
    sure = float(score[0]) * min(1.0, _in_place(points, FINE_POINTS, layers, matrix) / PLACED)
    return _read(matrix[0], hfov_deg, sure, float(alike[0]))


def _resized(picture: Grey, size: tuple[int, int]) -> Grey:
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.float32)


def _evened(picture: Grey) -> Grey:
    """With its local contrast evened out."""
    wide = (picture.shape[1] // EVENED_OVER,) * 2
    picture = picture - cv2.blur(picture, wide)
    spread = np.sqrt(np.maximum(cv2.blur(picture * picture, wide), 0))
    return np.asarray(cv2.GaussianBlur(picture / (spread + TEXTURE), (5, 5), 0.7), np.float32)


def _edges(picture: Grey) -> NDArray[np.complex64]:
    gx, gy = cv2.Sobel(picture, cv2.CV_32F, 1, 0, ksize=3), cv2.Sobel(picture, cv2.CV_32F, 0, 1, ksize=3)
    size = np.sqrt(gx * gx + gy * gy)
    edges = np.asarray((gx + 1j * gy) / (size + 1.0), np.complex64)
    edges[0], edges[-1], edges[:, 0], edges[:, -1] = 0, 0, 0, 0
    return edges


@functools.lru_cache(maxsize=4)
def _overlap(width: int, height: int, shape: tuple[int, int]) -> tuple[NDArray[np.complex64], NDArray[np.bool_]]:
    """The spectrum of a picture full of ones, and which shifts are looked at, of the second against the first."""
    from scipy import fft  # loaded when it is wanted: it takes a while

    tall, wide = shape
    y, x = np.arange(tall), np.arange(wide)
    y, x = np.where(y > tall // 2, y - tall, y), np.where(x > wide // 2, x - wide, x)
    near = y[:, None] ** 2 + x[None, :] ** 2 <= (FURTHEST * width) ** 2
    return np.asarray(fft.rfft2(np.ones((height, width), np.float32), shape), np.complex64), near


def _candidates(before: Grey, now: Grey) -> list[tuple[int, int]]:
    """By how many pixels the second picture may be shifted (right, down), the likeliest first."""
    from scipy import fft

    height, width = before.shape
    far = int(FURTHEST * width)
    shape = fft.next_fast_len(height + far), fft.next_fast_len(width + far)
    tall, wide = shape
    one, other = _edges(before), _edges(now)
    common = fft.ifft2(fft.fft2(other, shape) * np.conj(fft.fft2(one, shape))).real
    weight, other_weight = (np.asarray(e.real**2 + e.imag**2, np.float32) for e in (one, other))
    there, near = _overlap(width, height, shape)
    first = fft.irfft2(there * np.conj(fft.rfft2(weight, shape)), shape)
    second = fft.irfft2(fft.rfft2(other_weight, shape) * np.conj(there), shape)
    shared = np.sqrt(np.maximum(first, 0) * np.maximum(second, 0))
    plane = common / np.sqrt(shared * float(weight.sum()) + 1e-6)  # little in common counts less
    plane = cv2.GaussianBlur(np.where(near, plane, -1), (5, 5), 1.0)
    found = []
    apart = int(APART * width)
    for _ in range(CANDIDATES):
        k = np.unravel_index(int(np.argmax(plane)), plane.shape)
        if plane[k] <= 0:
            break
        down, right = int(k[0]) - tall * (k[0] > tall // 2), int(k[1]) - wide * (k[1] > wide // 2)
        found.append((int(right), int(down)))
        rows, columns = (np.arange(-apart, apart + 1) + k[0]) % tall, (np.arange(-apart, apart + 1) + k[1]) % wide
        plane[np.ix_(rows, columns)] = -1
    return found


@dataclass(frozen=True, slots=True)
class _Points:
    """The pixels of a picture that say most: where they are, how bright, and how brightness goes on there."""

    x: NDArray[np.float32]
    y: NDArray[np.float32]
    bright: NDArray[np.float32]
    slope_x: NDArray[np.float32]
    slope_y: NDArray[np.float32]
    size: tuple[int, int]


def _points(picture: Grey, each: int) -> _Points:
    """The `each` strongest of every part of the picture, so that nobody in front of a wall outvotes the wall."""
    height, width = picture.shape
    slope_x, slope_y = _slopes(picture)
    strength = slope_x * slope_x + slope_y * slope_y
    strength[0], strength[-1], strength[:, 0], strength[:, -1] = 0, 0, 0, 0
    places = np.arange(height * width, dtype=np.int32).reshape(1, height, width)
    parts, own = _parts(strength[None])[0], _parts(places)[0]
    strongest = np.argpartition(parts, -each, axis=1)[:, -each:]
    chosen = np.take_along_axis(own, strongest, axis=1).ravel().astype(np.int64)
    rows, columns = np.divmod(chosen, width)
    bright, along, down = (part.ravel()[chosen] for part in (picture, slope_x, slope_y))
    return _Points(columns.astype(np.float32), rows.astype(np.float32), bright, along, down, (width, height))


def _slopes(picture: Grey) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """How brightness goes on to the right and down, a pixel."""
    along, down = (cv2.Sobel(picture, cv2.CV_32F, *way, ksize=3, scale=0.125) for way in ((1, 0), (0, 1)))
    return np.asarray(along, np.float32), np.asarray(down, np.float32)


@dataclass(frozen=True, slots=True)
class _Flows:
    """(parts, 4) each: how parts move right, and down, with a turn to the side, up and down, a lean and a growth.

    All in pixels: a lean and a growth by what they do a quarter of the width away from the middle. `pairs` are their
    products, (parts, 16), right with right, right with down, down with down.
    """

    along: Matrix
    down: Matrix
    pairs: tuple[Matrix, ...]


def _flows(points: _Points, each: int, focal: float) -> _Flows:
    width, height = points.size
    x = points.x.reshape(-1, each).mean(axis=1, dtype=np.float64) + 0.5 - width / 2
    y = points.y.reshape(-1, each).mean(axis=1, dtype=np.float64) + 0.5 - height / 2
    far = width / 4
    right = np.stack([1 + x * x / focal**2, x * y / focal**2, -y / far, x / far], axis=1)
    down = np.stack([x * y / focal**2, 1 + y * y / focal**2, x / far, y / far], axis=1)
    both = ((right, right), (right, down), (down, down))
    return _Flows(right, down, tuple((a[:, :, None] * b[:, None, :]).reshape(-1, 16) for a, b in both))


@dataclass(frozen=True, slots=True)
class _Pulls:
    """Where each part of the picture wants to go: its edges' products and their pull, (k, parts) each, made so that
    strong edges do not count for more."""

    xx: Matrix
    xy: Matrix
    yy: Matrix
    x: Matrix
    y: Matrix

    def own(self) -> tuple[Matrix, Matrix]:
        """Each part's own idea of its shift (right, down) in pixels, as sure as its edges allow."""
        sure_x, sure_y = self.xx + OWN_DAMPING, self.yy + OWN_DAMPING
        whole = sure_x * sure_y - self.xy * self.xy
        return (sure_y * self.x - self.xy * self.y) / whole, (sure_x * self.y - self.xy * self.x) / whole

    def square(self, right: Matrix, down: Matrix) -> Matrix:
        """Shifts as squares of pixels, of which only what a part's edges show is counted."""
        return self.xx * right**2 + 2 * self.xy * right * down + self.yy * down**2


def _pulls(points: _Points, each: int, now: NDArray[np.float32], matrices: Matrices) -> _Pulls:
    """`now`: see `_layers`."""
    width, height = points.size
    seen = np.asarray(matrices, np.float32) @ np.stack([points.x, points.y, np.ones_like(points.x)])
    x, y = seen[:, 0] / seen[:, 2], seen[:, 1] / seen[:, 2]
    inside = (x > 1) & (x < width - 2) & (y > 1) & (y < height - 2)
    live = cv2.remap(now, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    off = np.clip(points.bright - live[..., 0], -FAR_OFF, FAR_OFF)
    slope_x, slope_y = (points.slope_x + live[..., 1]) * inside, (points.slope_y + live[..., 2]) * inside
    xx, xy, yy = (_part_sums(one, each) for one in (slope_x * slope_x, slope_x * slope_y, slope_y * slope_y))
    pull_x, pull_y = (2 * _part_sums(slope * off, each) for slope in (slope_x, slope_y))
    fair = 1 / (xx + yy + WEAK)
    return _Pulls(xx * fair, xy * fair, yy * fair, pull_x * fair, pull_y * fair)


def _aligned(
    points: _Points, each: int, now: NDArray[np.float32], matrices: Matrices, hfov_deg: float, rounds: int
) -> Matrices:
    """From the first picture's pixels to the second's, (k, 3, 3), each starting near. `now`: see `_layers`."""
    to_rays, to_pixels, focal = _lens(points.size, hfov_deg)
    flows = _flows(points, each, focal)
    for k in range(rounds):
        step = _voted(_pulls(points, each, now, matrices), flows, max(STRICT_PX, LENIENT_PX / 2**k))
        moved = np.stack([_moved(one, focal, points.size[0] / 4) for one in step])
        matrices = to_pixels @ _turned_and_zoomed(to_rays @ matrices @ to_pixels @ moved) @ to_rays
        if np.abs(step).max() < STILL_PX:
            break
    return matrices


def _in_place(points: _Points, each: int, now: NDArray[np.float32], matrix: Matrices) -> float:
    """The share of parts with edges that want to go no further, to a fraction of a pixel, 0..1.

    A wall of bricks that is a brick off, or people who fill the picture and have moved, look much alike; but their
    parts would rather be each a little elsewhere.
    """
    pulls = _pulls(points, each, now, matrix)
    telling = pulls.xx + pulls.yy > TOLD
    return float((telling & (pulls.square(*pulls.own()) < PLACED_PX**2)).sum() / max(1, telling.sum()))


def _part_sums(values: NDArray[np.float32], each: int) -> NDArray[np.float64]:
    """(k, n) to (k, parts)."""
    return np.asarray(values.reshape(len(values), -1, each).sum(axis=2, dtype=np.float64))


def _voted(pulls: _Pulls, flows: _Flows, px: float) -> Matrix:
    """(k, 4): the move that most parts vote for.

    Parts that want something else (people who have moved) by more than about `px` pixels lose their weight.
    """
    own_x, own_y = pulls.own()
    along, down = flows.along, flows.down
    weight = np.ones_like(pulls.xx)
    for _ in range(VOTES):
        left = (weight * pulls.xx) @ flows.pairs[0] + (weight * pulls.yy) @ flows.pairs[2]
        mixed = ((weight * pulls.xy) @ flows.pairs[1]).reshape(-1, 4, 4)
        left = left.reshape(-1, 4, 4) + mixed + mixed.swapaxes(1, 2) + DAMPING
        right = (weight * pulls.x) @ along + (weight * pulls.y) @ down
        step = np.linalg.solve(left, right[..., None])[..., 0]
        square = pulls.square(own_x - step @ along.T, own_y - step @ down.T)
        weight = 1 / (1 + square / px**2) ** 2
    return np.asarray(step, np.float64)


def _turned_and_zoomed(rays: Matrices) -> Matrices:
    """The nearest of what a camera can do to rays, (k, 3, 3): turn, and then zoom. They are nearly that already."""
    size = np.sqrt((rays * rays).sum(axis=2))
    grown = (size[:, 0] + size[:, 1]) / (2 * size[:, 2])
    zoomed = np.stack([grown, grown, np.ones_like(grown)], axis=1)[:, :, None]
    turned = rays / (size[:, 2:, None] * zoomed)
    turned = 1.5 * turned - 0.5 * turned @ turned.swapaxes(1, 2) @ turned  # one step of Newton's to a rotation
    return np.asarray(turned * zoomed, np.float64)


def _moved(step: Matrix, focal: float, far: float) -> Matrix:
    """Rays (right, down, forward) as a small turn to the side, up and down, a lean and a growth move them."""
    turn, grown = step[2] / far, math.exp(step[3] / far)
    c, s = grown * math.cos(turn), grown * math.sin(turn)
    leant = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])
    return np.asarray(_turned(step[0] / focal, step[1] / focal) @ leant, np.float64)


def _turned(right: float, down: float) -> Matrix:
    """Rays as a turn moves them by which what is ahead comes to lie at these tangents."""
    pan, tilt = math.atan(right), math.atan(down * math.cos(math.atan(right)))
    c, s = math.cos(pan), math.sin(pan)
    aside = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
    c, s = math.cos(tilt), math.sin(tilt)
    lifted = np.array([[1, 0, 0], [0, c, s], [0, -s, c]])
    return np.asarray(aside @ lifted, np.float64)


def _lens(size: tuple[int, int], hfov_deg: float) -> tuple[Matrix, Matrix, float]:
    """From pixels to rays (right, down, forward) and back, (3, 3) each, and the focal length in pixels."""
    width, height = size
    focal = width / 2 / math.tan(math.radians(hfov_deg) / 2)
    to_pixels = np.array([[focal, 0, width / 2 - 0.5], [0, focal, height / 2 - 0.5], [0, 0, 1]])
    return np.linalg.inv(to_pixels), to_pixels, focal


def _layers(picture: Grey) -> NDArray[np.float32]:
    """(h, w, 3): brightness, and how it goes on to the right and down."""
    return np.asarray(np.dstack([picture, *_slopes(picture)]), np.float32)


def _through(picture: Grey, matrix: Matrix) -> Grey:
    """The picture as the other shows it; not a number where it shows nothing of it."""
    height, width = picture.shape
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    seen = cv2.warpPerspective(picture, matrix, (width, height), flags=flags, borderValue=float("nan"))
    return np.asarray(seen, np.float32)


def _agreement(before: Grey, now: Grey, matrices: Matrices) -> tuple[Matrix, Matrix]:
    """How good each fit is: a score, and the share of the overlap's parts that look the same, (k,) each."""
    seen = np.stack([_through(now, matrix) for matrix in matrices])
    inside = np.isfinite(seen[:, :, :])
    whole = _parts(inside.astype(np.float32)).min(axis=2) > 0
    one, other = _parts(before[None]), _parts(np.where(inside, seen, 0))
    one, other = one - one.mean(axis=2, keepdims=True), other - other.mean(axis=2, keepdims=True)
    strong, also = (one * one).sum(axis=2), (other * other).sum(axis=2)
    rich = whole & (np.maximum(strong, also) > RICH * one.shape[2])
    match = (one * other).sum(axis=2) / np.sqrt(strong * also + 1e-6)
    good, count = (rich & (match > AGREES)).sum(axis=1), rich.sum(axis=1)
    score = good / (count + 4) * (count / one.shape[1]) ** 0.2
    return np.where(count < 8, 0.0, score), good / np.maximum(count, 1)


def _parts(pictures: NDArray[Any]) -> NDArray[Any]:
    """(k, h, w) cut into (k, parts, pixels of a part)."""
    k, height, width = pictures.shape
    size = width // ACROSS
    rows, columns = height // size, width // size
    cut = pictures[:, : rows * size, : columns * size].reshape(k, rows, size, columns, size)
    return cut.swapaxes(2, 3).reshape(k, rows * columns, size * size)


def _read(matrix: Matrix, hfov_deg: float, score: float, alike: float) -> Comparison:
    width, height = FINE
    at = matrix @ np.array([width / 2 - 0.5, height / 2 - 0.5, 1.0])
    up = matrix @ np.array([width / 2 - 0.5, height / 2 - 1.5, 1.0])
    way = up[:2] / up[2] - at[:2] / at[2]
    right, down = at[:2] / at[2] - np.array([width / 2 - 0.5, height / 2 - 0.5])
    to_rays, to_pixels, _ = _lens(FINE, hfov_deg)
    size = np.linalg.norm(to_rays @ matrix @ to_pixels, axis=1)
    turn_deg = math.degrees(math.atan2(way[0], -way[1]))
    growth = float((size[0] + size[1]) / (2 * size[2]))
    return Comparison(100 * float(right) / width, 100 * float(down) / width, turn_deg, growth, score, alike)
