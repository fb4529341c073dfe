"""How far one picture is shifted against another: phase correlation, refined to a fraction of a pixel.

Method: the normalised cross-power spectrum of two windowed pictures has, transformed back, a peak at their shift
(Kuglin and Hines 1975); around it the correlation is evaluated on a fine grid by a matrix-multiply Fourier transform
(Guizar-Sicairos, Thurman and Fienup 2008). High frequencies are damped: sensors and codecs make noise there.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ribalta.core.picture.colours import BLUE, GREEN, RED
from ribalta.core.picture.planes import BLACK, SWING, Picture

Grey = NDArray[np.float32]
BRIGHT = np.array([BLUE, GREEN, RED], np.float32)
FINE, COARSE = 40, 0.125  # steps a pixel in the end; a step at first, in pixels
SMOOTH = 0.18  # of the sampling frequency: where damping sets in


@dataclass(frozen=True, slots=True)
class Shift:
    """What is at (x, y) in the first picture is at (x + right, y + down) in the second, in pixels.

    `sure` is the height of the peak over the rest, 0 (nothing in common) to about 1.
    """

    right: float
    down: float
    sure: float


def grey(pixels: NDArray[np.uint8], width: int = 480, height: int = 270) -> Grey:
    """(height, width) brightness 0..1 of a (h, w, 3 or 4) BGR(A) picture, averaged down or repeated up."""
    bright = _fitted(pixels[..., :3], width, height).astype(np.float32) @ BRIGHT
    return np.asarray(bright / 255, np.float32)


def grey_of(picture: Picture, width: int = 480, height: int = 270) -> Grey:
    """The same of a picture in planes: its brightness is there already."""
    bright = _fitted(picture.y[..., None], width, height)[..., 0].astype(np.float32)
    return np.asarray(np.clip((bright - BLACK[0]) / SWING, 0, 1), np.float32)


def _fitted(pixels: NDArray[np.uint8], width: int, height: int) -> NDArray[np.uint8]:
    """(height, width, parts) of (h, w, parts)."""
    h, w, parts = pixels.shape
    if (h, w) == (height, width):
        return pixels
    if h % height == 0 and w % width == 0:
        whole = pixels.reshape(height, h // height, width, w // width, parts)
        return np.asarray(whole.mean(axis=(1, 3)), np.uint8)
    rows = ((np.arange(height) + 0.5) * h / height).astype(int)
    columns = ((np.arange(width) + 0.5) * w / width).astype(int)
    if h > height:  # average what is skipped, so that fine detail does not turn into noise
        pixels = _box(pixels, max(1, round(h / height)), max(1, round(w / width)))
    return np.asarray(pixels[rows][:, columns])


def _box(pixels: NDArray[np.uint8], tall: int, wide: int) -> NDArray[np.uint8]:
    from scipy.ndimage import uniform_filter  # loaded when it is wanted: it takes a while

    return np.asarray(uniform_filter(pixels, (tall, wide, 1)), np.uint8)


def _window(shape: tuple[int, ...]) -> Grey:
    return np.outer(np.hanning(shape[0]), np.hanning(shape[1])).astype(np.float32)


def shift_between(first: Grey, second: Grey) -> Shift:
    """The shift of the second picture against the first; both have the same (height, width).

    Raises ValueError when their sizes differ.
    """
    if first.shape != second.shape:
        raise ValueError(f"pictures of different sizes: {first.shape} and {second.shape}")
    height, width = first.shape
    window = _window(first.shape)
    one = np.fft.fft2((first - first.mean()) * window)
    other = np.fft.fft2((second - second.mean()) * window)
    fy = np.asarray(np.fft.fftfreq(height), np.float64)[:, None]
    fx = np.asarray(np.fft.fftfreq(width), np.float64)[None, :]
    damp = np.exp(-(fx * fx + fy * fy) / (2 * SMOOTH * SMOOTH))
    cross = other * np.conj(one)
    size = np.abs(cross)
    spectrum = np.where(size > 1e-9 * max(1e-12, float(size.max())), cross / np.maximum(size, 1e-12), 0) * damp
    plane = np.fft.ifft2(spectrum).real
    peak = np.unravel_index(int(np.argmax(plane)), plane.shape)
    top = float(plane[peak]) * plane.size / float(damp.sum())
    down = int(peak[0]) - (height if peak[0] > height // 2 else 0)
    right = int(peak[1]) - (width if peak[1] > width // 2 else 0)
    fine_down, fine_right = _refined(spectrum, fy, fx, down, right)
    return Shift(fine_right, fine_down, max(0.0, min(1.0, top)))


def _refined(
    spectrum: NDArray[np.complex128], fy: NDArray[np.float64], fx: NDArray[np.float64], down: float, right: float
) -> tuple[float, float]:
    """The peak near a whole-pixel one, to 1/FINE pixel: first within a pixel, then within what was found."""
    for within, step in ((1.0, COARSE), (COARSE, 1 / FINE)):
        steps = np.arange(-round(within / step), round(within / step) + 1) * step
        rows = np.exp(2j * math.pi * (down + steps)[:, None] * fy.ravel()[None, :])
        columns = np.exp(2j * math.pi * fx.ravel()[:, None] * (right + steps)[None, :])
        plane = (rows @ spectrum @ columns).real
        k = np.unravel_index(int(np.argmax(plane)), plane.shape)
        down, right = down + float(steps[k[0]]), right + float(steps[k[1]])
    return down, right


def seen_through(picture: Grey, to_source: NDArray[np.float64]) -> Grey:
    """The picture as another view shows it; `to_source` (3, 3) takes the other view's pixels to this picture's."""
    from scipy.ndimage import map_coordinates

    height, width = picture.shape
    v, u = np.mgrid[0:height, 0:width]
    flat = np.stack([u.ravel() + 0.5, v.ravel() + 0.5, np.ones(u.size)])
    seen = to_source @ flat
    x, y = seen[0] / seen[2] - 0.5, seen[1] / seen[2] - 0.5
    moved = map_coordinates(picture, [y, x], order=1, mode="nearest")
    return np.asarray(moved, np.float32).reshape(height, width)


def difference(first: Grey, second: Grey) -> float:
    """Mean absolute difference of brightness, 0..1."""
    return float(np.abs(first - second).mean())
