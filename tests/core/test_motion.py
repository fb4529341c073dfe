"""Travel time: checked against a simulation that knows nothing of the formula."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.aim import Aim
from ribalta.core.motion.travel import AxisMotion, HeadMotion


def simulated_s(axis: AxisMotion, distance: float, velocity: float, step_s: float = 0.0005) -> float:
    """Drive a double integrator with full thrust or full brakes until it stands at the goal."""
    x, v, t = 0.0, velocity, 0.0
    while abs(distance - x) > 0.02 or abs(v) > axis.acceleration * step_s * 2:
        left = distance - x
        stopping = v * abs(v) / (2 * axis.acceleration)
        push = axis.acceleration if left > stopping else -axis.acceleration
        v = max(-axis.speed, min(axis.speed, v + push * step_s))
        x += v * step_s
        t += step_s
        assert t < 60
    return t


@given(st.floats(-120, 120), st.floats(-60, 60))
def test_travel_time_is_what_a_simulated_axis_needs(distance, velocity):
    axis = AxisMotion(60.0, 90.0)
    assert axis.travel_s(distance, velocity) == pytest.approx(simulated_s(axis, distance, velocity), abs=0.06)


@given(st.floats(0.001, 100), st.floats(0.001, 100))
def test_farther_never_takes_less(a, b):
    axis = AxisMotion(60.0, 90.0)
    near, far = sorted((a, b))
    assert axis.travel_s(near) <= axis.travel_s(far)


def test_the_slowest_axis_decides_and_nothing_to_do_takes_no_time():
    head = HeadMotion()
    here = Aim(0, 0, 0)
    assert head.travel_s(here, here) == 0
    assert head.travel_s(here, Aim(10, 0, 1)) == head.travel_s(here, Aim(0, 0, 1))
    assert head.travel_s(here, Aim(90, 0, 0.1)) == head.travel_s(here, Aim(90, 0, 0))
