"""The things in the hall that do not move, each as a piece that paints itself."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ribalta.standins.hall import textures as tx
from ribalta.standins.hall.paint import Canvas, SoftForms, pyramid, tone
from ribalta.standins.hall.plan import (
    BENCH_TOP,
    BENCH_X,
    BENCH_Y,
    JURORS,
    JURY_X,
    POTTER_Y,
    POTTERS,
    TABLE_TOP,
    TABLE_X,
    WHEEL_TOP,
    WHEEL_Y,
)
from ribalta.standins.hall.values import Colour, Image
from ribalta.standins.hall.view import Points


@dataclass(frozen=True)
class Piece:
    """A thing in the room. `front`: it stands between the house and someone who sits."""

    at: tuple[float, float, float]
    draw: Callable[[Canvas], None]
    front: bool = False


def profile(*rows: tuple[float, float]) -> Points:
    return np.array(rows)


def vase(height: float, belly: float, neck: float) -> Points:
    """A smooth turned outline: foot, belly, neck and lip."""
    t = np.linspace(0, 1, 9)
    radius = belly * (0.55 + 0.45 * np.sin(np.pi * (0.12 + 0.86 * t)) ** 1.0)
    radius = np.where(t > 0.72, neck + (radius - neck) * np.clip((0.92 - t) / 0.2, 0, 1) ** 1.4, radius)
    radius[-1] = neck * 1.25
    return np.stack([radius, t * height], axis=1)


def bowl(height: float, rim: float) -> Points:
    t = np.linspace(0, 1, 7)
    return np.stack([rim * (0.38 + 0.62 * t**0.6), t * height], axis=1)


def rectangle(corner: tuple[float, float, float], across: Points, down: Points) -> Points:
    """(4, 3) from the top left corner clockwise."""
    start = np.array(corner)
    return np.stack([start, start + across, start + across + down, start + down])


def east(metres: float) -> Points:
    return np.array([metres, 0, 0])


def north(metres: float) -> Points:
    return np.array([0, metres, 0])


def up(metres: float) -> Points:
    return np.array([0, 0, metres])


def place_of_potter(i: int) -> list[Piece]:
    pieces = []
    name, x, colour = POTTERS[i]
    drum = profile((0.3, 0.0), (0.34, 0.1), (0.36, 0.5), (0.46, 0.56), (0.47, 0.66), (0.44, 0.68))
    wheel = profile((0.09, 0.66), (0.24, 0.69), (0.245, WHEEL_TOP))

    def draw_wheel(c: Canvas) -> None:
        c.lathe((x, WHEEL_Y, 0), drum, (206, 196, 176), 0.1)
        c.lathe((x, WHEEL_Y, 0), profile((0.42, 0.672), (0.42, 0.676)), (120, 96, 72), 0.0)
        c.lathe((x, WHEEL_Y, 0), wheel, (150, 150, 154), 0.3)

    def draw_stool(c: Canvas) -> None:
        c.lathe((x, POTTER_Y, 0), profile((0.2, 0.0), (0.17, 0.42), (0.24, 0.44), (0.24, 0.5)), (92, 58, 34), 0.1)

    def draw_side(c: Canvas) -> None:
        sx, sy = x + 0.98, WHEEL_Y + 0.1
        for dx in (-0.26, 0.26):
            for dy in (0.26, -0.26):
                c.box((sx + dx, sy + dy, 0), (0.06, 0.06, 0.56), (132, 88, 50))
        c.box((sx, sy, 0.56), (0.64, 0.64, 0.05), (176, 124, 74))
        c.lathe((sx - 0.12, sy + 0.1, 0.61), profile((0.1, 0), (0.13, 0.12), (0.15, 0.24)), (54, 104, 146), 0.25)
        c.lathe((sx + 0.16, sy - 0.12, 0.61), profile((0.1, 0), (0.09, 0.06), (0.05, 0.1), (0.01, 0.11)), (120, 92, 70))

    sign = rectangle((x - 1.12, WHEEL_Y - 0.75, 0.64), east(0.92), up(-0.27))
    levels = pyramid(tx.plate(name, str(i + 1), colour))

    def draw_sign(c: Canvas) -> None:
        c.box((x - 0.66, WHEEL_Y - 0.72, 0), (0.06, 0.04, 0.38), (40, 40, 44))
        c.box((x - 0.66, WHEEL_Y - 0.72, 0.35), (0.96, 0.03, 0.31), (60, 60, 66))
        if c.view.eye[1] < WHEEL_Y - 0.75:
            c.textured(sign, levels)

    pieces.append(Piece((x, POTTER_Y, 0.3), draw_stool))
    pieces.append(Piece((x + 0.98, WHEEL_Y + 0.1, 0.4), draw_side, front=True))
    pieces.append(Piece((x, WHEEL_Y, 0.4), draw_wheel, front=True))
    pieces.append(Piece((x - 0.66, WHEEL_Y - 0.75, 0.6), draw_sign, front=True))
    return pieces


def jury() -> list[Piece]:
    pieces = []
    middle, length = -2.0, 4.3
    cloth = tx.pleats(1300, 230, (122, 30, 52), 44)
    tx.write(cloth, "J  U  R  Y", (650, 112), 150, (238, 202, 140))
    front = rectangle((TABLE_X - 0.36, middle + length / 2, TABLE_TOP - 0.04), north(-length), up(-0.72))
    levels = pyramid(cloth)

    def draw(c: Canvas) -> None:
        c.box((TABLE_X, middle, 0.02), (0.7, length - 0.02, TABLE_TOP - 0.06), (104, 26, 44))
        if c.view.eye[0] < TABLE_X - 0.36:
            c.textured(front, levels)
        c.box((TABLE_X, middle, TABLE_TOP - 0.04), (0.8, length + 0.1, 0.04), (226, 210, 178))

    pieces.append(Piece((TABLE_X, middle, 0.5), draw, front=True))
    for i, (name, y) in enumerate(JURORS):
        pieces.append(Piece((JURY_X + 0.25, y, 0.5), _chair(JURY_X, y)))
        plate = rectangle((TABLE_X - 0.3, y + 0.26, TABLE_TOP + 0.15), north(-0.52), up(-0.15))
        card = pyramid(tx.card(name))

        def draw_card(c: Canvas, plate: Points = plate, card: list[Image] = card, y: float = y) -> None:
            c.box((TABLE_X - 0.27, y, TABLE_TOP), (0.05, 0.52, 0.145), (214, 206, 190))
            if c.view.eye[0] < TABLE_X - 0.3:
                c.textured(plate, card)

        def draw_glass(c: Canvas, y: float = y) -> None:
            c.lathe((TABLE_X - 0.1, y + 0.5, TABLE_TOP), profile((0.03, 0), (0.038, 0.13)), (150, 186, 200), 0.4)

        # nearer than the table itself from every camera in front of it
        pieces.append(Piece((TABLE_X - 0.9, y + 0.01 * i, 0.9), draw_card, front=True))
        pieces.append(Piece((TABLE_X - 0.85, y + 0.5, 0.9), draw_glass, front=True))
    return pieces


def kiln() -> list[Piece]:
    pieces = []
    x, y = -7.4, 6.3
    dome = profile((1.15, 0), (1.18, 0.5), (1.18, 1.2), (1.08, 1.6), (0.85, 1.95), (0.5, 2.18), (0.3, 2.25))
    courses = profile((1.185, 0.0), (1.19, 0.02))

    def draw(c: Canvas) -> None:
        c.lathe((x, y, 0), dome, (150, 74, 48), 0.05)
        for z in np.arange(0.25, 1.3, 0.25):
            c.lathe((x, y, float(z)), courses, (92, 44, 32), 0.0, lid=False)
        c.lathe((x, y, 2.2), profile((0.27, 0), (0.24, 2.6), (0.3, 2.65), (0.3, 2.75)), (92, 92, 98), 0.15)
        aim = np.array([0.62, -0.785])
        side = np.array([0.785, 0.62])
        for wide, colour, out in (
            (0.44, (46, 34, 30), 1.19),
            (0.36, (214, 92, 22), 1.2),
            (0.25, (255, 178, 62), 1.21),
        ):
            middle = np.array([x, y]) + aim * out
            ends = [*(middle - side * wide), *(middle + side * wide)]
            low, high = 0.95 - wide * 0.95, 0.95 + wide * 0.95
            c.plane(
                np.array(
                    [
                        [ends[0], ends[1], high],
                        [ends[2], ends[3], high],
                        [ends[2], ends[3], low],
                        [ends[0], ends[1], low],
                    ]
                ),
                colour,
            )

    pieces.append(Piece((x, y, 1.0), draw))
    return pieces


def shelf(rng: np.random.Generator) -> list[Piece]:
    pieces = []
    left, right, y = 4.9, 8.4, 7.55
    glazes: list[Colour] = [
        (232, 228, 216),
        (74, 132, 146),
        (178, 84, 44),
        (214, 160, 60),
        (120, 52, 66),
        (104, 128, 92),
    ]
    pots = []
    for z in (0.55, 1.15, 1.75, 2.35):
        for x in np.arange(left + 0.35, right - 0.2, 0.42):
            tall = float(rng.uniform(0.18, 0.4))
            shape = vase(tall, tall * 0.45, tall * 0.18) if rng.random() < 0.6 else bowl(tall * 0.6, tall * 0.55)
            pots.append(((float(x), y - 0.12, z + 0.04), shape, glazes[int(rng.integers(len(glazes)))]))

    def draw(c: Canvas) -> None:
        c.plane(rectangle((left, y + 0.25, 2.95), east(right - left), up(-2.9)), (66, 42, 28))
        for x in (left, (left + right) / 2, right):
            c.box((x, y, 0), (0.08, 0.5, 2.95), (128, 82, 46))
        for z in (0.5, 1.1, 1.7, 2.3, 2.9):
            c.box(((left + right) / 2, y, z), (right - left, 0.5, 0.05), (142, 92, 52))
        for at, shape, colour in pots:
            c.lathe(at, shape, colour, 0.3)

    pieces.append(Piece((6.6, y, 1.4), draw))
    return pieces


def bench() -> list[Piece]:
    pieces = []
    x, y, top = BENCH_X, BENCH_Y, BENCH_TOP
    glazes: list[Colour] = [(196, 60, 44), (52, 110, 168), (226, 176, 66), (84, 140, 100)]

    def draw(c: Canvas) -> None:
        for dx in (-0.5, 0.5):
            for dy in (1.0, -1.0):
                c.box((x + dx, y + dy, 0), (0.1, 0.1, top), (110, 74, 44))
        c.box((x, y, top - 0.06), (1.3, 2.3, 0.06), (188, 140, 90))
        for i, colour in enumerate(glazes):
            at = (x - 0.38, y - 0.75 + 0.44 * i, top)
            c.lathe(at, profile((0.1, 0), (0.115, 0.12)), (222, 220, 214), 0.2)
            c.lathe(at, profile((0.1, 0.118), (0.1, 0.122)), colour, 0.0)
        c.lathe((x + 0.2, y + 0.65, top), vase(0.34, 0.16, 0.06), (206, 190, 160), 0.2)
        c.lathe((x + 0.3, y - 0.72, top), bowl(0.13, 0.2), (70, 128, 142), 0.35)
        c.lathe((x + 0.05, y + 0.02, top), profile((0.22, 0), (0.22, 0.05)), (120, 120, 126), 0.2)
        c.lathe((x + 0.05, y + 0.02, top + 0.05), vase(0.3, 0.15, 0.07), (224, 214, 196), 0.25)

    pieces.append(Piece((x, y, 0.8), draw))
    return pieces


def house(rng: np.random.Generator) -> list[Piece]:
    """Tiers with an audience, which sits still in the dark."""
    pieces = []
    clothes: list[Colour] = [(92, 70, 62), (58, 74, 92), (104, 88, 60), (70, 88, 70), (90, 56, 70), (66, 66, 74)]
    skins: list[Colour] = [(224, 176, 144), (190, 138, 102), (136, 92, 64), (98, 66, 48)]
    hairs: list[Colour] = [(46, 34, 28), (92, 60, 36), (150, 116, 70), (120, 120, 122), (30, 26, 26)]

    def one(colours: list[Colour]) -> Colour:
        return tone(colours[int(rng.integers(len(colours)))], 0.7)

    for row in (2, 1, 0):
        z, y = 0.32 * (row + 1), -6.9 - 0.75 * row
        people = SoftForms()
        for x in np.arange(-6.0, 6.2, 0.72):
            sx = float(x + rng.uniform(-0.1, 0.1))
            if rng.random() < 0.14:
                continue
            at = np.array([sx, y, z])
            people.add(
                [_off(at, -0.2, 0, 0.3), _off(at, 0.2, 0, 0.3), _off(at, 0, 0, 0.62)],
                [0.16] * 3,
                one(clothes),
                3,
                0.05,
            )
            people.add([_off(at, 0, -0.02, 0.95)], [0.135], one(hairs), 2, 0.05)
            people.add([_off(at, 0, 0.03, 0.91)], [0.115], one(skins), 3, 0.05)
        people.freeze()

        def sit(c: Canvas, people: SoftForms = people, y: float = y, z: float = z) -> None:
            c.box((0, y, 0), (13, 0.75, z), (74, 50, 34))
            c.soft(people)

        pieces.append(Piece((0, y, 0), sit))
    return pieces


def _chair(x: float, y: float) -> Callable[[Canvas], None]:
    def draw(c: Canvas) -> None:
        c.box((x + 0.3, y, 0.45), (0.08, 0.52, 0.62), (38, 58, 86))
        c.box((x, y, 0.4), (0.5, 0.5, 0.08), (38, 58, 86))

    return draw


def _off(at: Points, x: float, y: float, z: float) -> Points:
    there: Points = at + np.array([x, y, z])
    return there
