"""Pairs of pictures of the stand-ins' hall whose true difference is known: a stored one and one of later.

Between the two people have moved, the light has changed by up to 30 %, and the camera points a little elsewhere.
"""

import random
from collections.abc import Iterator
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from ribalta.demo.clay_cup import clay_cup
from ribalta.standins.cameras import BUILDS, Build
from ribalta.standins.hall.people import moment
from ribalta.standins.hall.picture import HallPicture
from ribalta.standins.hall.room import Room
from ribalta.standins.hall.values import seen
from ribalta.standins.hall.view import View

SIZE = (960, 540)
FURTHEST = 0.25  # of the picture's width
LIGHT = 0.3
Picture = NDArray[np.uint8]


@dataclass(frozen=True)
class Pair:
    """`right` and `down`: where the middle of the stored picture is in the live one, % of the width from its middle.

    `hfov_deg` is of both; `turn_deg` by how much the live camera leans to the right of the stored one.
    """

    camera: int
    hung: bool
    stored: Picture
    live: Picture
    hfov_deg: float
    right: float
    down: float
    turn_deg: float
    growth: float


def _painted(room: Room, view: View, at_s: float) -> Picture:
    out = np.empty((SIZE[1], SIZE[0], 3), np.uint8)
    HallPicture(room).paint(view, moment(at_s), out)
    return seen(out)


def lit(picture: Picture, gain: float, slope: float) -> Picture:
    """The picture in other light, which falls from one side by `slope`."""
    side = 1 + slope * (np.linspace(-1, 1, picture.shape[1])[None, :, None])
    return np.clip(picture * gain * side, 0, 255).astype(np.uint8)


def through_jpeg(picture: Picture, quality: int) -> Picture:
    return np.asarray(cv2.imdecode(cv2.imencode(".jpg", picture, [cv2.IMWRITE_JPEG_QUALITY, quality])[1], 1), np.uint8)


def _aimed(view: View, build: Build, far: float, way: float, turn_deg: float, growth: float) -> View:
    """A view that is off by `far` of the width in a direction, leans and is zoomed."""
    sign = -1 if build.mount.hung else 1
    tangent = 2 * np.tan(np.radians(view.hfov_deg / 2))
    aside, lift = far * np.cos(way) * tangent, far * np.sin(way) * tangent
    level = max(0.3, float(np.cos(np.radians(view.tilt_deg))))
    return View(
        replace(build.mount, roll_deg=sign * turn_deg),
        view.pan_deg + sign * float(np.degrees(np.arctan(aside))) / level,
        view.tilt_deg + sign * float(np.degrees(np.arctan(lift))),
        2 * float(np.degrees(np.arctan(tangent / 2 / growth))),
        *SIZE,
    )


def _seen(view: View, other: View) -> tuple[float, float, float, float]:
    """Where the middle of the first view is in the second (% of its width, right and down), its turn and growth."""
    matrix = view.homography_to(other)
    middle, top = (matrix @ np.array([SIZE[0] / 2, SIZE[1] / 2 - up, 1.0]) for up in (0, 1))
    at, above = middle[:2] / middle[2], top[:2] / top[2]
    right, down = 100 * (at - np.array(SIZE) / 2) / SIZE[0]
    turn = np.degrees(np.arctan2(above[0] - at[0], at[1] - above[1]))
    return float(right), float(down), float(turn), float(np.hypot(*(above - at)))


def pairs(count: int, seed: int = 3, furthest: float = FURTHEST, lean_deg: float = 1.5) -> Iterator[Pair]:
    """Around the demo's framings, the cameras by turns; every eighth pair has no shift."""
    rng, room = random.Random(seed), Room()
    show = clay_cup()
    cameras = {c.id: c for c in show.cameras}
    builds = {f"c{b.number}": b for b in BUILDS}
    for k in range(count):
        framing = rng.choice([f for f in show.framings if cameras[f.camera_id].number == 1 + k % 4])
        build = builds[framing.camera_id]
        hfov = build.hfov_deg(framing.zoom)
        view = View(build.mount, framing.pan_deg, framing.tilt_deg, hfov, *SIZE)
        far, way = (0.0 if k % 8 == 7 else rng.uniform(0, furthest)), rng.uniform(0, 2 * np.pi)
        turn, growth = rng.uniform(-lean_deg, lean_deg), rng.uniform(0.97, 1.03)
        other = _aimed(view, build, far, way, turn, growth)
        seen = _seen(view, other)
        while np.hypot(*seen[:2]) > 100 * furthest:
            far *= 0.95
            other = _aimed(view, build, far, way, turn, growth)
            seen = _seen(view, other)
        start_s = rng.uniform(0, 600)
        stored = through_jpeg(_painted(room, view, start_s), 88)
        live = _painted(room, other, start_s + rng.uniform(1, 300))
        live = lit(live, rng.uniform(1 - LIGHT, 1 + LIGHT), rng.uniform(-0.1, 0.1))
        yield Pair(build.number, build.mount.hung, stored, live, hfov, *seen)
