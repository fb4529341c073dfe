"""What a machine holds, by what a frame of program costs it."""

from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.frames import RATES
from ribalta.core.readiness.holding import FrameCost, holding_words, holds, most_held
from ribalta.media.outputs.frame_costs import frame_costs

SECONDS = st.floats(0.0001, 0.1)
COSTS = st.builds(FrameCost, SECONDS, SECONDS)


@given(COSTS, st.integers(1, 16))
def test_what_is_held_at_a_rate_is_held_at_every_lower_one_and_by_more_cores(cost, cores):
    held = [name for name, rate in sorted(RATES.items(), key=lambda item: item[1]) if holds(cost, rate, cores)]
    assert held == [name for name, _ in sorted(RATES.items(), key=lambda item: item[1])][: len(held)]
    assert all(holds(cost, RATES[name], cores + 1) for name in held)


def test_it_is_said_in_words():
    costs = {"720": FrameCost(0.002, 0.006), "1080": FrameCost(0.004, 0.024)}
    assert most_held(costs, 2) == {"720": "60", "1080": "30"}
    assert (
        holding_words(costs, 2)
        == "holds 1280x720 at 60 and 1920x1080 at 30 but not at 50, with two overlays and recording"
    )
    assert holding_words({"1080": FrameCost(0.1, 0.1)}, 2).startswith("holds 1920x1080 at no rate")


def test_this_machine_is_measured():
    costs = frame_costs()
    assert set(costs) == {"720", "1080"}
    assert all(0 < cost.composed_s < 1 and 0 < cost.encoded_s < 1 for cost in costs.values())
