"""The show's keys in every view: beside a text field, over a view's own, on another layout; and the strip."""

import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QPushButton

from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.triggers_pads_shortcuts import Shortcut
from ribalta.demo.portraits import press
from ribalta.desk.input import keyboard
from ribalta.desk.input.keyboard import key_name
from ribalta.desk.remembered import written_keys
from tests.desk.air.test_air_parts import window as window

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
VIEWS = ("Rig", "Frame", "Cue", "Check", "Air", "Wrap")


def focused(window, view: str, part=None):
    """A view in front and something in it in focus: a text field, if there is one."""
    window.show_view(view)
    window.activateWindow()
    QApplication.processEvents()
    fields = [f for f in window.view(view).findChildren(QLineEdit) if f.isVisible() and f.isEnabled()]
    there = part or (fields[0] if fields else window.view(view))
    there.setFocus()
    now = QApplication.focusWidget()
    assert now is not None
    assert now is there or there.focusProxy() is now
    return now


@pytest.mark.parametrize("view", VIEWS)
def test_take_cover_black_clear_record_and_stop_work_in_every_view_also_beside_a_text_field(window, hall, view):
    hall.press("2", "W")
    hall.turn(5)
    there = focused(window, view)
    QTest.keyClick(there, Qt.Key.Key_Space, CTRL)
    assert hall.state.program.on_air.camera_id == "c2"
    if view != "Air":
        QTest.keyClick(there, Qt.Key.Key_Tab, CTRL)
        assert hall.state.program.on_air.camera_id == "c4"
    QTest.keyClick(there, Qt.Key.Key_B, CTRL)
    assert hall.state.program.black.black
    QTest.keyClick(there, Qt.Key.Key_Y, CTRL)
    assert "Cleared" in hall.sentences[-1]
    QTest.keyClick(there, Qt.Key.Key_R, CTRL)
    assert hall.state.output("recording").on
    QTest.keyClick(there, Qt.Key.Key_R, CTRL)  # let go at once, it does not stop
    assert hall.state.output("recording").on
    QTest.keyPress(there, Qt.Key.Key_R, CTRL)
    assert window.ring.isVisible()
    window.ring.fill()
    assert not hall.state.output("recording").on
    QTest.keyRelease(there, Qt.Key.Key_R, CTRL)
    QTest.keyClick(there, Qt.Key.Key_F12)
    assert "Nothing runs by itself" in hall.sentences[-1]
    assert not isinstance(there, QLineEdit) or not there.isModified()


def test_a_text_field_keeps_its_letters_and_its_own_undo(window, hall):
    given = Shortcut(control="key Shift+Q", call=Call(action="black", arguments={}))
    hall.engine.state = hall.state.with_show(hall.state.show.model_copy(update={"shortcuts": (given,)}))
    field = focused(window, "Frame", window.frame.search)
    edits = len(hall.state.edits.undo)
    QTest.keyClicks(field, "Q b")
    assert field.text() == "Q b"
    assert not hall.state.program.black.black
    QTest.keyClick(field, Qt.Key.Key_Z, CTRL)
    assert field.text() == ""
    assert len(hall.state.edits.undo) == edits


@pytest.mark.parametrize("view", VIEWS)
def test_a_key_that_a_show_gives_to_something_does_the_same_in_every_view(window, hall, view):
    given = Shortcut(control="key Shift+Q", call=Call(action="black", arguments={}))
    hall.engine.state = hall.state.with_show(hall.state.show.model_copy(update={"shortcuts": (given,)}))
    before = hall.state.show.framings
    there = focused(window, view, window.view(view))
    QTest.keyClick(there, Qt.Key.Key_Q, SHIFT)
    assert hall.state.program.black.black
    assert hall.state.show.framings == before


def test_numbers_and_letters_are_found_by_their_place_and_chords_by_what_is_written_on_them(app, monkeypatch):
    monkeypatch.setattr(keyboard, "WITH_CODES", (app.platformName(),))

    def name(code: int, key: Qt.Key, modifiers=Qt.KeyboardModifier.NoModifier) -> str:
        return key_name(QKeyEvent(QEvent.Type.KeyPress, int(key), modifiers, code, 0, 0, ""))

    assert name(24, Qt.Key.Key_A) == "Q"  # where French keyboards have their A
    assert name(10, Qt.Key.Key_Ampersand) == "1"
    assert name(10, Qt.Key.Key_Ampersand, CTRL) == "Ctrl+1"
    assert name(49, Qt.Key.Key_AsciiCircum) == "`"
    assert name(24, Qt.Key.Key_A, SHIFT) == "Shift+Q"
    assert name(24, Qt.Key.Key_A, CTRL | SHIFT) == "Ctrl+Shift+Q"
    assert name(52, Qt.Key.Key_Y, CTRL) == "Ctrl+Y"  # where German keyboards have their Y
    assert name(29, Qt.Key.Key_Z, CTRL | SHIFT) == "Ctrl+Shift+Z"
    assert name(52, Qt.Key(0x42F), CTRL) == "Ctrl+Z"  # Cyrillic: no letter of ours is written there
    assert name(65, Qt.Key.Key_Space) == "Space"


def test_the_drawn_keyboard_shows_what_is_written_on_a_key_once_it_was_pressed(window, app, monkeypatch):
    monkeypatch.setattr(keyboard, "WITH_CODES", (app.platformName(),))
    there = focused(window, "Rig")
    there.clear()
    for code, key, sign in ((24, Qt.Key.Key_A, "a"), (25, Qt.Key.Key_Z, "z"), (26, Qt.Key.Key_E, "e")):
        app.sendEvent(
            there, QKeyEvent(QEvent.Type.KeyPress, int(key), Qt.KeyboardModifier.NoModifier, code, 0, 0, sign)
        )
    assert there.text() == "aze"  # the field has its letters all the same
    window.show_view("Air")
    window._toggle_keys()
    assert window.key_page.drawing.written == {"Q": "A", "W": "Z"}
    window.keys.remember()  # as when the window goes
    assert written_keys() == {"Q": "A", "W": "Z"}
    window.key_page.grab()


def test_the_strip_says_what_is_on_air_in_every_view_but_air_and_its_buttons_work(window, hall):
    hall.press("2", "W")
    hall.turn(5)
    window.show_view("Air")
    assert not window.strip.isVisible()
    window.show_view("Cue")
    assert window.strip.isVisible()
    buttons = window.strip.buttons
    assert buttons["take"].chord == "Ctrl+Space"
    QTest.mouseClick(buttons["take"], Qt.MouseButton.LeftButton)
    assert [line[1] for line in window.strip.names.lines()] == ["2 W  2W", "nothing is readied", "Not checked yet"]
    QTest.mouseClick(buttons["record"], Qt.MouseButton.LeftButton)
    assert hall.state.output("recording").on
    QTest.mousePress(buttons["record"], Qt.MouseButton.LeftButton)
    assert window.ring.isVisible()
    QTest.mouseRelease(buttons["record"], Qt.MouseButton.LeftButton)
    assert hall.state.output("recording").on
    assert not window.ring.isVisible()
    QTest.mousePress(buttons["record"], Qt.MouseButton.LeftButton)
    window.ring.fill()
    assert not hall.state.output("recording").on
    QTest.mouseRelease(buttons["record"], Qt.MouseButton.LeftButton)
    assert window.strip.pictures["program"].accessibleName() == "On air"


def test_ctrl_tab_goes_from_part_to_part_on_air_and_keys_stay_the_shows(window, hall):
    there = focused(window, "Air", window.air)
    QTest.keyClick(there, Qt.Key.Key_Tab, CTRL)
    now = QApplication.focusWidget()
    assert now is not None
    QTest.keyClick(now, Qt.Key.Key_2)
    assert hall.state.desk.row == "c2"


def test_undo_says_what_it_undoes_and_several_are_undone_from_the_list(window, hall):
    window.show_view("Cue")
    for name in ("One", "Two", "Three"):
        hall.act("framing.rename", camera=1, letter="Q", name=name)
    window.bridge.changed.emit()
    undo = window.strip.buttons["edit.undo"]
    assert "Three" in undo.toolTip()
    menu = window.strip.open_edits()
    offered = [action.text() for action in menu.actions() if action.text()]
    assert offered[0] == f"Undo {hall.state.edits.undo_words[-1]}"
    assert [words.split(",")[0] for words in offered[1:]] == ["Undo 2 edits", "Undo 3 edits"]
    menu.actions()[1].trigger()
    menu.close()
    assert hall.state.show.framing_at("c1", 0).name == "One"
    assert "2 edits" in hall.sentences[-1]
    QTest.keyClick(window.cue, Qt.Key.Key_Z, CTRL | SHIFT)
    assert hall.state.show.framing_at("c1", 0).name == "Two"
    assert ["Three" in words for words in hall.state.edits.redo_words] == [True]


def test_the_last_hundred_notices_can_be_read_again(window, hall):
    for k in range(130):
        window.bridge.noticed.emit(Notice(f"Said {k}.", Severity.FAULT if k % 2 else Severity.INFO))
    focused(window, "Frame", window.frame)
    QTest.mouseClick(window.notices, Qt.MouseButton.LeftButton)
    page = window.said
    assert page.isVisible()
    assert page.list.count() == 100
    assert page.list.item(0).text().endswith("! Trouble:  Said 129.")
    window.bridge.noticed.emit(Notice("One more."))
    assert page.list.item(0).text().endswith("One more.")
    QTest.keyClick(page, Qt.Key.Key_Escape)
    assert not page.isVisible()
    QTest.keyClick(window.frame, Qt.Key.Key_F1, SHIFT)
    assert page.isVisible()


def test_what_has_the_focus_may_be_deleted(window):
    gone = QPushButton("Add", window)
    gone.show()
    gone.setFocus()
    QApplication.processEvents()
    gone.deleteLater()
    QApplication.sendPostedEvents(gone, QEvent.Type.DeferredDelete)
    QApplication.processEvents()
    press(window, "F6")  # keys are the show's as before
    assert window.air.isVisible()
