"""Selecting by number, in banks; what has to be held; stopping whatever runs."""

import pytest

from ribalta.core.engine.actions.program.rows import TWICE_S
from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.state.automation_state import VoiceMode
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.macros import Macro, Step, StepKind
from tests.core.hand_wound import Hall, small_show


@pytest.fixture
def hall():
    return Hall(small_show())


def held(hall: Hall, action: str, **arguments: object):
    row, params = CATALOGUE.find(action, arguments)
    return row.held(hall.state, params)


def test_a_number_selects_and_the_same_again_readies_as_it_stands(hall):
    hall.press("2")
    assert (hall.state.desk.row, hall.state.program.next) == ("c2", None)
    hall.press("2")
    assert hall.state.program.next == Shot("c2")


def test_a_number_that_came_before_a_letter_or_long_ago_is_not_the_first_of_two(hall):
    hall.press("2", "W", "2", "E")
    assert hall.state.program.next == Shot("c2", hall.state.show.framing_at("c2", 2).id)
    hall.press("Backspace", "3")
    hall.turn(TWICE_S + 0.1)
    hall.press("3")
    assert (hall.state.desk.row, hall.state.program.next) == ("c3", None)
    hall.press("1", "2", "1")
    assert hall.state.program.next is None


def test_a_fixed_camera_is_readied_by_its_number_at_once(hall):
    hall.press("1", "1", "Space")
    hall.press("4")
    assert hall.state.program.next == Shot("c4")


def test_numbers_are_those_of_the_bank_that_is_shown_and_only_banks_with_cameras_are_shown(hall):
    hall.press("`")
    assert "only one bank" in hall.sentences[-1]
    hall.act("camera.renumber", camera=3, to=21)
    hall.press("`")
    assert hall.state.desk.bank == 2
    hall.press("3", "E")
    assert hall.state.desk.row == "c3"
    hall.press("1")
    assert "There is no camera 19" in hall.sentences[-1]
    hall.press("`")
    assert hall.state.desk.bank == 0
    hall.press("Shift+`")
    assert hall.state.desk.bank == 2


def test_what_overwrites_or_stops_has_to_be_held_and_nothing_else_has(hall):
    hall.press("2")
    over = held(hall, "framing.store", letter="W")
    assert "2W" in over.words
    assert over.call.arguments == {"camera": 2, "letter": "W", "page": 0, "overwrite": True, "light": False}
    assert held(hall, "framing.store", letter="G") is None
    hall.act("framing.lock", camera=2, letter="W")
    assert held(hall, "framing.store", letter="W") is None  # it is refused
    assert held(hall, "record", on=True) is None
    hall.act("record", on=True)
    assert held(hall, "record", on=True).call.arguments == {"on": False}
    hall.press("1", "Q", "Space", "0", "Shift+Q")
    assert held(hall, "framing.store", letter="Q").call.action == "scene.store"


def test_one_key_stops_what_runs_and_leaves_what_is_on_air(hall):
    hall.press("F12")
    assert "Nothing runs by itself" in hall.sentences[-1]
    macro = Macro(id="a1", name="Long", steps=(Step(kind=StepKind.WAIT, seconds=60),))
    hall.engine.state = hall.state.with_show(hall.state.show.model_copy(update={"macros": (macro,)}))
    hall.press("1", "Q", "Space")
    hall.act("macro.run", macro="a1")
    before = hall.state.program.on_air
    hall.press("F12")
    assert (hall.state.automation.runs, hall.state.program.on_air) == ((), before)
    assert hall.sentences[-1] == "Stopped: macro “Long”."
    assert hall.state.voice.mode is VoiceMode.OFF
