"""The Clay Cup hall: walls, floor and everything that does not move. Metres; the audience sits to the south."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ribalta.standins.hall import textures as tx
from ribalta.standins.hall.paint import Canvas, Colour, Image, SoftForms, pyramid, tone
from ribalta.standins.hall.view import Points

Shade = NDArray[np.float32]
BANNER = "CLAY CUP   ·   THE THROWING FINAL   ·   LIVE"
WEST, EAST, SOUTH, NORTH, HIGH = -9.0, 9.0, -9.0, 8.0, 6.2

POTTERS: list[tuple[str, float, Colour]] = [
    ("INES CORRIN", -4.8, (206, 66, 46)),
    ("BRAM TOLVEY", -1.6, (44, 112, 190)),
    ("SURI OKANDE", 1.6, (226, 164, 34)),
    ("JORY PELL", 4.8, (52, 148, 88)),
]
SCORES = ["86.5", "91.0", "88.5", "79.0"]
POTTER_Y, WHEEL_Y, WHEEL_TOP = 3.2, 2.5, 0.72
JURORS: list[tuple[str, float]] = [("L. MARROW", -0.6), ("V. ADEYO", -2.0), ("H. QUINT", -3.4)]
JURY_X, TABLE_X, TABLE_TOP = 7.5, 6.6, 0.76
HOST_SPOTS = ((-2.6, -1.8), (2.6, -0.4))
BENCH_X, BENCH_Y, BENCH_TOP = -7.0, -1.2, 0.85


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


class Room:
    """Bakes its surfaces once, from a fixed seed, then paints itself for any view."""

    def __init__(self) -> None:
        rng = np.random.default_rng(7)
        self._surfaces: list[tuple[Points, list[Image]]] = []
        self._pieces: list[Piece] = []
        self._walls(rng)
        self._floor(rng)
        self._signs()
        for i in range(4):
            self._place_of_potter(i)
        self._jury()
        self._kiln()
        self._shelf(rng)
        self._bench(rng)
        self._house(rng)

    def paint(self, canvas: Canvas) -> Iterator[None]:
        """Everything, far things first, a piece a step; the canvas's mask is white where a front piece shows."""
        eye = canvas.view.eye
        canvas.image[:] = (22, 20, 20, 255)
        for corners, levels in self._surfaces:
            normal = np.cross(corners[1] - corners[0], corners[3] - corners[0])
            if normal @ (eye - corners[0]) < 0:
                canvas.textured(corners, levels)
                yield
        for piece in sorted(self._pieces, key=lambda p: -float(np.hypot(*(np.array(p.at) - eye)[:2]))):
            canvas.mask_ink = 255 if piece.front else 0
            piece.draw(canvas)
            yield

    def _surface(self, corners: Points, image: Image) -> None:
        self._surfaces.append((corners, pyramid(image)))

    def _panel(self, at: tuple[float, float, float], corners: Points, image: Image, front: bool = False) -> None:
        levels = pyramid(image)
        self._pieces.append(Piece(at, lambda c: c.textured(corners, levels), front))

    def _add(self, at: tuple[float, float, float], draw: Callable[[Canvas], None], front: bool = False) -> None:
        self._pieces.append(Piece(at, draw, front))

    def _walls(self, rng: np.random.Generator) -> None:
        back = tx.boards(2160, 744, (38, 88, 104), 60, rng)
        low = tx.boards(2160, 180, (120, 72, 40), 100, rng)
        back[-180:] = low
        back[-188:-174, :, :3] = (34, 58, 96)
        back[-10:, :, :3] = (16, 22, 34)
        light = tx.glow(back.shape[:2], [(560, 430, 380, 0.5), (1080, 300, 520, 0.55), (1640, 430, 400, 0.5)], 0.5)
        tx.lit(back, light)
        self._surface(rectangle((WEST, NORTH, HIGH), east(18), up(-HIGH)), back)
        side = tx.bricks(1700, 620, (122, 74, 58), (34, 13), rng)
        for x in (380, 800, 1220):
            self._window(side, x)
        tx.lit(side, tx.glow(side.shape[:2], [(1000, 330, 420, 0.5), (300, 300, 260, 0.25)], 0.5))
        self._surface(rectangle((EAST, NORTH, HIGH), north(-17), up(-HIGH)), side)
        west = tx.boards(1700, 620, (44, 62, 74), 70, rng)
        west[-150:] = tx.boards(1700, 150, (98, 62, 38), 90, rng)
        tx.lit(west, tx.glow(west.shape[:2], [(900, 360, 420, 0.45)], 0.42))
        self._surface(rectangle((WEST, SOUTH, HIGH), north(17), up(-HIGH)), west)
        house = tx.boards(1800, 620, (34, 38, 46), 80, rng)
        door = slice(1180, 1290)
        house[380:, door, :3] = (36, 44, 92)
        tx.write(house[330:370, 1195:1275], "EXIT", (40, 18), 30, (90, 240, 140))
        tx.lit(house, tx.glow(house.shape[:2], [(900, 500, 500, 0.3)], 0.55))
        self._surface(rectangle((EAST, SOUTH, HIGH), east(-18), up(-HIGH)), house)

    def _window(self, wall: Image, x: int) -> None:
        height, width = 210, 190
        sky = np.linspace(0, 1, height)[:, None, None]
        dusk = (1 - sky) * np.array([122, 70, 52]) + sky * np.array([110, 150, 226])
        wall[90 : 90 + height, x : x + width, :3] = dusk.astype(np.uint8)
        for stripe in (0, width // 2 - 4, width - 8):
            wall[90 : 90 + height, x + stripe : x + stripe + 8, :3] = (206, 214, 220)
        for stripe in (0, height // 2 - 4, height - 8):
            wall[90 + stripe : 98 + stripe, x : x + width, :3] = (206, 214, 220)

    def _floor(self, rng: np.random.Generator) -> None:
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
        self._surface(rectangle((WEST, NORTH, 0.0), east(18), north(-17)), image)

    def _signs(self) -> None:
        banner = tx.blank(2400, 150, (176, 52, 36))
        tx.write(banner, BANNER, (1200, 72), 88, (250, 236, 206))
        banner[:8, :, :3] = banner[-8:, :, :3] = (206, 226, 244)
        self._panel((0, 7.9, 5.3), rectangle((-8.2, 7.95, 5.75), east(16.4), up(-0.9)), banner)
        rows = [(name, score, colour) for (name, _, colour), score in zip(POTTERS, SCORES, strict=True)]
        board = tx.scoreboard(rows, "12:47")
        self._panel((0, 7.9, 3.6), rectangle((-1.55, 7.93, 4.5), east(3.1), up(-1.8)), board)
        for x in (-4.6, 3.0):
            flag = tx.pleats(240, 420, (228, 218, 196), 80)
            for radius in (78, 54, 30):
                cv2.circle(flag, (120, 150), radius, (46, 66, 190, 255), 14, cv2.LINE_AA)
            tx.write(flag, "CLAY CUP", (120, 320), 46, (150, 44, 34))
            self._panel((x, 7.9, 3.5), rectangle((x, 7.94, 4.6), east(1.15), up(-2.0)), flag)

    def _place_of_potter(self, i: int) -> None:
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
            c.lathe(
                (sx + 0.16, sy - 0.12, 0.61), profile((0.1, 0), (0.09, 0.06), (0.05, 0.1), (0.01, 0.11)), (120, 92, 70)
            )

        sign = rectangle((x - 1.12, WHEEL_Y - 0.75, 0.64), east(0.92), up(-0.27))
        levels = pyramid(tx.plate(name, str(i + 1), colour))

        def draw_sign(c: Canvas) -> None:
            c.box((x - 0.66, WHEEL_Y - 0.72, 0), (0.06, 0.04, 0.38), (40, 40, 44))
            c.box((x - 0.66, WHEEL_Y - 0.72, 0.35), (0.96, 0.03, 0.31), (60, 60, 66))
            if c.view.eye[1] < WHEEL_Y - 0.75:
                c.textured(sign, levels)

        self._add((x, POTTER_Y, 0.3), draw_stool)
        self._add((x + 0.98, WHEEL_Y + 0.1, 0.4), draw_side, front=True)
        self._add((x, WHEEL_Y, 0.4), draw_wheel, front=True)
        self._add((x - 0.66, WHEEL_Y - 0.75, 0.6), draw_sign, front=True)

    def _jury(self) -> None:
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

        self._add((TABLE_X, middle, 0.5), draw, front=True)
        for i, (name, y) in enumerate(JURORS):
            self._add((JURY_X + 0.25, y, 0.5), _chair(JURY_X, y))
            plate = rectangle((TABLE_X - 0.3, y + 0.26, TABLE_TOP + 0.15), north(-0.52), up(-0.15))
            card = pyramid(tx.card(name))

            def draw_card(c: Canvas, plate: Points = plate, card: list[Image] = card, y: float = y) -> None:
                c.box((TABLE_X - 0.27, y, TABLE_TOP), (0.05, 0.52, 0.145), (214, 206, 190))
                if c.view.eye[0] < TABLE_X - 0.3:
                    c.textured(plate, card)

            def draw_glass(c: Canvas, y: float = y) -> None:
                c.lathe((TABLE_X - 0.1, y + 0.5, TABLE_TOP), profile((0.03, 0), (0.038, 0.13)), (150, 186, 200), 0.4)

            # nearer than the table itself from every camera in front of it
            self._add((TABLE_X - 0.9, y + 0.01 * i, 0.9), draw_card, front=True)
            self._add((TABLE_X - 0.85, y + 0.5, 0.9), draw_glass, front=True)

    def _kiln(self) -> None:
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

        self._add((x, y, 1.0), draw)

    def _shelf(self, rng: np.random.Generator) -> None:
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

        self._add((6.6, y, 1.4), draw)

    def _bench(self, rng: np.random.Generator) -> None:
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

        self._add((x, y, 0.8), draw)

    def _house(self, rng: np.random.Generator) -> None:
        """Tiers with an audience, which sits still in the dark."""
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

            self._add((0, y, 0), sit)


def _chair(x: float, y: float) -> Callable[[Canvas], None]:
    def draw(c: Canvas) -> None:
        c.box((x + 0.3, y, 0.45), (0.08, 0.52, 0.62), (38, 58, 86))
        c.box((x, y, 0.4), (0.5, 0.5, 0.08), (38, 58, 86))

    return draw


def _off(at: Points, x: float, y: float, z: float) -> Points:
    there: Points = at + np.array([x, y, z])
    return there


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
