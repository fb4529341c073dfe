"""Surfaces of the hall, baked once: boards, bricks, cloth and lettering, with their light and shadow in them."""

import cv2
import numpy as np
from numpy.typing import NDArray

from ribalta.standins.hall.values import Colour, Image

_FACE = cv2.FontFace("sans")


def blank(width: int, height: int, colour: Colour) -> Image:
    image = np.empty((height, width, 4), np.uint8)
    image[:] = (colour[2], colour[1], colour[0], 255)
    return image


def write(image: Image, text: str, centre: tuple[float, float], size: float, colour: Colour, weight: int = 700) -> None:
    """Lettering around a centre point; `size` is the height of a line in pixels."""
    box = cv2.getTextSize((0, 0), text, (0, 0), _FACE, int(size), weight)
    x, y, width, height = box
    origin = (int(centre[0] - width / 2 - x), int(centre[1] - height / 2 - y))
    plain = np.ascontiguousarray(image[..., :3])
    cv2.putText(plain, text, origin, (colour[2], colour[1], colour[0]), _FACE, int(size), weight)
    image[..., :3] = plain


def _grain(shape: tuple[int, int], rng: np.random.Generator, along: bool) -> NDArray[np.float32]:
    """Wood-like streaks, mean 0."""
    noise = rng.normal(0, 1, shape).astype(np.float32)
    wide, narrow = (18, 0.8) if along else (0.8, 18)
    return np.asarray(cv2.GaussianBlur(noise, (0, 0), sigmaX=wide, sigmaY=narrow) * 4, np.float32)


def lit(image: Image, light: NDArray[np.float32]) -> Image:
    for k, plane in enumerate(cv2.split(image)[:3]):
        cv2.insertChannel(cv2.multiply(plane, light, dtype=cv2.CV_8U), image, k)
    return image


def glow(shape: tuple[int, int], spots: list[tuple[float, float, float, float]], base: float) -> NDArray[np.float32]:
    """Light over a surface: (x, y, spread, strength) pools in pixels upon a base."""
    height, width = shape
    y, x = np.ogrid[0:height, 0:width]
    light = np.full(shape, base, np.float32)
    for sx, sy, spread, strength in spots:
        across, along = (np.exp(-((at - mid) ** 2) / (2 * spread**2)) for at, mid in ((y, sy), (x, sx)))
        light += (strength * across * along).astype(np.float32)
    return light


def floor(width_m: float, depth_m: float, px_per_m: int, rng: np.random.Generator) -> Image:
    """Floor boards that run east and west, darkening towards the house."""
    width, height = int(width_m * px_per_m), int(depth_m * px_per_m)
    image = blank(width, height, (142, 94, 55))
    board = px_per_m * 16 // 100
    grain = _grain((height, width), rng, along=True)
    tint = np.empty((height, width), np.float32)
    for row, y in enumerate(range(0, height, board)):
        length, x = int(px_per_m * 1.9), -int(rng.integers(0, int(px_per_m * 1.9)))
        while x < width:
            tint[y : y + board, max(0, x) : max(0, x + length)] = rng.normal(1.0, 0.085)
            if 0 < x < width:
                tint[y : y + board, x : x + 2] = 0.55
            x += length
        tint[y : y + 2] = 0.6 + 0.04 * (row % 2)
    return lit(image, tint * (1 + 0.035 * grain))


def boards(width: int, height: int, colour: Colour, every: int, rng: np.random.Generator) -> Image:
    """Upright boards with dark joints."""
    image = blank(width, height, colour)
    tint = np.ones((height, width), np.float32)
    for x in range(0, width, every):
        tint[:, x : x + every] = rng.normal(1.0, 0.06)
        tint[:, x : x + 2] = 0.55
    tint *= 1 + 0.03 * _grain((height, width), rng, along=False)
    return lit(image, tint)


def bricks(width: int, height: int, colour: Colour, brick: tuple[int, int], rng: np.random.Generator) -> Image:
    image = blank(width, height, dimmed(colour, 0.55))
    long, tall = brick
    for row, y in enumerate(range(0, height, tall)):
        for x in range(-(long // 2) * (row % 2), width, long):
            k = float(rng.normal(1.0, 0.13))
            cv2.rectangle(
                image,
                (x + 1, y + 1),
                (x + long - 2, y + tall - 2),
                (int(min(255, colour[2] * k)), int(min(255, colour[1] * k)), int(min(255, colour[0] * k)), 255),
                -1,
            )
    noise = 1 + 0.05 * _grain((height, width), rng, along=True)
    return lit(image, noise)


def dimmed(colour: Colour, k: float) -> Colour:
    return (colour[0] * k, colour[1] * k, colour[2] * k)


def pleats(width: int, height: int, colour: Colour, every: int) -> Image:
    """Hanging cloth."""
    wave = 0.8 + 0.22 * np.sin(np.arange(width) * 2 * np.pi / every)
    fall = np.linspace(1.05, 0.75, height)[:, None]
    return lit(blank(width, height, colour), (fall * wave[None, :]).astype(np.float32))


def plate(text: str, number: str, colour: Colour) -> Image:
    """A potter's name plate: the number on its colour, the name on white."""
    image = blank(420, 120, (240, 234, 220))
    image[:, :110] = (colour[2], colour[1], colour[0], 255)
    write(image, number, (55, 60), 88, (255, 255, 255))
    write(image, text, (262, 60), 52 if len(text) < 11 else 40, (40, 34, 30))
    image[:6] = image[-6:] = (60, 60, 66, 255)
    return image


def card(text: str) -> Image:
    image = blank(300, 90, (244, 238, 224))
    write(image, text, (150, 42), 46, (44, 36, 34))
    image[-10:] = (48, 60, 170, 255)
    return image


def scoreboard(rows: list[tuple[str, str, Colour]], clock: str) -> Image:
    image = blank(900, 520, (20, 24, 30))
    cv2.rectangle(image, (6, 6), (893, 513), (66, 58, 50, 255), 6)
    write(image, "FINAL ROUND", (190, 56), 44, (236, 200, 120))
    write(image, clock, (790, 56), 48, (240, 110, 90))
    for i, (name, score, colour) in enumerate(rows):
        y = 110 + i * 98
        cv2.rectangle(image, (30, y), (870, y + 84), (52, 44, 36, 255), -1)
        cv2.rectangle(image, (30, y), (114, y + 84), (int(colour[2]), int(colour[1]), int(colour[0]), 255), -1)
        write(image, str(i + 1), (72, y + 42), 60, (255, 255, 255))
        write(image, name, (390, y + 42), 52, (238, 236, 230))
        write(image, score, (786, y + 42), 56, (250, 214, 120))
    return image
