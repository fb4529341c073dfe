"""The Clay Cup hall: its walls and floor, and the order in which all of it is painted."""

import json
from collections.abc import Iterator

import cv2
import numpy as np

from ribalta.standins.hall import furniture, plan, surfaces, values
from ribalta.standins.hall import textures as tx
from ribalta.standins.hall.furniture import Piece, east, rectangle, up
from ribalta.standins.hall.paint import Canvas, pyramid
from ribalta.standins.hall.people import seated_trunks
from ribalta.standins.hall.plan import BANNER, POTTERS, SCORES
from ribalta.standins.hall.surfaces import walls_and_floor
from ribalta.standins.hall.values import Image
from ribalta.standins.hall.view import Points
from ribalta.standins.kept import kept


class Room:
    """Paints itself for any view. Its walls and its floor are kept for the next time."""

    def __init__(self) -> None:
        baked = kept("hall", (furniture, plan, surfaces, tx, values), walls_and_floor)
        rng = np.random.default_rng()
        rng.bit_generator.state = json.loads(str(baked["chance"]))
        count = sum(name.startswith("corners") for name in baked)
        self._surfaces = [(baked[f"corners{k}"], pyramid(baked[f"image{k}"])) for k in range(count)]
        self._pieces: list[Piece] = []
        self._signs()
        for i in range(len(POTTERS)):
            self._pieces += furniture.place_of_potter(i)
        self._pieces += [*furniture.jury(), *furniture.kiln(), *furniture.shelf(rng), *furniture.bench()]
        self._pieces += furniture.house(rng)

    def paint(self, canvas: Canvas) -> Iterator[None]:
        """All that never moves, far things first, a piece a step; the mask is white where a front piece shows."""
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
        furnished = canvas.image.copy()
        Canvas(canvas.view, canvas.image).soft(seated_trunks())
        if canvas.mask is not None:
            cv2.copyTo(furnished, canvas.mask, canvas.image)

    def _panel(self, at: tuple[float, float, float], corners: Points, image: Image, front: bool = False) -> None:
        levels = pyramid(image)
        self._pieces.append(Piece(at, lambda c: c.textured(corners, levels), front))

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
