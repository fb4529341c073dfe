"""The people of the Clay Cup final, and how they move. All are invented.

A figure is a set of soft forms hung on a few joints; the joints are placed from the time alone, so every camera
sees the same moment. Forms that lie in front of a wheel or table (arms) are kept apart from the trunk.
"""

import functools
import math
from dataclasses import dataclass, replace

import numpy as np

from ribalta.standins.hall.paint import SoftForms, tone
from ribalta.standins.hall.plan import HOST_SPOTS, JURORS, JURY_X, POTTER_Y, POTTERS, TABLE_TOP, WHEEL_TOP, WHEEL_Y
from ribalta.standins.hall.values import Colour
from ribalta.standins.hall.view import Points

UP = np.array([0.0, 0.0, 1.0])
STAGES = 3


@dataclass(frozen=True)
class Looks:
    skin: Colour
    hair: Colour
    shirt: Colour
    trousers: Colour
    apron: Colour | None = None
    long_hair: bool = False
    beard: bool = False


POTTER_LOOKS = (
    Looks((232, 178, 144), (96, 46, 28), (226, 222, 212), (48, 58, 86), (206, 66, 46), long_hair=True),
    Looks((214, 154, 116), (40, 30, 26), (96, 118, 146), (62, 56, 52), (44, 112, 190), beard=True),
    Looks((122, 82, 58), (34, 27, 26), (214, 188, 130), (58, 62, 74), (226, 164, 34), long_hair=True),
    Looks((240, 196, 166), (190, 156, 88), (120, 142, 122), (78, 62, 48), (52, 148, 88)),
)
JUROR_LOOKS = (
    Looks((238, 190, 158), (132, 54, 30), (62, 92, 78), (40, 40, 46), long_hair=True),
    Looks((226, 176, 146), (168, 168, 172), (122, 40, 66), (40, 40, 46), long_hair=True),
    Looks((130, 86, 60), (36, 30, 28), (52, 78, 124), (40, 40, 46), beard=True),
)
HOST_LOOKS = Looks((176, 122, 88), (40, 33, 30), (36, 56, 108), (34, 38, 58))


@dataclass(frozen=True)
class Body:
    """Joints in the world; pairs are left, right. `facing_deg` is the trunk's, `look_deg` and `nod_deg` the head's."""

    hips: Points
    chest: Points
    head: Points
    shoulders: Points
    elbows: Points
    hands: Points
    knees: Points
    feet: Points
    facing_deg: float
    look_deg: float
    nod_deg: float


def heading(deg: float) -> tuple[Points, Points]:
    """Forward and right of somebody who faces a compass heading."""
    a = math.radians(deg)
    return np.array([math.sin(a), math.cos(a), 0.0]), np.array([math.cos(a), -math.sin(a), 0.0])


def _pair(middle: Points, right: Points, apart: float) -> Points:
    return np.stack([middle - right * apart, middle + right * apart])


def _body(
    foot: tuple[float, float],
    hips_m: float,
    facing_deg: float,
    lean_m: float,
    hands: Points,
    seated: bool,
    look_deg: float,
    nod_deg: float,
) -> Body:
    forward, right = heading(facing_deg)
    hips = np.array([foot[0], foot[1], hips_m])
    chest = hips + UP * 0.42 + forward * lean_m
    shoulders = _pair(chest + UP * 0.06, right, 0.19)
    outward = np.stack([-right, right])
    elbows = (shoulders + hands) / 2 - UP * 0.13 + outward * 0.08 - forward * 0.03
    if seated:
        knees = _pair(hips + forward * 0.42 - UP * 0.02, right, 0.2)
        feet = _pair(hips + forward * 0.46 - UP * (hips_m - 0.05), right, 0.2)
    else:
        knees = _pair(hips - UP * 0.46 + forward * 0.02, right, 0.1)
        feet = _pair(hips - UP * (hips_m - 0.05), right, 0.11)
    head = chest + UP * 0.295 + forward * (0.045 + lean_m * 0.3)
    return Body(hips, chest, head, shoulders, elbows, hands, knees, feet, facing_deg, look_deg, nod_deg)


def potter(i: int, t: float) -> Body:
    _, x, _ = POTTERS[i]
    phase = i * 1.7
    grow = 0.5 + 0.5 * math.sin(t * 0.35 + phase)
    bob = 0.02 * math.sin(t * 1.9 + phase)
    wide = 0.135 + 0.02 * math.sin(t * 0.8 + phase)
    hand_z = WHEEL_TOP + 0.1 + 0.12 * grow + bob
    hands = np.array([[x + wide, WHEEL_Y + 0.06, hand_z], [x - wide, WHEEL_Y + 0.04, hand_z - 0.02]])
    glance = max(0.0, math.sin(t * 0.23 + phase * 2)) ** 6
    look = 180 + 26 * glance * math.sin(phase * 5)
    return _body((x, POTTER_Y), 0.6, 180, 0.17, hands, True, look, 16 - 14 * glance)


def clay(i: int, t: float) -> tuple[tuple[float, float, float], Points, Colour]:
    """Where the clay on a wheel is, its outline now and its colour."""
    _, x, _ = POTTERS[i]
    grow = 0.5 + 0.5 * math.sin(t * 0.35 + i * 1.7)
    tall = 0.12 + 0.16 * grow
    k = np.linspace(0, 1, 6)
    shapes = (
        0.13 - 0.05 * k * grow,
        0.12 + 0.04 * np.sin(k * np.pi) * grow - 0.03 * k,
        0.1 + 0.09 * k * grow,
        0.11 + 0.05 * np.sin(k * 3.6) * grow,
    )
    wobble = 1 + 0.015 * np.sin(t * 9 + k * 5)
    colours: tuple[Colour, ...] = ((176, 112, 76), (158, 136, 116), (140, 96, 68), (190, 176, 154))
    return (x, WHEEL_Y, WHEEL_TOP), np.stack([shapes[i] * wobble, k * tall], axis=1), colours[i]


def juror(i: int, t: float) -> Body:
    _, y = JURORS[i]
    phase = i * 2.3
    talk = max(0.0, math.sin(t * 0.31 + phase)) ** 2
    lift = 0.05 * talk * (1 + math.sin(t * 2.6 + phase))
    hands = np.array([[JURY_X - 0.62, y - 0.17, TABLE_TOP + 0.05], [JURY_X - 0.6, y + 0.16, TABLE_TOP + 0.05 + lift]])
    look = 262 + 24 * math.sin(t * 0.21 + phase) ** 3
    return _body((JURY_X, y), 0.56, 270, 0.05, hands, True, look, 4 + 4 * math.sin(t * 0.9 + phase))


def host(t: float) -> Body:
    """Walks between the two spots: twelve seconds on each, four on the way."""
    cycle = t % 32
    a, b = (np.array(s) for s in HOST_SPOTS)
    way = min(1.0, max(0.0, (cycle - 12) / 4)) - min(1.0, max(0.0, (cycle - 28) / 4))
    spot = a + (b - a) * (way * way * (3 - 2 * way))
    walking = 0 < way < 1
    facing = 180.0 if not walking else (100.0 if cycle < 20 else 280.0)
    forward, right = heading(facing)
    base = np.array([spot[0] + 0.02 * math.sin(t * 1.3), spot[1], 0.0])
    mic = base + UP * 1.34 + forward * 0.2 - right * 0.05
    other = base + UP * (1.08 + 0.08 * math.sin(t * 2.1)) + forward * 0.22 + right * 0.22
    look = facing + 8 * math.sin(t * 0.7)
    body = _body((float(base[0]), float(base[1])), 0.93, facing, 0.0, np.stack([mic, other]), False, look, 2)
    if not walking:
        return body
    swing = 0.22 * math.sin(t * 6)
    feet = body.feet + np.stack([forward * swing, -forward * swing])
    knees = body.knees + np.stack([forward * (swing * 0.6 + 0.05), forward * (0.05 - swing * 0.6)])
    return replace(body, feet=feet, knees=knees)


def _trunk(forms: SoftForms, body: Body, looks: Looks) -> None:
    facing, side = heading(body.facing_deg)
    for i in range(2):
        forms.add([body.knees[i], body.feet[i]], [0.085, 0.06], looks.trousers)
        forms.add([body.feet[i], body.feet[i] + facing * 0.13], [0.06, 0.045], (44, 34, 30), 3)
        forms.add([body.hips + side * (0.1 * (2 * i - 1)), body.knees[i]], [0.12, 0.09], looks.trousers)
    hips = [body.hips - side * 0.1, body.hips + side * 0.1]
    chest = [body.chest - side * 0.11, body.chest + side * 0.11]
    forms.add([*hips, *chest, *body.shoulders], [0.145, 0.145, 0.13, 0.13, 0.08, 0.08], looks.shirt)
    neck = [body.chest + UP * 0.1 + facing * 0.01, body.head - UP * 0.09]
    forms.add(neck, [0.058, 0.056], tone(looks.skin, 0.84), 5, 0.05)
    if looks.apron is not None:
        bib = [*(h + facing * 0.09 for h in hips), *(c * 1.0 + facing * 0.085 - UP * 0.02 for c in chest)]
        forms.add(bib, [0.075, 0.075, 0.05, 0.05], looks.apron, 8, 0.1, facing=facing, turned=0.0)
        lap = [*(h + facing * 0.1 for h in hips), *(k + UP * 0.02 for k in body.knees)]
        forms.add(lap, [0.08, 0.08, 0.08, 0.08], tone(looks.apron, 0.9), 6, 0.1, facing=facing, turned=-0.3)
    else:
        shirt = [body.chest + facing * 0.1 + UP * 0.1, body.chest + facing * 0.13 - UP * 0.16]
        forms.add(shirt, [0.056, 0.022], (232, 228, 220), 4, 0.05, facing=facing, turned=0.2)
        if not looks.long_hair:
            tie = [body.chest + facing * 0.15 + UP * 0.06, body.chest + facing * 0.15 - UP * 0.15]
            forms.add(tie, [0.016, 0.024], (176, 52, 46), 3, 0.05, facing=facing, turned=0.2)


@functools.cache
def _head(looks: Looks) -> SoftForms:
    """A head in its own axes: x to its right, y up, z out of its face."""
    forms = SoftForms()
    at = _spot
    crown = [at(0, 0.05, -0.035), at(0, 0.066, -0.005), at(-0.03, 0.045, -0.02), at(0.03, 0.045, -0.02)]
    crown_radii = [0.11, 0.1, 0.096, 0.096]
    tail = [at(x, y, -0.06) for x, y in ((-0.06, 0.03), (0.06, 0.03), (-0.085, -0.13), (0.085, -0.13))]

    def hair(towards: float) -> None:
        way = (0.0, 0.0, towards)
        if looks.long_hair:
            forms.add(tail, [0.07, 0.07, 0.04, 0.04], tone(looks.hair, 0.85), 6, 0.08, facing=way, turned=-0.12)
        forms.add(crown, crown_radii, looks.hair, 8, 0.1, facing=way, turned=-0.12)

    hair(1)
    for sign in (-1, 1):
        forms.add([at(sign * 0.1, -0.005, -0.005)], [0.024], tone(looks.skin, 0.9), 3, 0.05, 2.0)
    face = [at(0, 0.03, 0.0), at(0, -0.02, 0.02), at(0, -0.066, 0.03)]
    forms.add(face, [0.1, 0.088, 0.06], looks.skin, 12, 0.06)
    _features(forms, looks)
    hair(-1)
    return forms.freeze()


def _spot(right_m: float, up_m: float, out_m: float) -> Points:
    return np.array([right_m, up_m, out_m])


def _features(forms: SoftForms, looks: Looks) -> None:
    """Hairline, eyes, brows, nose and mouth, each only when it is large enough to be seen."""
    at = _spot
    add = functools.partial(forms.add, facing=(0.0, 0.0, 1.0), turned=0.08)
    skin = looks.skin
    for x in (-1, 1):
        lock = [at(0.0, 0.118, 0.045), at(0.045 * x, 0.112, 0.035), at(0.084 * x, 0.07, 0.02)]
        add(lock, [0.026, 0.028, 0.024], looks.hair, 5, 0.1, 1.6)
    if looks.beard:
        jaw = [at(-0.066, -0.045, 0.03), at(-0.036, -0.1, 0.05), at(0.036, -0.1, 0.05), at(0.066, -0.045, 0.03)]
        add(jaw, [0.022, 0.034, 0.034, 0.022], looks.hair, 5, 0.08, 1.6)
        add([at(-0.028, -0.042, 0.09), at(0.028, -0.042, 0.09)], [0.011, 0.011], looks.hair, 3, 0.08, 1.2)
    for x in (-1, 1):
        white = [at(x * 0.037 - 0.009, 0.014, 0.086), at(x * 0.037 + 0.009, 0.014, 0.086)]
        add(white, [0.009, 0.009], (242, 238, 232), 1, 0, 1.3)
        add([at(x * 0.037, 0.013, 0.091)], [0.0085], (70, 48, 36), 1, 0, 1.3)
        add([at(x * 0.037, 0.013, 0.0925)], [0.0045], (18, 14, 14), 1, 0, 1.2)
        add([at(x * 0.037 - 0.003, 0.017, 0.093)], [0.0022], (250, 250, 250), 1, 0, 1.3)
        lid = [at(x * 0.037 - 0.012, 0.024, 0.088), at(x * 0.037 + 0.012, 0.024, 0.088)]
        add(lid, [0.0035, 0.0035], tone(skin, 0.62), 1, 0, 1.3)
        brow = [at(x * 0.02, 0.042, 0.092), at(x * 0.056, 0.044, 0.078)]
        add(brow, [0.0055, 0.004], tone(looks.hair, 0.8), 1, 0, 1.0)
    add([at(0, 0.012, 0.092), at(0, -0.02, 0.106)], [0.009, 0.0145], tone(skin, 0.98), 5, 0.06, 1.5)
    lips = tone((178, 90, 82), 0.55 + 0.45 * skin[0] / 240)
    add(
        [at(-0.022, -0.055, 0.083), at(0, -0.059, 0.09), at(0.022, -0.055, 0.083)],
        [0.004, 0.0065, 0.004],
        lips,
        1,
        0,
        0.9,
    )


def _arms(forms: SoftForms, body: Body, looks: Looks) -> None:
    """The farther arm first: both orders are listed, and the eye's side chooses."""
    _, side = heading(body.facing_deg)
    for way in (side, -side):
        for i in (0, 1) if way is side else (1, 0):
            add = functools.partial(forms.add, facing=way, turned=0.0)
            shoulder, elbow, hand = body.shoulders[i], body.elbows[i], body.hands[i]
            add([shoulder, elbow], [0.076, 0.058], looks.shirt, 8)
            wrist = elbow + (hand - elbow) * 0.84
            add([elbow, wrist], [0.055, 0.038], looks.skin if looks.apron else looks.shirt, 8, 0.1)
            add([wrist, hand], [0.036, 0.045], looks.skin, 6, 0.1)
            inward = body.hands[1 - i] - hand
            inward = inward / (float(np.linalg.norm(inward)) + 1e-9)
            thumb = [hand + UP * 0.03, hand + inward * 0.045 + UP * 0.045]
            add(thumb, [0.02, 0.015], tone(looks.skin, 1.03), 4, 0.08, 2.5)


def _placed_head(body: Body, looks: Looks) -> SoftForms:
    forward, right = heading(body.look_deg)
    nod = math.radians(body.nod_deg)
    up, out = math.cos(nod) * UP + math.sin(nod) * forward, math.cos(nod) * forward - math.sin(nod) * UP
    return _head(looks).placed(body.head, np.stack([right, up, out]))


@functools.cache
def seated_trunks() -> SoftForms:
    """Of all who sit. They never move, so they can be painted with the room."""
    trunks = []
    for body, looks in _seated(0.0):
        trunk = SoftForms()
        _trunk(trunk, body, looks)
        trunks.append([trunk.freeze()])
    return SoftForms.join(trunks)


def _seated(t: float) -> list[tuple[Body, Looks]]:
    potters = [(potter(i, t), looks) for i, looks in enumerate(POTTER_LOOKS)]
    return potters + [(juror(i, t), looks) for i, looks in enumerate(JUROR_LOOKS)]


@dataclass(frozen=True)
class Moment:
    """Everybody at one time, for any number of cameras; the trunks of those who sit are with the room.

    `people` come in STAGES: heads, which a wheel or a table may hide; arms, in front of it and of the clay; the host.
    """

    people: SoftForms
    clay: tuple[tuple[tuple[float, float, float], Points, Colour], ...]


def moment(t: float) -> Moment:
    seated = _seated(t)
    figures = [[_placed_head(body, looks)] for body, looks in seated]
    for body, looks in seated:
        arms = SoftForms()
        _arms(arms, body, looks)
        figures.append([arms.freeze()])
    stage_of = [0] * len(seated) + [1] * len(seated) + [2]
    people = SoftForms.join([*figures, _host(host(t))], stage_of)
    return Moment(people, tuple(clay(i, t) for i in range(4)))


def _host(body: Body) -> list[SoftForms]:
    trunk, arms = SoftForms(), SoftForms()
    _trunk(trunk, body, HOST_LOOKS)
    top = body.hands[0] + UP * 0.09
    arms.add([body.hands[0] - UP * 0.06, top], [0.014, 0.017], (40, 40, 44), 3, 0.1, 0.8)
    arms.add([top + UP * 0.025], [0.028], (74, 74, 80), 5, 0.3, 0.8)
    _arms(arms, body, HOST_LOOKS)
    return [trunk.freeze(), _placed_head(body, HOST_LOOKS), arms.freeze()]
