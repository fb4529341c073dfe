"""Readiness is judged in the picture: what makes a camera set, travelling, off or lost."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.aim import Aim
from ribalta.core.engine.dryrun.rehearsal import dry_run
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.program.landing import (
    error_percent,
    image_speed_percent_s,
    landing_state,
    progress,
    set_at_s,
    time_to_set_s,
    waits_for_picture,
)
from ribalta.core.engine.state.live import LiveState, opening_state
from ribalta.core.ports.messages import Contact, DeviceRefused, Notice, PicturePresence, PictureStalled, Position
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.automation.calls import Call
from tests.core.hand_wound import Hall, small_show

SET, TRAVELLING, OFF, NO_CONTACT = LandingState
SHOT = Shot("c2", "f8")  # pan -20, tilt 4, zoom 0.9


def reported(*positions: tuple[float, Aim]) -> Engine:
    """An engine that has heard camera 2 stand at these aims at these times."""
    engine = Engine(opening_state(small_show(), 0.0))
    engine.report(Contact("c2", True), 0.0)
    for sampled_s, aim in positions:
        engine.report(Position("c2", aim, sampled_s), sampled_s + 0.01)
    return engine


def standing(aim: Aim, seconds: float = 1.0) -> LiveState:
    return reported(*((10 + 0.05 * k, aim) for k in range(round(seconds / 0.05)))).state


def test_the_same_degrees_are_set_in_a_wide_and_off_in_a_close_up():
    off = Aim(0.3, 0.0, 0.0)
    wide = standing(Aim(0, 0, 0) + off)
    close = standing(Aim(-20, 4, 0.9) + off)
    assert landing_state(wide, Shot("c2", "f6"), 11.0) is SET
    assert landing_state(close, SHOT, 11.0) is not SET
    assert error_percent(close, SHOT) > 3 * error_percent(wide, Shot("c2", "f6"))


def test_a_camera_is_set_only_when_its_picture_has_caught_up():
    engine = reported((10.0, Aim(-25, 4, 0.9)), (10.05, Aim(-20, 4, 0.9)), (10.1, Aim(-20, 4, 0.9)))
    delay_s = engine.state.show.camera("c2").picture.delay_s
    assert set_at_s(engine.state, SHOT) == pytest.approx(10.1 + delay_s)
    assert landing_state(engine.state, SHOT, 10.1 + delay_s - 0.001) is not SET
    assert landing_state(engine.state, SHOT, 10.1 + delay_s) is SET


def test_a_late_picture_keeps_a_camera_from_being_set_until_a_frame_has_come_since():
    hall = Hall()
    hall.press("2", "W")
    hall.turn(0.3)
    hall.engine.report(PictureStalled("c2", hall.clock.now_s()), hall.clock.now_s())
    foretold = dry_run(hall.state, Call(action="take"), hall.clock.now_s())
    assert [line.landed for line in foretold if line.landed is not None] == [True]  # frames are taken to come again
    hall.press("Space")
    hall.turn(6)
    assert hall.state.program.held is not None  # the head is long there
    assert error_percent(hall.state, hall.state.program.next) < 0.1
    assert landing_state(hall.state, hall.state.program.next, hall.clock.now_s()) is not SET
    assert waits_for_picture(hall.state, hall.state.program.next, hall.clock.now_s())
    hall.engine.report(PictureStalled("c2", None), hall.clock.now_s())
    hall.turn(0.0)
    assert hall.records[-1].landed
    assert hall.records[-1].held_s == pytest.approx(6.0, abs=0.1)
    hall.engine.report(PictureStalled("c2", hall.clock.now_s() - 9), hall.clock.now_s())  # what was set stays set
    assert landing_state(hall.state, hall.state.program.on_air, hall.clock.now_s()) is SET


def test_a_speck_of_noise_in_the_reports_is_not_movement():
    quantum = 0.01
    wobbling = [(10 + 0.05 * k, Aim(-20 + quantum * (k % 2), 4, 0.9)) for k in range(20)]
    state = reported(*wobbling).state
    assert landing_state(state, SHOT, 11.0) is SET


@given(st.floats(0.5, 30))
def test_a_creeping_picture_is_not_set_when_it_creeps_faster_than_the_limit(degrees_a_second):
    state = reported(*((10 + 0.05 * k, Aim(-20 + degrees_a_second * 0.05 * (k - 10), 4, 0.9)) for k in range(11))).state
    camera, live = state.show.camera("c2"), state.live("c2")
    moves = image_speed_percent_s(camera, live) > state.show.settings.speed_limit_percent_s
    assert (set_at_s(state, SHOT) == float("inf")) == moves


def test_reports_that_come_out_of_order_or_from_strangers_change_nothing():
    engine = reported((10.0, Aim(1, 1, 0)), (10.1, Aim(2, 1, 0)))
    before = engine.state
    engine.report(Position("c2", Aim(1.5, 1, 0), 10.05), 10.2)
    engine.report(Position("c9", Aim(0, 0, 0), 10.2), 10.2)
    assert engine.state == before


def test_a_stalled_camera_is_off_and_a_take_sends_it_again():
    hall = Hall()
    hall.press("2", "W")
    hall.turn(0.5)
    hall.cameras["c2"].goal = None  # it stops on its way, whatever it was asked
    hall.turn(3)
    assert landing_state(hall.state, hall.state.program.next, hall.clock.now_s()) is OFF
    hall.press("Space")
    hall.turn(5)
    assert hall.records[-1].landed


def test_progress_runs_from_nothing_to_everything_and_never_back_by_much():
    hall = Hall()
    hall.press("2", "W")
    seen = [progress(hall.state, hall.state.program.next, hall.clock.now_s())]
    while landing_state(hall.state, hall.state.program.next, hall.clock.now_s()) is not SET:
        hall.turn(0.02)
        seen.append(progress(hall.state, hall.state.program.next, hall.clock.now_s()))
    assert seen[0] < 0.05
    assert seen[-1] == 1.0
    assert all(b > a - 0.25 for a, b in pairwise(seen))
    assert all(0 <= share <= 1 for share in seen)


def test_what_is_not_known_is_not_shown_as_known():
    state = opening_state(small_show(), 0.0)
    assert landing_state(state, SHOT, 1.0) is NO_CONTACT
    assert time_to_set_s(state, SHOT, 1.0) is None
    assert progress(state, SHOT, 1.0) == 0.0
    assert error_percent(state, SHOT) is None
    assert time_to_set_s(state, Shot("c4"), 1.0) is None


def test_a_moving_camera_taken_as_it_stands_is_waited_for():
    hall = Hall()
    hall.press("2", "W")
    hall.turn(0.6)
    hall.press("2", "2")
    assert landing_state(hall.state, Shot("c2"), hall.clock.now_s()) is TRAVELLING
    hall.press("Space")
    assert hall.state.program.held is not None
    hall.turn(4)
    record = hall.records[-1]
    assert (record.landed, record.framing_name, record.error_percent) == (True, None, None)


def test_a_tighter_tolerance_waits_longer():
    held = []
    for tolerance in (5.0, 0.05):
        hall = Hall(small_show(tolerance_percent=tolerance))
        hall.press("2", "W", "Space")
        hall.turn(6)
        held.append(hall.records[-1].held_s)
    assert held[0] <= held[1]


def test_what_a_device_refuses_is_said_with_its_camera():
    engine = reported()
    engine.report(DeviceRefused("c2", "it cannot do this now"), 1.0)
    events, _ = engine.drain()
    assert Notice("Camera 2 answered that it cannot do this now.", events[-1].severity) == events[-1]


def test_a_camera_that_was_never_there_says_so_once():
    engine = Engine(opening_state(small_show(), 0.0))
    for _ in range(3):
        engine.report(Contact("c2", False), 1.0)
        engine.report(PicturePresence("c2", False), 1.0)
    assert engine.drain()[0] == []
    engine.report(Contact("c2", True), 2.0)
    engine.report(Contact("c2", False), 3.0)
    (notice,) = engine.drain()[0]
    assert notice.sentence == "Camera 2 “Camera 2” does not answer."


def test_a_framing_out_of_reach_is_refused_and_can_still_be_stored_again():
    show = small_show()
    hall = Hall(show.with_framing(show.framings[4].model_copy(update={"tilt_deg": 95.0})))
    for keys in (("2", "W"), ("2", "Alt+W")):
        hall.press(*keys)
        assert "out of reach of camera 2: tilt 95° is outside -30° to 90°" in hall.sentences[-1]
    assert hall.state.program.next == Shot("c2")
    assert hall.state.program.then == ()
    hall.act("framing.store", camera=2, letter="W", overwrite=True)
    assert hall.state.show.framing_at("c2", 1).tilt_deg == 10.0
