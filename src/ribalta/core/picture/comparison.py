"""Is a picture still the stored one? Where the middle of the stored picture is now, how much it leans and has grown.

Method: what both pictures have in common is found roughly by correlating the directions of their edges (orientation
correlation, Fitch, Kadyrov, Christmas and Kittler 2002) at a small size, normalised by how much the two overlap. Each
good candidate is refined by direct alignment (Lucas and Kanade 1981, with the mean of both gradients as in Benhimane
and Malis 2004) of pictures whose local contrast is evened out, so that light hardly matters, under the motion that a
turning, leaning and zooming camera makes. Pixels that do not fit (people who moved) lose their weight. What counts
in the end is how many parts of the picture agree, and whether another candidate would do as well.
"""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import fft

from ribalta.core.picture.registration import Grey

Matrix = NDArray[np.float64]
COARSE, FINE = (120, 68), (240, 136)
FURTHEST = 0.36  # of the width: what is looked for
CANDIDATES = 6
APART = 0.03  # of the width: nearer peaks are the same candidate
AGREES = 0.55
ROUGH_ROUNDS, FINE_ROUNDS = 10, 8
ROUGH_POINTS, FINE_POINTS, FEWEST = 3000, 7000, 150
EVENED_OVER = 8  # of the width
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
    """Compare two pictures (height, width) of one camera, brightness 0..1; `hfov_deg` is of the stored one (0..170).

    Raises ValueError when their sizes differ.
    """
    if stored.shape != live.shape:
        raise ValueError(f"pictures of different sizes: {stored.shape} and {live.shape}")
    before, now = _evened(stored, COARSE), _evened(live, COARSE)
    points, layers = _points(before, ROUGH_POINTS), _layers(now)
    found = []
    for right, down in _candidates(before, now):
        start = np.array([[1, 0, right], [0, 1, down], [0, 0, 1.0]])
        start = _aligned(points, layers, start, hfov_deg, ROUGH_ROUNDS)
        found.append((*_agreement(before, now, start), start))
    if not found:
        return NOTHING_ALIKE
    _, _, best = max(found, key=lambda one: one[0])
    # pixel centres: the middle of the first pixel is at 0
    scale = np.array([[2, 0, 0.5], [0, 2, 0.5], [0, 0, 1.0]])
    fine_before, fine_now = _evened(stored, FINE), _evened(live, FINE)
    points, layers = _points(fine_before, FINE_POINTS), _layers(fine_now)
    matrix = _aligned(points, layers, scale @ best @ np.linalg.inv(scale), hfov_deg, FINE_ROUNDS)
    score, alike = _agreement(fine_before, fine_now, matrix)
    return _read(matrix, score, alike)


def _evened(picture: Grey, size: tuple[int, int]) -> Grey:
    """Small, with its local contrast evened out."""
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    wide = (size[0] // EVENED_OVER, size[0] // EVENED_OVER)
    small = small - cv2.blur(small, wide)
    spread = np.sqrt(cv2.blur(small * small, wide))
    return np.asarray(cv2.GaussianBlur(small / (spread + TEXTURE), (0, 0), 0.7), np.float32)


def _edges(picture: Grey) -> NDArray[np.complex64]:
    gx, gy = cv2.Sobel(picture, cv2.CV_32F, 1, 0, ksize=3), cv2.Sobel(picture, cv2.CV_32F, 0, 1, ksize=3)
    size = np.sqrt(gx * gx + gy * gy)
    edges = np.asarray((gx + 1j * gy) / (size + 1.0), np.complex64)
    edges[0], edges[-1], edges[:, 0], edges[:, -1] = 0, 0, 0, 0
    return edges


def _candidates(before: Grey, now: Grey) -> list[tuple[float, float]]:
    """Shifts in pixels, the best first."""
    height, width = before.shape
    tall, wide = fft.next_fast_len(height + int(FURTHEST * width)), fft.next_fast_len(width + int(FURTHEST * width))
    one, other = _edges(before), _edges(now)
    shape = (tall, wide)
    common = fft.ifft2(fft.fft2(other, shape) * np.conj(fft.fft2(one, shape))).real
    weigh = lambda e: np.asarray(np.abs(e) ** 2, np.float32)  # noqa: E731
    ones = np.ones((height, width), np.float32)
    there = fft.rfft2(ones, shape)
    first = fft.irfft2(there * np.conj(fft.rfft2(weigh(one), shape)), shape)
    second = fft.irfft2(fft.rfft2(weigh(other), shape) * np.conj(there), shape)
    floor = 0.08 * float(weigh(one).sum())
    plane = common / np.sqrt(np.maximum(first, floor) * np.maximum(second, floor))
    dy, dx = np.arange(tall), np.arange(wide)
    dy, dx = np.where(dy > tall // 2, dy - tall, dy), np.where(dx > wide // 2, dx - wide, dx)
    far = FURTHEST * width
    plane[(dy[:, None] ** 2 + dx[None, :] ** 2) > far * far] = -1
    plane = cv2.GaussianBlur(np.asarray(plane, np.float32), (0, 0), 1.2)
    found = []
    near = int(APART * width)
    for _ in range(CANDIDATES):
        k = np.unravel_index(int(np.argmax(plane)), plane.shape)
        if plane[k] <= 0:
            break
        found.append((float(dx[k[1]]), float(dy[k[0]])))
        rows, columns = (np.arange(-near, near + 1) + k[0]) % tall, (np.arange(-near, near + 1) + k[1]) % wide
        plane[np.ix_(rows, columns)] = -1
    return found


@dataclass(frozen=True, slots=True)
class _Points:
    """The pixels of a picture that say most: where they are, how bright, and how brightness goes on there."""

    at: NDArray[np.float32]
    bright: NDArray[np.float32]
    slope: NDArray[np.float32]
    size: tuple[int, int]


def _points(picture: Grey, most: int) -> _Points:
    height, width = picture.shape
    slope = _slopes(picture)
    strength = (slope * slope).sum(axis=2)
    strength[0], strength[-1], strength[:, 0], strength[:, -1] = 0, 0, 0, 0
    flat = strength.ravel()
    chosen = np.argpartition(flat, -most)[-most:] if most < flat.size else np.arange(flat.size)
    rows, columns = np.divmod(chosen, width)
    at = np.stack([columns, rows], axis=1).astype(np.float32)
    return _Points(at, picture.ravel()[chosen], slope.reshape(-1, 2)[chosen], (width, height))


def _slopes(picture: Grey) -> NDArray[np.float32]:
    gx = cv2.Sobel(picture, cv2.CV_32F, 1, 0, ksize=3, scale=0.125)
    return np.asarray(np.dstack([gx, cv2.Sobel(picture, cv2.CV_32F, 0, 1, ksize=3, scale=0.125)]), np.float32)


def _flows(points: _Points, focal: float) -> NDArray[np.float32]:
    """(4, n, 2): how the points move (right, down) with a turn to the side, up and down, a lean and a growth.

    All in pixels: a lean and a growth by what they do a quarter of the width away from the middle.
    """
    width, height = points.size
    x, y = points.at[:, 0] + 0.5 - width / 2, points.at[:, 1] + 0.5 - height / 2
    far = width / 4
    right = np.stack([1 + x * x / focal**2, x * y / focal**2, -y / far, x / far])
    down = np.stack([x * y / focal**2, 1 + y * y / focal**2, x / far, y / far])
    return np.asarray(np.dstack([right, down]), np.float32)


def _aligned(points: _Points, now: NDArray[np.float32], matrix: Matrix, hfov_deg: float, rounds: int) -> Matrix:
    """The (3, 3) from the first picture's pixels to the second's, starting near. `now` is (h, w, 3): see `_layers`."""
    width, height = points.size
    focal = width / 2 / math.tan(math.radians(hfov_deg) / 2)
    flows = _flows(points, focal)
    far = width / 4
    middle = np.array([[1, 0, 0.5 - width / 2], [0, 1, 0.5 - height / 2], [0, 0, 1.0]])
    lens = np.diag([focal, focal, 1.0])
    out, back = np.linalg.inv(middle) @ lens, np.linalg.inv(lens) @ middle
    own = np.column_stack([points.at, np.ones(len(points.at))]).astype(np.float32)
    for _ in range(rounds):
        seen = own @ np.asarray(matrix.T, np.float32)
        there = seen[:, :2] / seen[:, 2:]
        live = cv2.remap(now, there[None], None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=(9, 0, 0))[0]
        inside = ((there > 1) & (there < np.array([width - 2, height - 2]))).all(axis=1)
        if int(inside.sum()) < FEWEST:
            return matrix
        off = points.bright - live[:, 0]
        spread = 1.48 * float(np.median(np.abs(off[inside]))) + 0.05
        weight = np.where(inside, 1 / (1 + (off / (1.5 * spread)) ** 2) ** 2, 0).astype(np.float32)
        slopes = (flows * ((points.slope + live[:, 1:]) / 2)).sum(axis=2)
        weighted = slopes * weight
        pull = np.asarray(weighted @ slopes.T, np.float64) + 1e-3 * np.eye(4)
        step = np.linalg.solve(pull, np.asarray(weighted @ off, np.float64))
        turn, grown = step[2] / far, math.exp(step[3] / far)
        c, s = grown * math.cos(turn), grown * math.sin(turn)
        leant = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])
        matrix = matrix @ out @ _turned(step[0] / focal, step[1] / focal) @ leant @ back
        matrix = matrix / matrix[2, 2]
        if np.abs(step).max() < 0.01:
            break
    return matrix


def _layers(picture: Grey) -> NDArray[np.float32]:
    """(h, w, 3): brightness, and how it goes on to the right and down."""
    return np.asarray(np.dstack([picture, _slopes(picture)]), np.float32)


def _turned(pan: float, tilt: float) -> Matrix:
    """Rays (right, down, forward) that move right and down by these angles."""
    c, s = math.cos(pan), math.sin(pan)
    a = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
    c, s = math.cos(tilt), math.sin(tilt)
    return np.asarray(a @ np.array([[1, 0, 0], [0, c, s], [0, -s, c]]), np.float64)


def _through(picture: Grey, matrix: Matrix) -> Grey:
    """The picture as the other shows it; not a number where it shows nothing of it."""
    height, width = picture.shape
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    seen = cv2.warpPerspective(picture, matrix, (width, height), flags=flags, borderValue=float("nan"))
    return np.asarray(seen, np.float32)


def _agreement(before: Grey, now: Grey, matrix: Matrix) -> tuple[float, float]:
    """How good a fit is: a score, and the share of parts of the overlap that look the same."""
    seen = _through(now, matrix)
    inside = np.isfinite(seen)
    size = before.shape[1] // 16
    rows, columns = before.shape[0] // size, before.shape[1] // size

    def parts(values: NDArray[np.float32]) -> NDArray[np.float32]:
        cut = values[: rows * size, : columns * size].reshape(rows, size, columns, size)
        return np.asarray(cut.swapaxes(1, 2).reshape(rows * columns, size * size), np.float32)

    whole = parts(inside.astype(np.float32)).mean(axis=1) > 0.98
    one, other = parts(before)[whole], parts(np.where(inside, seen, 0))[whole]
    if len(one) < 12:
        return 0.0, 0.0
    one, other = one - one.mean(axis=1, keepdims=True), other - other.mean(axis=1, keepdims=True)
    strong, also = (one * one).sum(axis=1), (other * other).sum(axis=1)
    rich = np.maximum(strong, also) > 0.12 * size * size
    if int(rich.sum()) < 8:
        return 0.0, 0.0
    match = (one * other).sum(axis=1)[rich] / np.sqrt(strong[rich] * also[rich] + 1e-6)
    good = float((match > AGREES).sum())
    return good / (len(match) + 4) * (len(match) / (rows * columns)) ** 0.2, good / len(match)


def _read(matrix: Matrix, score: float, alike: float) -> Comparison:
    width, height = FINE
    at = matrix @ np.array([width / 2 - 0.5, height / 2 - 0.5, 1.0])
    up = matrix @ np.array([width / 2 - 0.5, height / 2 - 1.5, 1.0])
    way = up[:2] / up[2] - at[:2] / at[2]
    right, down = at[:2] / at[2] - np.array([width / 2 - 0.5, height / 2 - 0.5])
    return Comparison(
        100 * float(right) / width,
        100 * float(down) / width,
        math.degrees(math.atan2(way[0], -way[1])),
        float(np.hypot(*way)),
        score,
        alike,
    )
