"""Framings: storing all that belongs to them, trims, hands, arranging, and mending what no longer holds."""

import pytest

from ribalta.core.base.aim import STILL
from ribalta.core.engine.journal.replaying import replay
from ribalta.core.ports.messages import (
    Adjust,
    Compared,
    GlideTo,
    GoTo,
    PicturePresence,
    PictureWanted,
    Recall,
    Remember,
    SettingReported,
)
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Head, Mark, ShotSize
from ribalta.core.show.document.settings import SETTINGS
from tests.core.hand_wound import Hall, small_show


def rich_show():
    show = small_show()
    head = Head(settings=tuple(s.id for s in SETTINGS), memories=8)
    for camera in show.cameras:
        if camera.steered:
            place = camera.place.model_copy(update={"x_m": 2.0 * camera.number, "y_m": 0.0})
            show = show.with_camera(camera.model_copy(update={"head": head, "place": place}))
    marks = (Mark(id="m1", name="Ann", x_m=2.0, y_m=6.0), Mark(id="m2", name="Bea", x_m=4.0, y_m=6.0))
    return show.model_copy(update={"marks": marks})


@pytest.fixture
def hall():
    return Hall(rich_show())


def settle(hall: Hall, camera: int, letter: str) -> None:
    hall.act("framing.restore", camera=camera, letter=letter)
    hall.turn(4)


def tell(hall: Hall, camera_id: str, **values) -> None:
    for name, value in values.items():
        hall.engine.report(SettingReported(camera_id, name.replace("__", "."), value), hall.clock.now_s())


def compared(hall: Hall, framing_id: str, right=0.0, down=0.0, turn=0.0, sure=0.9, alike=0.9, looked=None) -> None:
    framing = hall.state.show.framing(framing_id)
    numbers = (right, down, turn, 1.0, sure, alike)
    report = Compared(framing.camera_id, framing_id, *numbers, looked or framing.aim)
    hall.engine.report(report, hall.clock.now_s())


# Storing


def test_focus_is_stored_with_a_framing_and_asked_for_when_it_is_recalled(hall):
    settle(hall, 1, "W")
    tell(hall, "c1", focus__mode="manual", focus=0x4200, exposure__mode="manual", iris=9)
    hall.act("framing.store", camera=1, letter="R")
    framing = hall.state.show.framing_at("c1", 3)
    assert framing.kept == (("focus.mode", "manual"), ("focus", 0x4200))
    tell(hall, "c1", focus__mode="automatic", focus=0x5000)
    hall.act("framing.restore", camera=1, letter="Q")
    hall.cameras["c1"].asked.clear()
    hall.act("ready.framing", camera=1, letter="R")
    asked = [(r.setting, r.value) for r in hall.cameras["c1"].asked if isinstance(r, Adjust)]
    assert asked == [("focus.mode", "manual"), ("focus", 0x4200)]


def test_exposure_is_stored_only_when_wished_and_what_is_automatic_only_as_that(hall):
    settle(hall, 1, "W")
    tell(hall, "c1", focus__mode="automatic", focus=0x4200, exposure__mode="manual", iris=9, white_balance="indoor")
    hall.act("framing.store", camera=1, letter="R", light=True)
    kept = dict(hall.state.show.framing_at("c1", 3).kept)
    assert kept == {"focus.mode": "automatic", "exposure.mode": "manual", "iris": 9, "white_balance": "indoor"}


def test_what_could_not_be_stored_is_said(hall):
    settle(hall, 1, "W")
    hall.act("framing.store", camera=1, letter="R")
    assert "has not said its focus" in hall.sentences[-1]
    hall.engine.report(PicturePresence("c1", False), hall.clock.now_s())
    hall.act("framing.store", camera=1, letter="T")
    assert "no picture comes from camera 1" in hall.sentences[-1]
    assert hall.state.show.framing_at("c1", 4).picture is None
    hall.contact("c1", False)
    hall.act("framing.store", camera=1, letter="A")
    assert "Nothing stored" in hall.sentences[-1]
    assert hall.state.show.framing_at("c1", 5) is None


def test_a_fresh_framing_is_named_after_the_mark_that_it_shows(hall):
    hall.act("compose.aim", camera=1, marks=("m1",), size="close-up")
    hall.turn(4)
    hall.act("framing.store", camera=1, letter="R")
    framing = hall.state.show.framing_at("c1", 3)
    assert (framing.name, framing.mark_ids, framing.size) == ("Ann close-up", ("m1",), ShotSize.CLOSE_UP)


def test_a_surface_that_only_recalls_cannot_store(hall):
    settle(hall, 1, "W")
    now_s = hall.clock.now_s()
    for action in ("framing.store", "framing.remove", "trim.keep"):
        hall.engine.act(action, {"camera": 1, "letter": "W"} if "trim" not in action else {}, now_s, recall_only=True)
    hall.engine.act("framing.restore", {"camera": 1, "letter": "Q"}, now_s, recall_only=True)
    hall.turn(0.1)
    assert sum("only recalls" in s for s in hall.sentences) == 3
    assert hall.state.show.framings == hall.opening.show.framings
    assert hall.cameras["c1"].goal == hall.state.show.framing("f3").aim


# Trims and hands


def test_a_trim_is_kept_with_its_framing_or_dropped(hall):
    hall.press("1", "W")
    hall.turn(4)
    stored = hall.state.show.framing("f4").aim
    hall.press("Right")
    hall.turn(2)
    hall.press("O")
    hall.turn(2)
    assert hall.state.live("c1").trim == STILL
    assert hall.cameras["c1"].goal == stored
    hall.press("Right", "Up")
    hall.turn(2)
    hall.press("K")
    framing = hall.state.show.framing("f4")
    assert framing.pan_deg > stored.pan_deg
    assert any(isinstance(e, PictureWanted) and e.name == framing.picture for e in hall.events)
    assert hall.state.live("c1").trim == STILL
    hall.press("Ctrl+Z")
    assert hall.state.show.framing("f4").aim == stored
    hall.press("K")
    assert "Nothing is trimmed" in hall.sentences[-1]


def test_what_is_more_than_a_trim_is_not_kept_by_a_careless_press(hall):
    hall.press("1", "W")
    hall.turn(4)
    stored = hall.state.show.framing("f4")
    for _ in range(30):
        hall.act("trim", camera=1, right=0.02)
        hall.turn(0.2)
    hall.turn(3)
    hall.press("K")
    assert "more than a trim" in hall.sentences[-1]
    assert hall.state.show.framing("f4") == stored


def test_a_protected_framing_keeps_its_aim_when_a_trim_is_kept(hall):
    hall.act("framing.lock", camera=1, letter="W")
    hall.press("1", "W", "Right")
    hall.turn(3)
    hall.press("K")
    assert "locked" in hall.sentences[-1]


def test_a_trim_on_air_needs_the_modifier_and_is_eased_and_stops_soon(hall):
    hall.press("1", "W", "Space", "Space")
    hall.turn(4)
    hall.act("trim", camera=1, right=0.02)
    assert "Hold Ctrl" in hall.sentences[-1]
    for _ in range(60):
        hall.act("trim", camera=1, right=0.05, live=True, hand="gamepad", stroke=1)
        hall.turn(0.05)
    eased = hall.cameras["c1"].asked[-1]
    assert isinstance(eased, GlideTo)
    ahead = abs(eased.aim.pan_deg - hall.cameras["c1"].aim.pan_deg) / hall.state.show.camera("c1").lens.hfov_deg(0.5)
    assert ahead < 0.13  # a hand that lets go sees the picture stop within a moment


def test_the_last_hand_to_touch_wins_and_the_other_is_ignored_until_it_lets_go(hall):
    settle(hall, 1, "Q")
    hall.act("steer.drag", camera=1, right=0.1, down=0.0, hand="mouse", stroke=7)
    hall.act("trim", camera=1, right=0.1, hand="gamepad", stroke=1)
    assert "gamepad steers camera 1 now, no longer the mouse" in hall.sentences[-1]
    goal = hall.state.live("c1").goal
    hall.act("steer.drag", camera=1, right=0.3, down=0.0, hand="mouse", stroke=7)
    assert hall.state.live("c1").goal == goal
    hall.act("steer.drag", camera=1, right=0.3, down=0.0, hand="mouse", stroke=8)
    assert hall.state.live("c1").goal != goal
    assert "mouse steers camera 1 now" in hall.sentences[-1]


def test_a_camera_stops_where_it_is(hall):
    hall.act("framing.restore", camera=1, letter="W")
    hall.turn(0.5)
    hall.act("steer.stop", camera=1)
    stopped = hall.cameras["c1"].goal
    hall.turn(2)
    assert hall.cameras["c1"].aim == stopped
    assert stopped != hall.state.show.framing("f4").aim


# Moves on air


def test_a_move_on_air_takes_the_asked_time_or_says_what_it_needs(hall):
    hall.press("1", "W", "Space", "Space")
    hall.turn(4)
    hall.act("ready.framing", camera=1, letter="E", live=True, seconds=8)
    glide = hall.cameras["c1"].asked[-1]
    assert (type(glide), glide.seconds) == (GlideTo, 8)
    assert hall.state.live("c1").due_s == pytest.approx(hall.clock.now_s() + 8)
    hall.turn(9)
    hall.act("ready.framing", camera=1, letter="W", live=True, seconds=0.5)
    assert hall.cameras["c1"].asked[-1].seconds > 0.5
    assert "It cannot in 0.5 s" in hall.sentences[-1]
    hall.act("live_move.seconds", seconds=2.5)
    assert hall.state.show.settings.live_move_s == 2.5


# Arranging


def test_framings_change_places_and_go_to_other_pages(hall):
    hall.act("framing.move", camera=1, letter="Q", to_letter="W")
    assert [f.id for f in (hall.state.show.framing_at("c1", 0), hall.state.show.framing_at("c1", 1))] == ["f4", "f3"]
    hall.act("framing.move", camera=1, letter="Q", to_letter="G", to_page=3)
    assert hall.state.show.framing("f4").slot == 39
    hall.press("Ctrl+Z", "Ctrl+Z")
    assert hall.state.show.framing("f3").slot == 0


def test_a_framing_carried_to_another_camera_is_aimed_anew_and_not_yet_seen(hall):
    hall.act("compose.store", camera=1, marks=("m1",), size="medium")
    made = next(f for f in hall.state.show.framings if f.name == "Ann medium")
    place = {"letter": made.letter, "page": made.page}
    hall.act("framing.move", camera=1, **place, to_letter="Q", to_camera=2)
    copy = next(f for f in hall.state.show.framings if f.camera_id == "c2" and f.name == "Ann medium")
    assert (copy.seen, copy.picture, copy.slot) == (False, None, 3)  # Q, W and E are taken
    assert hall.state.show.framing(made.id) == made
    assert copy.pan_deg < made.pan_deg  # camera 2 stands to the right
    hall.act("framing.move", camera=1, **place, to_letter="Q", to_camera=4)
    assert "camera 4 is fixed" in hall.sentences[-1]


def test_what_a_framing_shows_and_how_good_it_is_can_be_said(hall):
    hall.act("framing.describe", camera=1, letter="W", marks=("m2", "m1"), size="wide", rating=40)
    framing = hall.state.show.framing("f4")
    assert (framing.mark_ids, framing.size, framing.rating) == (("m2", "m1"), ShotSize.WIDE, 40)
    hall.act("framing.describe", camera=1, letter="W", marks=(), rating=-1)
    framing = hall.state.show.framing("f4")
    assert (framing.mark_ids, framing.size, framing.rating) == ((), ShotSize.WIDE, None)
    hall.act("framing.describe", camera=1, letter="W", marks=("gone",))
    assert "not on the plan" in hall.sentences[-1]


def test_a_framing_is_written_to_a_memory_of_the_camera_and_read_from_it(hall):
    hall.act("framing.write_memory", camera=1, letter="W", memory=3)
    assert "send it there first" in hall.sentences[-1]
    settle(hall, 1, "W")
    hall.act("framing.write_memory", camera=1, letter="W", memory=3)
    assert hall.cameras["c1"].asked[-1] == Remember("c1", 3)
    assert hall.state.show.framing("f4").memory == 3
    hall.act("framing.write_memory", camera=1, letter="W", memory=9)
    assert "no number 9" in hall.sentences[-1]
    hall.act("camera.read_memory", camera=1, letter="R", memory=3)
    assert hall.cameras["c1"].asked[-1] == Recall("c1", 3)


def test_the_board_is_filled_from_the_plan_and_a_wall_has_its_sentence(hall):
    hall.act("board.fill", camera=1)
    fresh = [f for f in hall.state.show.framings if f.camera_id == "c1" and not f.seen]
    assert {"Ann medium", "Bea medium"} <= {f.name for f in fresh}
    hall.act("furniture.place", name="Wall", x_m=2.0, y_m=3.0, wide_m=20.0, deep_m=0.2, height_m=4.0)
    hall.act("compose.store", camera=1, marks=("m1",), size="full")
    assert "hidden behind Wall" in hall.sentences[-1]
    wall = hall.state.show.obstacles[0]
    hall.act("furniture.place", obstacle=wall.id, height_m=0.5)
    hall.act("compose.store", camera=1, marks=("m1",), size="full")
    assert "Framed" in hall.sentences[-1]
    hall.act("furniture.remove", obstacle=wall.id)
    assert hall.state.show.obstacles == ()


# Truth


# Bringing in


def test_framings_are_brought_in_beside_what_is_there_and_bad_ones_are_named(hall):
    good = {
        "camera": 1,
        "slot": 0,
        "name": "Add",
        "pan_deg": 1.0,
        "tilt_deg": 2.0,
        "zoom": 0.3,
        "marks": ("Ann", "Nobody"),
    }
    rows = [
        good,
        good | {"camera": 9},
        good | {"camera": 4},
        good | {"pan_deg": 300.0},
        good | {"kept": (("focus", 1),)},
    ]
    hall.act("framings.import", framings=rows)
    made = next(f for f in hall.state.show.framings if f.name == "Add")
    assert (made.slot, made.mark_ids, made.seen) == (3, ("m1",), False)
    said = hall.sentences[-1]
    for part in ("camera 9, which this show does not have", "fixed here", "out of reach", "focus position 1"):
        assert part in said
    hall.act("framings.import", framings=rows[1:2])
    assert "No framing was brought in" in hall.sentences[-1]


def test_a_show_with_all_of_this_is_replayed_to_the_same_state(hall):
    hall.press("1", "W")
    hall.turn(3)
    compared(hall, "f4", right=4.0)
    hall.act("framing.nudge", camera=1, letter="W")
    hall.act("framing.move", camera=1, letter="W", to_letter="R")
    hall.engine.act("framing.remove", {"camera": 1, "letter": "E"}, hall.clock.now_s(), recall_only=True)
    again = replay(hall.opening, hall.entries)
    assert again.state.show == hall.state.show
    assert again.state.verdicts == hall.state.verdicts
    assert isinstance(hall.cameras["c1"].asked[0], GoTo)
    assert hall.state.program.next == Shot("c1", "f4")
