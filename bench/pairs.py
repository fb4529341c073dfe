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
from ribalta.standins.cameras import BUILDS
from ribalta.standins.hall.people import moment
from ribalta.standins.hall.picture import HallPicture
from ribalta.standins.hall.room import Room
from ribalta.standins.hall.view import View

SIZE = (960, 540)
SMALL = (480, 270)
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
    out = np.empty((SIZE[1], SIZE[0], 4), np.uint8)
    HallPicture(room).paint(view, moment(at_s), out)
    return np.asarray(cv2.resize(out[..., :3], SMALL, interpolation=cv2.INTER_AREA), np.uint8)


def lit(picture: Picture, gain: float, slope: float) -> Picture:
    """The picture in other light, which falls from one side by `slope`."""
    side = 1 + slope * (np.linspace(-1, 1, picture.shape[1])[None, :, None])
    return np.clip(picture * gain * side, 0, 255).astype(np.uint8)


def through_jpeg(picture: Picture, quality: int) -> Picture:
    return np.asarray(cv2.imdecode(cv2.imencode(".jpg", picture, [cv2.IMWRITE_JPEG_QUALITY, quality])[1], 1), np.uint8)


def pairs(count: int, seed: int = 3, furthest: float = FURTHEST, lean_deg: float = 1.5) -> Iterator[Pair]:
    """Around the demo's framings, the cameras by turns; every eighth pair shows the same aim."""
    rng, room = random.Random(seed), Room()
    show = clay_cup()
    cameras = {c.id: c for c in show.cameras}
    builds = {f"c{b.number}": b for b in BUILDS}
    for k in range(count):
        framing = rng.choice([f for f in show.framings if cameras[f.camera_id].number == 1 + k % 4])
        build = builds[framing.camera_id]
        hfov = build.hfov_deg(framing.zoom)
        view = View(build.mount, framing.pan_deg, framing.tilt_deg, hfov, *SIZE)
        far = 0.0 if k % 8 == 7 else rng.uniform(0, furthest)
        way = rng.uniform(0, 2 * np.pi)
        turn = rng.uniform(-lean_deg, lean_deg)
        growth = rng.uniform(0.97, 1.03)
        half = np.degrees(np.arctan(np.tan(np.radians(hfov / 2)) / growth))
        sign = -1 if build.mount.hung else 1
        leant = replace(build.mount, roll_deg=sign * turn)
        aside, lift = far * np.cos(way), far * np.sin(way)
        tangent = 2 * np.tan(np.radians(hfov / 2))
        other = View(
            leant,
            framing.pan_deg + sign * np.degrees(np.arctan(aside * tangent)) / max(0.3, np.cos(np.radians(framing.tilt_deg))),
            framing.tilt_deg + sign * np.degrees(np.arctan(lift * tangent)),
            2 * float(half),
            *SIZE,
        )
        if not -30 <= other.tilt_deg <= 90:
            continue
        matrix = view.homography_to(other)
        middle = matrix @ np.array([SIZE[0] / 2, SIZE[1] / 2, 1.0])
        at = middle[:2] / middle[2] - np.array(SIZE) / 2
        top = matrix @ np.array([SIZE[0] / 2, SIZE[1] / 2 - 1, 1.0])
        up = top[:2] / top[2] - middle[:2] / middle[2]
        start_s = rng.uniform(0, 600)
        stored = through_jpeg(_painted(room, view, start_s), 88)
        live = lit(_painted(room, other, start_s + rng.uniform(1, 300)), rng.uniform(1 - LIGHT, 1 + LIGHT), rng.uniform(-0.1, 0.1))
        yield Pair(
            build.number,
            build.mount.hung,
            stored,
            live,
            hfov,
            100 * at[0] / SIZE[0],
            100 * at[1] / SIZE[0],
            float(np.degrees(np.arctan2(up[0], -up[1]))),
            float(np.hypot(*up)),
        )
