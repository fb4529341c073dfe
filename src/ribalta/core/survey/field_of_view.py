"""How wide a camera sees, from two pictures between which its head turned by a known angle.

Method: the second picture is turned back by the known rotation with a guessed focal length; what shift is left over
against the first, as a share of the whole, corrects the guess. Repeated until nothing is left over.
"""

import math

import numpy as np
from numpy.typing import NDArray

from ribalta.core.base.aim import Aim
from ribalta.core.optics.projection import view_to_mount
from ribalta.core.picture.registration import Grey, seen_through, shift_between

ROUNDS = 8
ENOUGH_PX = 0.03
SURE = 0.04
Matrix = NDArray[np.float64]


def pixels_to_rays(width: int, height: int, hfov_deg: float) -> Matrix:
    """(3, 3) from homogeneous pixels to (right, forward, up)."""
    focal = width / 2 / math.tan(math.radians(hfov_deg) / 2)
    return np.array([[1 / focal, 0, -width / 2 / focal], [0, 0, 1.0], [0, -1 / focal, height / 2 / focal]])


def between(before: Aim, after: Aim, hung: bool, hfov_deg: float, width: int, height: int) -> Matrix:
    """(3, 3) from the first picture's pixels to the second's, for a turn at one field of view."""
    rays = pixels_to_rays(width, height, hfov_deg)
    turn = view_to_mount(after, hung).T @ view_to_mount(before, hung)
    return np.asarray(np.linalg.inv(rays) @ turn @ rays, np.float64)


def fit_hfov(first: Grey, second: Grey, before: Aim, after: Aim, hung: bool, guess_deg: float) -> float | None:
    """Horizontal field of view in degrees; None when the pictures have too little in common to say."""
    height, width = first.shape
    half_tan = math.tan(math.radians(guess_deg) / 2)
    middle = np.array([width / 2, height / 2, 1.0])
    for _ in range(ROUNDS):
        hfov_deg = math.degrees(2 * math.atan(half_tan))
        to_second = between(before, after, hung, hfov_deg, width, height)
        seen = to_second @ middle
        way = seen[:2] / seen[2] - middle[:2]
        length = float(np.hypot(*way))
        if length < 2 or length > width:
            return None
        left = shift_between(first, seen_through(second, to_second))
        if left.sure < SURE:
            return None
        along = (left.right * way[0] + left.down * way[1]) / length
        half_tan /= max(0.5, min(2.0, 1 + along / length))
        if abs(along) < ENOUGH_PX:
            break
    return math.degrees(2 * math.atan(half_tan))
