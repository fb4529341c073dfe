"""Suspend, a clock that is set, summer time: triggers by time of day fire once, and at the right time."""

import pytest

from ribalta.core.engine.loop import Engine
from ribalta.core.engine.state.live import opening_state
from ribalta.core.ports.messages import ClockSet
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.triggers_pads_shortcuts import Trigger, When, WhenKind
from ribalta.media.library.library import MediaLibrary
from tests.core.hand_wound import small_show

HOUR = 3600.0
START = 1000.0  # clock time at which a test begins


def engine(at: str, local: float, utc_offset_s: float = HOUR) -> Engine:
    """A trigger at a time of day, in a show that begins at a local time (seconds of the day)."""
    trigger = Trigger(id="g1", name="Doors", when=When(kind=WhenKind.TIME, at=at), calls=(Call(action="layer.none"),))
    show = small_show().model_copy(update={"triggers": (trigger,)})
    wall_s = 20_000 * 86400.0 + local - utc_offset_s
    return Engine(opening_state(show, START, wall_s, utc_offset_s))


def count(one: Engine) -> int:
    fared = one.state.automation.fired.get("g1")
    return fared.count if fared is not None else 0


def fired_at(one: Engine) -> float:
    return one.state.automation.fired["g1"].last_s


@pytest.mark.parametrize("ahead_s", [-300.0, 300.0])
def test_a_clock_that_is_set_moves_what_waits_on_it(ahead_s):
    one = engine("20:00", 19.5 * HOUR)
    one.advance(START + 60)
    one.report(ClockSet(one.state.wall_clock.offset_s + ahead_s, HOUR), START + 60)
    one.advance(START + HOUR)
    assert count(one) == 1
    assert fired_at(one) == pytest.approx(START + HOUR / 2 - ahead_s)


def test_a_machine_that_slept_is_on_time_and_makes_nothing_up():
    one = engine("20:00", 19.5 * HOUR)
    one.advance(START + 60)
    one.report(ClockSet(one.state.wall_clock.offset_s + 20 * 60, HOUR), START + 61)  # it slept for twenty minutes
    one.advance(START + HOUR)
    assert (count(one), fired_at(one)) == (1, pytest.approx(START + 10 * 60))
    one = engine("20:00", 19.5 * HOUR)
    one.report(ClockSet(one.state.wall_clock.offset_s + 2 * HOUR, HOUR), START + 61)  # past it
    one.advance(START + HOUR)
    assert count(one) == 0
    one.advance(START + 24 * HOUR)
    assert count(one) == 1


def test_as_summer_time_ends_the_hour_that_comes_twice_counts_once():
    one = engine("02:30", 2.25 * HOUR, 2 * HOUR)
    one.advance(START + 0.5 * HOUR)
    assert count(one) == 1
    one.report(ClockSet(one.state.wall_clock.offset_s, HOUR), START + 0.75 * HOUR)  # 3:00 is 2:00 again
    one.advance(START + 3 * HOUR)
    assert count(one) == 1
    one.advance(START + 26 * HOUR)
    assert (count(one), fired_at(one)) == (2, pytest.approx(START + 25.25 * HOUR))


def test_as_summer_time_begins_the_time_that_there_is_not_counts_as_come():
    one = engine("02:30", 1.5 * HOUR, HOUR)
    one.advance(START + HOUR / 2)
    assert count(one) == 0
    one.report(ClockSet(one.state.wall_clock.offset_s, 2 * HOUR), START + HOUR / 2)
    one.advance(START + HOUR)
    assert (count(one), fired_at(one)) == (1, pytest.approx(START + HOUR / 2))
    one.advance(START + 25 * HOUR)
    assert count(one) == 2


def test_a_countdown_follows_the_clock_on_the_wall():
    made = MediaLibrary({}.get, 100.0)
    made.wall_offset_s = 160.0
    assert made.wall_offset_s == 160.0
