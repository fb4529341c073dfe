"""When each pixel changes in a wipe: an order from 0 to 1 over the frame, and the mask at a share of the way."""

import functools
import math
from collections.abc import Callable
from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

Order = NDArray[np.float32]
Mask = NDArray[np.uint8]
LEAST_SOFT = 0.002  # of the way: a hard edge is still smooth to the eye
BLINDS = 8


def order_of(shape: str, width: int, height: int) -> Order:
    """When each pixel of a frame changes, (height, width), 0 to 1. Raises KeyError for a shape that there is not."""
    return _order(str(shape), width, height)


@functools.lru_cache(maxsize=24)
def _order(shape: str, width: int, height: int) -> Order:
    x = (np.arange(width, dtype=np.float32) + 0.5) / width
    y = (np.arange(height, dtype=np.float32) + 0.5) / height
    right, down = (np.asarray(part, np.float32) for part in np.meshgrid(x, y))
    order = SHAPES[shape](right, down, width / height)
    order = (order - order.min()) / (order.max() - order.min())
    return np.ascontiguousarray(order, np.float32)


def _from_middle(x: Order) -> Order:
    return np.asarray(np.abs(x - 0.5), np.float32)


def _clock(x: Order, y: Order, aspect: float) -> Order:
    """From twelve o'clock round to the right."""
    turned = np.arctan2((x - 0.5) * aspect, 0.5 - y)
    return np.asarray(np.mod(turned, 2 * math.pi), np.float32)


SHAPES: dict[str, Callable[[Order, Order, float], Order]] = {
    "across": lambda x, y, aspect: x,
    "down": lambda x, y, aspect: y,
    "slant": lambda x, y, aspect: x * aspect + y,
    "doors": lambda x, y, aspect: _from_middle(x),
    "curtain": lambda x, y, aspect: _from_middle(y),
    "box": lambda x, y, aspect: np.maximum(_from_middle(x), _from_middle(y)),
    "circle": lambda x, y, aspect: np.hypot((x - 0.5) * aspect, y - 0.5),
    "diamond": lambda x, y, aspect: _from_middle(x) + _from_middle(y),
    "clock": _clock,
    "blinds": lambda x, y, aspect: np.mod(y * BLINDS, 1.0),
}


def mask_of(order: Order, share: float, softness: float, backwards: bool, out: Mask) -> Mask:
    """How much of the new picture is in each pixel, 0 to 255, into `out` (height, width); `softness` 0 to 1."""
    soft = LEAST_SOFT + softness * (1 - LEAST_SOFT)
    if backwards:  # what would come last comes first
        edge = 1 - share * (1 + soft)
        cv2.addWeighted(order, 255 / soft, order, 0.0, -255 * edge / soft, out, cv2.CV_8U)
    else:
        edge = share * (1 + soft)
        cv2.addWeighted(order, -255 / soft, order, 0.0, 255 * edge / soft, out, cv2.CV_8U)
    return out


class Ease(StrEnum):
    """How a transition gathers speed and loses it."""

    EVEN = "even"
    EASED = "eased"
    SOFT_START = "soft start"
    SOFT_END = "soft end"


def eased(share: float, how: str) -> float:
    """A share of the time as a share of the way, both 0 to 1. Raises ValueError for an easing that there is not."""
    share = min(1.0, max(0.0, share))
    match Ease(how):
        case Ease.EVEN:
            return share
        case Ease.EASED:
            return share * share * (3 - 2 * share)
        case Ease.SOFT_START:
            return share * share
        case Ease.SOFT_END:
            return share * (2 - share)
