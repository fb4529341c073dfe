"""A first evening by the words on the window alone: each does what it says, and the next is right after a detour."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ribalta.core.engine.views.first_evening import advise
from ribalta.core.ports.crew import CheckDone, EveningEnded
from ribalta.core.show.document.model import Settings, Show
from ribalta.desk.window import Window
from tests.core.hand_wound import small_show
from tests.desk.hand_wound import HandWoundSession, opened
from tests.desk.test_cue_parts import refresh


@pytest.fixture
def window(app):
    show = small_show().model_copy(update={"framings": (), "settings": Settings()})
    yield from opened(Window(HandWoundSession(show)))


def key(window, name: Qt.Key, shift: bool = False) -> None:
    modifier = Qt.KeyboardModifier.ShiftModifier if shift else Qt.KeyboardModifier.NoModifier
    QTest.keyClick(window.focusWidget() or window, name, modifier)
    refresh(window)


def test_from_cameras_to_the_last_tick_by_its_words(window, hall):
    line = window.guide_line
    assert not line.isVisible()  # the show has cameras: it is asked for
    QTest.keyClick(window, Qt.Key.Key_F1, Qt.KeyboardModifier.ControlModifier)
    refresh(window)
    assert line.isVisible()
    hall.act("list.add", list="closing", words="Caps on")
    hall.turn(1.0)
    refresh(window)
    assert "Make cover shot" in line.does.text()
    line.show_me.click()
    window.rig.list.choose("c4")
    refresh(window)
    window.rig.card.cover.click()
    refresh(window)
    for number, letter in ((1, Qt.Key.Key_Q), (1, Qt.Key.Key_W), (2, Qt.Key.Key_Q), (2, Qt.Key.Key_W)):
        assert line.does.text().startswith(f"Press F3 for Frame, then {number}.")
        assert line.does.text().endswith(f"press Shift+{chr(letter)}.")
        key(window, Qt.Key.Key_F3)
        key(window, Qt.Key.Key_0 + number)
        key(window, Qt.Key.Key_Right)
        hall.turn(1.5)
        key(window, letter, shift=True)
        hall.turn(0.5)
        refresh(window)
    assert "Check everything" in line.does.text()
    line.show_me.click()
    assert window.view("Check").isVisible()
    hall.engine.report(CheckDone(1.0, 0, 2), hall.clock.now_s())
    refresh(window)
    assert line.does.text() == "Press F6 for Air. Press 1, then Q: camera 1 gets ready."
    key(window, Qt.Key.Key_F6)
    key(window, Qt.Key.Key_1)
    key(window, Qt.Key.Key_Q)
    assert "lamps" in line.does.text()
    key(window, Qt.Key.Key_Space)
    assert line.does.text().startswith("Wait")
    hall.turn(6.0)
    refresh(window)
    assert hall.records[-1].landed
    assert line.does.text().startswith("Press Tab")
    key(window, Qt.Key.Key_Tab)
    hall.turn(1.0)
    refresh(window)
    assert hall.state.program.on_air.camera_id == "c4"
    assert "4 more" in line.does.text()
    for k in range(4):
        key(window, Qt.Key.Key_1 + k % 2)
        key(window, Qt.Key.Key_W)
        hall.turn(4.0)
        key(window, Qt.Key.Key_Space)
        hall.turn(1.0)
    refresh(window)
    assert line.does.text().startswith("You are directing")
    hall.engine.report(EveningEnded(), hall.clock.now_s())
    refresh(window)
    assert "Caps on" in line.does.text()
    line.skip.click()
    assert line.does.text().startswith("The evening is over")
    assert not line.skip.isVisible()
    line.end.click()
    assert not line.isVisible()


def test_what_comes_next_follows_from_the_show_and_not_from_a_memory(window, hall):
    assert advise(hall.state, 0.0, ()).key in ("answers", "cover")
    assert advise(HandWoundSession(Show()).state, 0.0).key == "cameras"
    hall.turn(1.0)
    hall.contact("c2", False)
    said = advise(hall.state, hall.clock.now_s())
    assert (said.key, said.view) == ("answers", "Rig")
    assert said.does.startswith("Camera 2 does not answer")
    hall.contact("c2", True)
    hall.act("camera.cover", camera=4)
    assert advise(hall.state, hall.clock.now_s()).key == "framings"
    hall.act("edit.undo")
    assert advise(hall.state, hall.clock.now_s()).key == "cover"
    everything = {"cover", "framings", "check", "ready", "take", "safe", "go on", "directing"}
    assert advise(hall.state, hall.clock.now_s(), everything) is None


def test_an_empty_show_begins_with_it(app):
    for window in opened(Window(HandWoundSession(Show()))):
        assert window.guide_line.isVisible()
        assert "Find cameras" in window.guide_line.does.text()
        assert window.guide_line.count.text() == "1 of 12"
