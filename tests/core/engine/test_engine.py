"""What a director may rely on: readying, taking, landing, steering and storing, on a hand-wound clock."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.aim import STILL
from ribalta.core.engine.catalogue import CATALOGUE, Catalogue
from ribalta.core.engine.journal.replaying import replay
from ribalta.core.engine.program.landing import landing_state, time_to_set_s
from ribalta.core.engine.state.action import Action, NoParams
from ribalta.core.ports.messages import GlideTo, PicturePresence, PictureWanted, ProgramChanged
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.document.model import LandingRule
from tests.core.hand_wound import Hall, small_show
from tests.depth import examples


@pytest.fixture
def hall():
    return Hall()


def test_a_held_take_cuts_at_the_first_moment_its_camera_is_set(hall):
    hall.press("2", "W", "Space")
    assert hall.state.program.held is not None
    assert hall.state.program.on_air == Shot("c4")
    while hall.state.program.held is not None:
        before = hall.state
        hall.turn(0.01)
    assert landing_state(before, Shot("c2", "f7"), before.live("c2").sampled_s) is not LandingState.SET
    record = hall.records[-1]
    assert (record.landed, record.forced, record.framing_name) == (True, False, "2W")
    assert record.error_percent < 1.0
    assert record.held_s > 1.0
    live = hall.state.live("c2")
    assert record.at_s == pytest.approx(live.still_since_s + hall.state.show.cameras[1].picture.delay_s)


def test_the_seconds_shown_are_the_seconds_it_takes(hall):
    hall.press("2", "W")
    shown = time_to_set_s(hall.state, hall.state.program.next, hall.clock.now_s())
    start_s = hall.clock.now_s()
    hall.press("Space")
    while hall.state.program.held is not None:
        hall.turn(0.01)
    assert hall.clock.now_s() - start_s == pytest.approx(shown, abs=0.8)


def test_a_second_take_forces_and_the_record_says_so(hall):
    hall.press("2", "W", "Space", "Space")
    record = hall.records[-1]
    assert (record.landed, record.forced) == (False, True)
    assert record.error_percent > 100


def test_escape_lets_go_and_next_stays(hall):
    hall.press("2", "W", "Space", "Esc")
    hall.turn(5)
    assert hall.records == ()
    assert hall.state.program.next == Shot("c2", "f7")


def test_under_cover_the_cover_shot_goes_first_and_then_the_shot(hall):
    hall.press("1", "Q")
    hall.turn(4)
    hall.press("Space")
    hall.act("landing.rule", rule="cover")
    hall.press("2", "W", "Space")
    assert hall.state.program.on_air == Shot("c4")
    hall.turn(4)
    assert hall.state.program.on_air == Shot("c2", "f7")
    assert [r.landed for r in hall.records] == [True, True, True]


def test_straight_cuts_at_once_and_admits_it():
    hall = Hall(small_show(landing_rule=LandingRule.STRAIGHT))
    hall.press("2", "W", "Space")
    assert hall.state.program.on_air == Shot("c2", "f7")
    assert hall.records[-1].landed is False


def test_flying_through_the_framing_is_not_being_set(hall):
    hall.cameras["c2"].overshoot_deg = 9.0
    hall.press("2", "W", "Space")
    hall.turn(6)
    assert hall.records[-1].landed
    assert abs(hall.cameras["c2"].aim.pan_deg - 30) < 0.01


def test_a_framing_of_the_camera_on_air_waits_under_then_and_goes_there_after(hall):
    hall.press("2", "W", "Space", "Space")
    asked = len(hall.cameras["c2"].asked)
    hall.press("2", "E")
    assert "is on air" in hall.sentences[-1]
    assert hall.state.program.then == (Shot("c2", "f8"),)
    assert len(hall.cameras["c2"].asked) == asked
    hall.press("Tab")
    assert hall.state.program.next == Shot("c2", "f8")
    assert hall.cameras["c2"].asked[-1].aim == hall.state.show.framing("f8").aim


def test_with_the_modifier_the_camera_on_air_moves_slowly(hall):
    hall.press("2", "W", "Space", "Space", "Ctrl+Shift+E")
    request = hall.cameras["c2"].asked[-1]
    assert request.aim == hall.state.show.framing("f8").aim
    assert isinstance(request, GlideTo)
    assert request.seconds == hall.state.show.settings.live_move_s
    assert hall.state.program.on_air == Shot("c2", "f8")


def test_the_queue_travels_ahead_and_moves_up_after_a_take(hall):
    hall.press("1", "Q", "2", "Alt+W", "3", "Alt+E")
    assert [s.camera_id for s in hall.state.program.then] == ["c2", "c3"]
    hall.turn(5)
    hall.press("Space")
    assert hall.state.program.next == Shot("c2", "f7")
    hall.press("Space")
    hall.press("Space")
    assert [r.landed for r in hall.records] == [True, True, True]
    assert all(r.held_s == 0 for r in hall.records)


def test_a_mix_keeps_both_on_air_until_its_end(hall):
    hall.press("1", "Q")
    hall.turn(4)
    hall.press("Shift+Space")
    assert hall.state.on_air("c4")
    assert hall.state.on_air("c1")
    hall.turn(0.79)
    assert hall.state.program.in_transition is not None
    hall.turn(0.05)
    assert hall.state.program.in_transition is None
    assert not hall.state.on_air("c4")


def test_a_take_during_a_mix_finishes_the_mix_and_nothing_else(hall):
    hall.press("1", "Q")
    hall.turn(4)
    hall.press("Shift+Space", "2", "W", "Space")
    assert hall.state.program.in_transition is None
    assert hall.state.program.on_air == Shot("c1", "f3")
    assert hall.state.program.next == Shot("c2", "f7")


def test_a_trim_is_part_of_what_the_landing_is_judged_by(hall):
    hall.press("2", "W", "Right", "Up", "+")
    hall.turn(4)
    hall.press("Space")
    record, live = hall.records[-1], hall.state.live("c2")
    assert (record.landed, record.trimmed) == (True, True)
    assert live.trim.pan_deg > 0
    assert live.trim.zoom > 0
    hall.press("Tab", "2", "W")
    assert hall.state.live("c2").trim == STILL


def test_steering_an_on_air_camera_needs_the_modifier(hall):
    hall.press("2", "W", "Space", "Space")
    hall.turn(4)
    asked = len(hall.cameras["c2"].asked)
    hall.act("steer.drag", camera=2, right=0.1, down=0.0)
    assert len(hall.cameras["c2"].asked) == asked
    assert "Hold Ctrl" in hall.sentences[-1]
    hall.act("steer.drag", camera=2, right=0.1, down=0.0, live=True)
    eased = hall.cameras["c2"].asked[-1]
    assert isinstance(eased, GlideTo)
    assert eased.seconds >= 1


def test_steering_beyond_the_head_goes_to_the_limit_and_says_which(hall):
    hall.press("2", "Q")
    hall.turn(3)
    for _ in range(12):
        hall.act("steer.drag", camera=2, right=-1.0, down=0.0)
        hall.turn(3)
    assert hall.cameras["c2"].asked[-1].aim.pan_deg == 170
    assert "is outside -170° to 170°" in hall.sentences[-1]


def test_a_stored_framing_recalls_to_where_it_was(hall):
    hall.press("2", "W")
    hall.turn(4)
    hall.act("steer.box", camera=2, left=0.3, top=0.3, right=0.7, bottom=0.7)
    hall.turn(4)
    stood = hall.cameras["c2"].aim
    hall.press("Shift+R")
    assert any(isinstance(e, PictureWanted) for e in hall.events)
    assert hall.state.program.next == Shot("c2", "f100")
    hall.press("Q")
    hall.turn(4)
    hall.press("R", "Space")
    hall.turn(4)
    assert hall.records[-1].landed
    assert hall.records[-1].error_percent < 0.5
    assert hall.cameras["c2"].aim.pan_deg == pytest.approx(stood.pan_deg, abs=1e-6)


def test_storing_over_another_needs_the_long_press_and_undo_brings_it_back(hall):
    hall.press("2")
    before = hall.state.show.framing_at("c2", 1)
    hall.press("Shift+W")
    assert "Hold Shift+W to replace" in hall.sentences[-1]
    assert hall.state.show.framing_at("c2", 1) == before
    hall.act("framing.store", letter="W", overwrite=True)
    assert hall.state.show.framing_at("c2", 1).pan_deg == -60
    hall.press("Ctrl+Z")
    assert hall.state.show.framing_at("c2", 1) == before


def test_a_protected_framing_refuses_even_the_long_press(hall):
    hall.press("2")
    hall.act("framing.lock", letter="W")
    before = hall.state.show
    hall.act("framing.store", letter="W", overwrite=True)
    hall.act("framing.remove", letter="W")
    assert hall.state.show == before
    assert "locked" in hall.sentences[-1]


def test_restoring_drops_a_trim_without_readying_and_leaves_a_camera_on_air_alone(hall):
    hall.press("2", "W", "Right")
    hall.turn(4)
    hall.act("framing.restore", camera=2, letter="W")
    assert hall.cameras["c2"].asked[-1].aim == hall.state.show.framing("f7").aim
    assert hall.state.live("c2").trim == STILL
    hall.press("Space", "Space")
    hall.act("framing.restore", camera=2, letter="E")
    assert hall.state.program.then == ()
    assert "on air, so it stays" in hall.sentences[-1]


def test_a_removed_framing_leaves_the_queue_and_comes_back_with_undo(hall):
    hall.press("2", "W", "3", "Alt+E")
    hall.act("framing.remove", camera=2, letter="W")
    assert "readied as Next" in hall.sentences[-1]
    hall.act("framing.remove", camera=3, letter="E")
    assert hall.state.program.then == ()
    assert hall.state.show.framing("f11") is None
    hall.press("Ctrl+Z")
    assert hall.state.show.framing("f11").name == "3E"


def test_undoing_a_store_leaves_the_camera_where_it_stands(hall):
    hall.press("2", "2", "Shift+R")
    assert hall.state.program.next == Shot("c2", "f100")
    hall.press("Ctrl+Z")
    assert hall.state.program.next == Shot("c2")
    hall.press("Shift+T")
    assert hall.state.show.framing_at("c2", 4).id == "f101"  # a number is never given twice


def test_a_moving_camera_is_not_stored(hall):
    hall.press("2", "W")
    hall.turn(0.5)
    hall.press("Shift+R")
    assert "still moving" in hall.sentences[-1]
    assert hall.state.show.framing_at("c2", 3) is None


def test_a_camera_that_comes_back_is_sent_again_and_the_held_take_lands(hall):
    hall.press("2", "W")
    hall.contact("c2", False)
    hall.press("Space")
    assert landing_state(hall.state, hall.state.program.next, hall.clock.now_s()) is LandingState.NO_CONTACT
    hall.turn(10)
    assert hall.records == ()
    hall.contact("c2", True)
    hall.turn(5)
    assert hall.records[-1].landed
    assert hall.records[-1].held_s > 10


def test_a_fixed_camera_is_set_while_its_picture_comes(hall):
    hall.press("1", "Q", "Space", "Space")
    hall.engine.report(PicturePresence("c4", False), hall.clock.now_s())
    hall.press("4", "Space")
    assert hall.state.program.held is not None
    hall.engine.report(PicturePresence("c4", True), hall.clock.now_s())
    assert hall.state.program.on_air == Shot("c4")


@pytest.mark.parametrize(
    ("action", "arguments", "said"),
    [
        ("ready.camera", {"camera": 7}, "There is no camera 7. This show has: 1, 2, 3, 4"),
        ("ready.camera", {"camera": "x"}, "camera “x” has to be a whole number"),
        ("ready.camera", {"camera": 1, "speed": 2}, "speed 2 is not known here"),
        ("ready.framing", {"camera": 1, "letter": "G"}, "has nothing on G"),
        ("ready.framing", {"camera": 4, "letter": "Q"}, "is fixed"),
        ("steer.zoom", {"camera": 4, "steps": 1}, "is fixed"),
        ("take", {}, "Nothing is readied"),
        ("unready", {}, "nothing to unready"),
        ("edit.undo", {}, "nothing to undo"),
        ("framing.rename", {"camera": 1, "letter": "Q", "name": "  "}, "needs a name"),
        ("no.such", {}, "no action called"),
    ],
)
def test_what_cannot_be_is_refused_in_a_sentence_and_changes_nothing(hall, action, arguments, said):
    before = hall.state
    hall.act(action, **arguments)
    assert said in hall.sentences[-1]
    assert (hall.state.show, hall.state.program.on_air, hall.state.program.next) == (
        before.show,
        before.program.on_air,
        before.program.next,
    )


def test_the_catalogue_rejects_duplicates():
    row = Action("a", "A", NoParams, lambda s, p, n: None, {"X": {}})
    with pytest.raises(ValueError, match="two actions are called a"):
        Catalogue((row, row))
    with pytest.raises(ValueError, match="X is a key of both a and b"):
        Catalogue((row, Action("b", "B", NoParams, row.run, {"X": {}})))


KEYS = ["1", "2", "3", "4", "Q", "W", "E", "Alt+Q", "Alt+E", "Ctrl+Shift+W", "Shift+R", "Space", "Shift+Space", "Tab",
        "Backspace", "Esc", "Left", "+", "Ctrl+Z", "`"]  # fmt: skip


@given(st.lists(st.tuples(st.sampled_from(KEYS), st.sampled_from([0.0, 0.05, 0.4, 2.0])), max_size=30))
@examples(20)
def test_whatever_is_pressed_the_show_stays_sound_and_replays_exactly(presses):
    hall = Hall()
    for key, pause_s in presses:
        hall.press(key)
        state = hall.state
        assert state.program.on_air is not None
        assert state.program.next is None or not state.on_air(state.program.next.camera_id)
        assert len({s.camera_id for s in state.program.then}) == len(state.program.then)
        assert state.program.held is None or state.program.held.shot == state.program.next
        hall.turn(pause_s)
    cuts = [e for e in hall.events if isinstance(e, ProgramChanged)]
    assert len(cuts) == len(hall.records)
    assert all(r.landed for r in hall.records if r.framing_name and not r.forced)
    again = replay(hall.opening, hall.entries)
    again.advance(hall.clock.now_s())
    assert again.state == hall.state


def test_every_key_of_the_catalogue_means_something_valid():
    for key, (row, arguments) in CATALOGUE.keys.items():
        assert row.params.model_validate(dict(arguments)), key
