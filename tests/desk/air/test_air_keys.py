"""Air's keys, and steering by the picture."""

import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.triggers_pads_shortcuts import Shortcut
from ribalta.demo.portraits import press
from ribalta.desk.air.layout import TilePlace
from ribalta.desk.input.keyboard import key_name
from tests.desk.air.test_air_parts import window as window


@pytest.mark.parametrize(
    ("key", "modifiers", "name"),
    [
        (Qt.Key.Key_Space, Qt.KeyboardModifier.NoModifier, "Space"),
        (Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier, "Shift+E"),
        (Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier, "Ctrl+Left"),
        (Qt.Key.Key_Plus, Qt.KeyboardModifier.ShiftModifier, "+"),
        (Qt.Key.Key_5, Qt.KeyboardModifier.KeypadModifier, "Num+5"),
        (Qt.Key.Key_Enter, Qt.KeyboardModifier.KeypadModifier, "Enter"),
        (Qt.Key.Key_PageDown, Qt.KeyboardModifier.NoModifier, "PgDown"),
    ],
)
def test_keys_have_the_names_of_the_catalogue(app, key, modifiers, name):
    assert key_name(QKeyEvent(QEvent.Type.KeyPress, int(key), modifiers)) == name


def test_every_default_key_reaches_its_action(window):
    asked = []
    controls = window.bridge.controls
    controls._controls._run_call = lambda call, cause: asked.append((call.action, call.arguments))
    window.bridge.asked.disconnect()  # what a desk does itself is not done here
    window.bridge.asked.connect(lambda action, view: asked.append((action, {"view": view} if view else {})))
    focus = {"Ctrl+Tab"}  # from part to part, on Air
    for name, (row, arguments) in CATALOGUE.keys.items():
        if name in focus:
            continue
        asked.clear()
        press(window, name)
        let_go = [(row.id, dict(arguments) | dict(row.let_go))] if row.let_go is not None else []
        assert asked == [(row.id, dict(arguments)), *let_go], name


def test_shift_and_a_letter_kept_down_replaces_and_let_go_early_does_not(window, hall):
    hall.press("2")
    before = hall.state.show.framing_at("c2", 1)
    shift = Qt.KeyboardModifier.ShiftModifier
    QTest.keyPress(window.air, Qt.Key.Key_W, shift)
    assert window.ring.isVisible()
    QTest.keyRelease(window.air, Qt.Key.Key_W, shift)
    assert not window.ring.isVisible()
    assert not window.ring.timer.isActive()
    assert window.notices.sentence == "Hold it until the ring is full to store over “2W”."
    assert hall.state.show.framing_at("c2", 1) == before
    QTest.keyPress(window.air, Qt.Key.Key_W, shift)
    window.ring.fill()
    assert hall.state.show.framing_at("c2", 1) != before


def test_what_is_meant_does_not_wait_for_the_engine(window, hall):
    """Keys faster than the engine: the named place, and what a long press replaces, are those of the hand."""
    hall.press("2")
    asked, worked = [], []
    window.bridge.act = lambda action_id, **arguments: asked.append((action_id, arguments))
    window.bridge.work = lambda control, down: worked.append(control) if down else None
    press(window, "3")
    press(window, "W")
    assert window.air.board.named == TilePlace(3, "W")
    press(window, "N")
    assert window.air.name_field.isVisible()  # before the next key
    QTest.keyClick(window.air.name_field, Qt.Key.Key_Escape)
    press(window, "P")
    assert asked[-1] == ("framing.lock", {"camera": 3, "letter": "W"})
    assert worked == ["key 3", "key W"]
    QTest.keyPress(window.air, Qt.Key.Key_W, Qt.KeyboardModifier.ShiftModifier)
    press(window, "1")
    window.bridge.call = asked.append
    window.ring.fill()
    where = {"camera": 3, "letter": "W", "page": 0, "overwrite": True, "light": False}
    assert (asked[-1].action, asked[-1].arguments) == ("framing.store", where)
    press(window, "9")
    assert window.air.board.row_asked == 1  # there is no camera 9


def test_keeping_the_keys_down_on_a_free_letter_stores_once(window, hall):
    hall.press("2")
    QTest.keyPress(window.air, Qt.Key.Key_G, Qt.KeyboardModifier.ShiftModifier)
    assert hall.state.show.framing_at("c2", 9) is not None
    assert not window.ring.isVisible()
    assert len(hall.state.edits.undo) == 1


def test_a_held_digit_readies_once_and_a_held_arrow_trims_on(window, hall):
    for repeat in (False, True, True):
        event = QKeyEvent(QEvent.Type.KeyPress, int(Qt.Key.Key_2), Qt.KeyboardModifier.NoModifier, "2", repeat)
        QApplication.sendEvent(window.air, event)
    assert [e["action"] for e in hall.entries if "action" in e] == ["row.key"]
    hall.press("2")
    asked = len(hall.cameras["c2"].asked)
    for repeat in (False, True, True):
        event = QKeyEvent(QEvent.Type.KeyPress, int(Qt.Key.Key_Right), Qt.KeyboardModifier.NoModifier, "", repeat)
        QApplication.sendEvent(window.air, event)
    assert len(hall.cameras["c2"].asked) == asked + 3


def test_tab_is_the_cover_shot_and_never_moves_the_focus(window, hall):
    hall.press("1", "Q", "Space", "Space")
    QTest.keyClick(window.air, Qt.Key.Key_Tab)
    assert hall.state.program.on_air == Shot("c4")
    assert window.air.hasFocus() or window.focusWidget() in (None, window.air)


def test_escape_in_a_name_keeps_the_old_one_and_is_not_a_show_key(window, hall):
    hall.press("2")
    press(window, "W")
    press(window, "N")
    field = window.air.name_field
    QTest.keyClicks(field, "Other")
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert not field.isVisible()
    assert hall.state.show.framing_at("c2", 1).name == "2W"
    assert [e["action"] for e in hall.entries if "action" in e] == ["row.key", "ready.framing"]


def test_pages_turn_and_the_letters_mean_the_page_that_is_shown(window, hall):
    press(window, "2")
    press(window, "PgDown")
    assert hall.state.desk.page == 1
    QTest.keyPress(window.air, Qt.Key.Key_A, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyRelease(window.air, Qt.Key.Key_A, Qt.KeyboardModifier.ShiftModifier)
    assert hall.state.show.framing_at("c2", 15).name == "View A"
    press(window, "PgUp")
    press(window, "PgUp")
    assert hall.state.desk.page == 0


def test_every_key_is_drawn_with_what_it_does_in_the_view_and_f1_again_opens_the_guide(window, hall):
    press(window, "F1")
    page, drawing = window.key_page, window.key_page.drawing
    assert page.isVisible()
    told: dict[str, str] = {}
    for layer in page.layers:
        page.show_layer(layer)
        told |= {
            f"{layer}+{k}" if layer else k: drawing.meaning(k)[0] for k in drawing.areas() if drawing.meaning(k)[0]
        }
    drawn = set(told) | {"Enter", "+", "Ctrl++", "Ctrl+Shift+Space", "~"}
    assert not [
        key for key in CATALOGUE.keys if key not in drawn and not key.startswith(("Ctrl+Alt+Shift", "Alt+Shift"))
    ]
    assert not any("{" in words or not words.strip() for words in told.values())
    assert (told["2"], told["W"], told["Shift+W"], told["Z"]) == ("camera 2", "ready W", "store on W", "dip")
    assert told["Ctrl+6"] == "title 1"
    page.grab()
    press(window, "L")  # the show's keys stay the show's
    assert hall.state.show.settings.landing_rule == "cover"
    window.show_view("Frame")
    assert not page.isVisible()
    QTest.keyClick(window.frame, Qt.Key.Key_F1)
    page.show_layer("")
    assert (drawing.meaning("W")[0], drawing.meaning("N")[0], drawing.meaning("B")[0]) == (
        "send to W",
        "rename",
        "new picture",
    )
    given = Shortcut(control="key Shift+Q", call=Call(action="black", arguments={}))
    hall.engine.state = hall.state.with_show(hall.state.show.model_copy(update={"shortcuts": (given,)}))
    page.show_layer("Shift")
    assert (drawing.meaning("Q")[0], drawing.meaning("W")[0]) == ("black", "store on W")
    QTest.keyClick(page, Qt.Key.Key_F1)
    guide = window.screens["guide"]
    assert guide.isVisible()
    assert "rame" in guide.list.currentItem().text()
    assert len(guide.text.toPlainText()) > 200
    QTest.keyClick(page, Qt.Key.Key_Escape)
    assert not page.isVisible()
    QTest.keyClick(window.frame, Qt.Key.Key_F1)
    page.show_layer("")
    QTest.mouseClick(drawing, Qt.MouseButton.LeftButton, pos=drawing.areas()["Space"].center().toPoint())
    assert window.cue.isVisible()
    assert window.cue.rail.words["Shortcuts"].isChecked()


def test_what_only_a_desk_can_do_is_done_whoever_asks(window, hall):
    press(window, "2")
    press(window, "W")
    for action, arguments in (("desk.keys", {}), ("desk.lock_framing", {}), ("desk.view", {"view": "Cue"})):
        window.bridge.act(action, **arguments)
        QApplication.processEvents()
    assert window.key_page is not None
    assert hall.state.show.framing_at("c2", 1).protected
    assert window.cue.isVisible()
    hall.act("framing.rename", camera=3, letter="E", name="Hands")  # somebody else's place is not this desk's
    window.show_view("Air")
    press(window, "P")
    assert not hall.state.show.framing_at("c2", 1).protected
    assert not hall.state.show.framing_at("c3", 2).protected


def test_a_key_for_what_this_version_does_not_know_does_no_harm(window, hall):
    newer = Shortcut(control="key J", call=Call(action="applause.begin"))
    hall.engine.state = hall.state.with_(show=hall.state.show.model_copy(update={"shortcuts": (newer,)}))
    for view in ("Air", "Rig"):
        window.show_view(view)
        QTest.keyClick(window.air if view == "Air" else window, Qt.Key.Key_J)
    assert "no action called" in " ".join(hall.sentences)
