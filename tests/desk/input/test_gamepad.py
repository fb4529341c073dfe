"""A gamepad: from SDL's own virtual one to steering, and what happens when it goes."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.ports.messages import GlideTo, GoTo
from ribalta.desk.input.stick import DEAD, Push, curved, pushed, trigger
from ribalta.desk.window import Window
from tests.desk.hand_wound import HandWoundSession, opened
from tests.desk.input.virtual_pad import LEFT_SHOULDER, LEFT_X, LEFT_Y, RIGHT_SHOULDER, TRIGGER_RIGHT, virtual_pad

pytestmark = pytest.mark.alone


@pytest.fixture
def pad():
    with virtual_pad() as made:
        yield made


@pytest.fixture
def window(app, pad):
    made = Window(HandWoundSession(), pad.pads)
    made.frame.gamepad.stop()  # the test polls
    yield from opened(made)


def push(window: Window, times: int = 5) -> None:
    for _ in range(times):
        window.frame.gamepad.poll()
        window.bridge._show.hall.turn(0.05)


def test_the_stick_moves_next_unless_it_is_pinned_or_a_camera_is_framed(window, pad):
    hall, gamepad = window.bridge._show.hall, window.frame.gamepad
    window.show_view("Air")
    push(window, 1)
    assert gamepad.present
    assert "nothing is Next" in gamepad.words()
    hall.press("2", "W")
    hall.turn(4)
    assert gamepad.words() == "Stick: camera 2 (Next)"
    before = hall.cameras["c2"].aim
    pad.axis(LEFT_X, 0.9)
    push(window)
    pad.axis(LEFT_X, 0.0)
    push(window, 10)
    assert hall.cameras["c2"].aim.pan_deg > before.pan_deg
    assert hall.state.live("c2").hand.name == "gamepad"
    pad.button(LEFT_SHOULDER, True)
    push(window, 2)
    pad.button(LEFT_SHOULDER, False)
    push(window, 1)
    hall.press("3", "Q")
    assert gamepad.words() == "Stick: camera 2 (pinned)"
    gamepad.pin(None)
    window.show_view("Frame")
    window.frame.choose("c1")
    assert gamepad.words() == "Stick: camera 1 (shown here)"


def test_on_air_it_moves_only_with_the_shoulder_button_held_and_eased(window, pad):
    hall = window.bridge._show.hall
    hall.press("1", "W", "Space", "Space")
    hall.turn(4)
    window.show_view("Frame")
    window.frame.choose("c1")
    asked = len(hall.cameras["c1"].asked)
    pad.axis(LEFT_Y, -1.0)
    push(window)
    assert len(hall.cameras["c1"].asked) == asked
    pad.button(RIGHT_SHOULDER, True)
    push(window)
    assert isinstance(hall.cameras["c1"].asked[-1], GlideTo)
    assert hall.cameras["c1"].asked[-1].aim.tilt_deg > hall.state.show.framing("f4").tilt_deg


def test_the_triggers_zoom(window, pad):
    hall = window.bridge._show.hall
    window.show_view("Frame")
    window.frame.choose("c1")
    before = hall.cameras["c1"].aim.zoom
    pad.axis(TRIGGER_RIGHT, 1.0)
    push(window, 10)
    assert hall.cameras["c1"].aim.zoom > before


def test_when_it_goes_everything_stops_and_that_is_said(window, pad):
    hall = window.bridge._show.hall
    window.show_view("Frame")
    window.frame.choose("c1")
    pad.axis(LEFT_X, 1.0)
    push(window, 10)
    pad.unplug()
    push(window, 1)
    assert "gamepad is gone" in window.notices.sentence
    assert not window.frame.gamepad.present
    last = hall.cameras["c1"].asked[-1]
    assert isinstance(last, GoTo)
    hall.turn(1.0)
    assert hall.cameras["c1"].aim == last.aim
    assert window.frame.gamepad.words() == "No gamepad"


@given(st.floats(-1, 1), st.floats(-1, 1))
def test_a_stick_keeps_its_direction_is_still_in_the_middle_and_never_too_strong(x, y):
    right, down = curved(x, y)
    if math.hypot(x, y) <= DEAD:
        assert (right, down) == (0.0, 0.0)
    else:
        assert right * y == pytest.approx(down * x, abs=1e-9)
        assert math.hypot(right, down) <= 1.0 + 1e-9


def test_pushes_are_signed_as_the_picture_moves():
    push = pushed((1.0, 0.0), (0.0, -1.0), (0.0, 1.0), True, False)
    assert (push.right, push.fine_up, push.zoom, push.live) == (1.0, 1.0, 1.0, True)
    assert trigger(0.01) == 0.0
    assert not Push().moves
