"""From the axes of a gamepad to how hard it is pushed: dead zone, response curve, triggers."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

DEAD, BEND = 0.12, 2.2
TRIGGER_DEAD = 0.06
LEFT_SHOULDER, RIGHT_SHOULDER = 4, 5


@dataclass(frozen=True, slots=True)
class Push:
    """-1 to 1 each, right, up and in positive; `live` and `pin` are the shoulder buttons."""

    right: float = 0.0
    up: float = 0.0
    fine_right: float = 0.0
    fine_up: float = 0.0
    zoom: float = 0.0
    live: bool = False
    pin: bool = False

    @property
    def moves(self) -> bool:
        return any((self.right, self.up, self.fine_right, self.fine_up, self.zoom))


def curved(x: float, y: float) -> tuple[float, float]:
    """A stick's two axes, -1 to 1, without the dead zone around its middle, and gentle at first.

    The dead zone is round, so that a push keeps its direction.
    """
    length = math.hypot(x, y)
    if length <= DEAD:
        return 0.0, 0.0
    strength = min(1.0, (length - DEAD) / (1 - DEAD)) ** BEND
    return x / length * strength, y / length * strength


def trigger(value: float) -> float:
    """A trigger's axis, -1 (let go) to 1 (pressed), as 0 to 1."""
    pressed = (value + 1) / 2
    return 0.0 if pressed < TRIGGER_DEAD else ((pressed - TRIGGER_DEAD) / (1 - TRIGGER_DEAD)) ** BEND


def pushed(axes: Sequence[float], buttons: Sequence[bool]) -> Push:
    """Axes in the common order: left stick right and down, left trigger, right stick right and down, right trigger.

    Missing ones count as let go.
    """
    have = [*axes, *(0.0, 0.0, -1.0, 0.0, 0.0, -1.0)[len(axes) :]]
    right, down = curved(have[0], have[1])
    fine_right, fine_down = curved(have[3], have[4])
    zoom = trigger(have[5]) - trigger(have[2])
    down_at = [bool(b) for b in buttons]
    live = len(down_at) > RIGHT_SHOULDER and down_at[RIGHT_SHOULDER]
    pin = len(down_at) > LEFT_SHOULDER and down_at[LEFT_SHOULDER]
    return Push(right, -down, fine_right, -fine_down, zoom, live, pin)
