"""From the axes of a gamepad to how hard it is pushed: dead zone, response curve, triggers."""

import math
from dataclasses import dataclass

DEAD, BEND = 0.12, 2.2
TRIGGER_DEAD = 0.06


@dataclass(frozen=True, slots=True)
class Push:
    """-1 to 1 each, right, up and in positive; `live` and `pin` are the shoulder buttons, `buttons` all others that are
    down, by name.
    """

    right: float = 0.0
    up: float = 0.0
    fine_right: float = 0.0
    fine_up: float = 0.0
    zoom: float = 0.0
    live: bool = False
    pin: bool = False
    buttons: frozenset[str] = frozenset()

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
    """How far a trigger is pressed, 0 to 1, without its play and gentle at first."""
    return 0.0 if value < TRIGGER_DEAD else min(1.0, (value - TRIGGER_DEAD) / (1 - TRIGGER_DEAD)) ** BEND


def pushed(
    left: tuple[float, float],
    right: tuple[float, float],
    triggers: tuple[float, float],
    live: bool,
    pin: bool,
    buttons: frozenset[str] = frozenset(),
) -> Push:
    """Sticks as (right, down), -1 to 1; triggers left and right, 0 to 1."""
    coarse, fine = curved(*left), curved(*right)
    zoom = trigger(triggers[1]) - trigger(triggers[0])
    return Push(coarse[0], -coarse[1], fine[0], -fine[1], zoom, live, pin, buttons)
