"""The hall's walls and floor, baked once: their boards and bricks with rugs, windows, light and shadow in them."""

import json
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ribalta.standins.hall import textures as tx
from ribalta.standins.hall.furniture import east, north, rectangle, up
from ribalta.standins.hall.plan import (
    BENCH_X,
    BENCH_Y,
    EAST,
    HIGH,
    HOST_SPOTS,
    JURY_X,
    NORTH,
    POTTER_Y,
    POTTERS,
    SOUTH,
    TABLE_X,
    WEST,
    WHEEL_Y,
)
from ribalta.standins.hall.values import Colour, Image
from ribalta.standins.hall.view import Points
from ribalta.standins.kept import Arrays

Shade = NDArray[np.float32]
Surface = tuple[Points, Image]


def walls_and_floor() -> Arrays:
    """From a fixed seed: corners from the top left one, what is on them, and where chance has come to."""
    rng = np.random.default_rng(7)
    made: dict[str, NDArray[Any]] = {}
    for k, (corners, image) in enumerate((*_walls(rng), _floor(rng))):
        made |= {f"corners{k}": corners, f"image{k}": image}
    return made | {"chance": np.array(json.dumps(rng.bit_generator.state))}


def _walls(rng: np.random.Generator) -> list[Surface]:
    found: list[Surface] = []
    back = tx.boards(2160, 744, (38, 88, 104), 60, rng)
    low = tx.boards(2160, 180, (120, 72, 40), 100, rng)
    back[-180:] = low
    back[-188:-174, :, :3] = (34, 58, 96)
    back[-10:, :, :3] = (16, 22, 34)
    light = tx.glow(back.shape[:2], [(560, 430, 380, 0.5), (1080, 300, 520, 0.55), (1640, 430, 400, 0.5)], 0.5)
    tx.lit(back, light)
    found.append((rectangle((WEST, NORTH, HIGH), east(18), up(-HIGH)), back))
    side = tx.bricks(1700, 620, (122, 74, 58), (34, 13), rng)
    for x in (380, 800, 1220):
        _window(side, x)
    tx.lit(side, tx.glow(side.shape[:2], [(1000, 330, 420, 0.5), (300, 300, 260, 0.25)], 0.5))
    found.append((rectangle((EAST, NORTH, HIGH), north(-17), up(-HIGH)), side))
    west = tx.boards(1700, 620, (44, 62, 74), 70, rng)
    west[-150:] = tx.boards(1700, 150, (98, 62, 38), 90, rng)
    tx.lit(west, tx.glow(west.shape[:2], [(900, 360, 420, 0.45)], 0.42))
    found.append((rectangle((WEST, SOUTH, HIGH), north(17), up(-HIGH)), west))
    house = tx.boards(1800, 620, (34, 38, 46), 80, rng)
    door = slice(1180, 1290)
    house[380:, door, :3] = (36, 44, 92)
    tx.write(house[330:370, 1195:1275], "EXIT", (40, 18), 30, (90, 240, 140))
    tx.lit(house, tx.glow(house.shape[:2], [(900, 500, 500, 0.3)], 0.55))
    found.append((rectangle((EAST, SOUTH, HIGH), east(-18), up(-HIGH)), house))
    return found


def _window(wall: Image, x: int) -> None:
    height, width = 210, 190
    sky = np.linspace(0, 1, height)[:, None, None]
    dusk = (1 - sky) * np.array([122, 70, 52]) + sky * np.array([110, 150, 226])
    wall[90 : 90 + height, x : x + width, :3] = dusk.astype(np.uint8)
    for stripe in (0, width // 2 - 4, width - 8):
        wall[90 : 90 + height, x + stripe : x + stripe + 8, :3] = (206, 214, 220)
    for stripe in (0, height // 2 - 4, height - 8):
        wall[90 + stripe : 98 + stripe, x : x + width, :3] = (206, 214, 220)


def _floor(rng: np.random.Generator) -> Surface:
    scale = 110
    image = tx.floor(18, 17, scale, rng)

    def at(x: float, y: float) -> tuple[int, int]:
        return int((x - WEST) * scale), int((NORTH - y) * scale)

    def pool(x: float, y: float, spread_m: float, strength: float) -> tuple[float, float, float, float]:
        px, py = at(x, y)
        return float(px), float(py), spread_m * scale, strength

    shadow: Shade = np.zeros(image.shape[:2], np.float32)
    for _, x, colour in POTTERS:
        _rug(image, at(x - 1.4, POTTER_Y + 0.85), at(x + 1.4, POTTER_Y - 2.25), colour)
        for sx, sy, radius in ((x, WHEEL_Y, 0.55), (x, POTTER_Y, 0.42), (x + 0.98, WHEEL_Y + 0.1, 0.4)):
            _dab(shadow, at(sx + 0.06, sy + 0.06), int(radius * scale))
    for hx, hy in HOST_SPOTS:
        _ring(image, at(hx, hy), int(0.55 * scale))
    _slab(shadow, at(TABLE_X - 0.5, 0.2), at(JURY_X + 0.5, -4.2))
    _slab(shadow, at(BENCH_X - 0.8, BENCH_Y + 1.2), at(BENCH_X + 0.75, BENCH_Y - 1.2))
    _slab(shadow, at(-8.7, 7.6), at(-6.2, 5.0))
    _slab(shadow, at(4.6, 8.0), at(8.6, 7.1))
    shadow = np.asarray(cv2.GaussianBlur(shadow, (0, 0), 0.16 * scale), np.float32)
    spots = [pool(x, 2.6, 2.0, 0.42) for _, x, _ in POTTERS]
    spots += [pool(0.0, -1.2, 2.4, 0.42), pool(6.4, -2, 2.0, 0.3), pool(-7, -1.2, 1.6, 0.3)]
    light = tx.glow(image.shape[:2], spots, 0.46) * (1 - 0.6 * np.clip(shadow, 0, 1))
    tx.lit(image, light.astype(np.float32))
    return rectangle((WEST, NORTH, 0.0), east(18), north(-17)), image


def _rug(image: Image, a: tuple[int, int], b: tuple[int, int], colour: Colour) -> None:
    ink = (int(colour[2]), int(colour[1]), int(colour[0]), 255)
    cv2.rectangle(image, a, b, ink, -1)
    inset = 11
    cv2.rectangle(image, (a[0] + inset, a[1] + inset), (b[0] - inset, b[1] - inset), (70, 64, 62, 255), -1)
    region = image[a[1] + inset : b[1] - inset, a[0] + inset : b[0] - inset, :3]
    weave = np.random.default_rng(3).normal(0, 5, region.shape[:2])[..., None]
    region[:] = np.clip(region + weave, 0, 255).astype(np.uint8)


def _ring(image: Image, at: tuple[int, int], radius: int) -> None:
    cv2.circle(image, at, radius, (214, 222, 228, 255), 5, cv2.LINE_AA)


def _dab(shadow: Shade, at: tuple[int, int], radius: int) -> None:
    cv2.circle(shadow, at, radius, 1.0, -1)


def _slab(shadow: Shade, a: tuple[int, int], b: tuple[int, int]) -> None:
    cv2.rectangle(shadow, a, b, 1.0, -1)
