"""Cue's pages of shortcuts, pads and starter sets."""

import json

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from ribalta.core.ports.causes import By
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.triggers_pads_shortcuts import How, Shortcut
from ribalta.core.show.files.shortcut_file import read_shortcuts, write_shortcuts
from ribalta.demo.portraits import press
from ribalta.desk.cue.hands.shortcut_rows import GIVEN
from tests.desk.by_hand import drop, items_of
from tests.desk.test_cue_parts import choose, type_in
from tests.desk.test_prompt_parts import LEFT, find, page, refreshed
from tests.desk.test_prompt_parts import window as window

CTRL, NONE = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.NoModifier


def test_a_key_is_found_by_pressing_and_bound(window, hall):
    shortcuts = page(window, "Shortcuts")
    shortcuts.press.click()
    QTest.keyClick(window, Qt.Key.Key_J)
    assert shortcuts.said.text() == "J"
    shortcuts.call.choose.click()
    find(window, "ready camera 2 2w")
    assert hall.state.show.shortcuts[0].place == ("key J", How.PRESS, "")
    assert hall.state.show.shortcuts[0].call.follows == "item"
    window.show_view("Air")
    press(window, "J")
    assert hall.state.program.next.framing_id == "f7"
    window.show_view("Cue")
    refreshed(shortcuts).press.click()
    QTest.keyClick(window, Qt.Key.Key_Space)  # it does not cut here
    assert hall.state.program.on_air.camera_id == "c4"
    assert shortcuts.chosen == ("key Space", "", How.PRESS, GIVEN)
    shortcuts.silence.click()
    window.show_view("Air")
    press(window, "Space")
    assert hall.state.program.on_air.camera_id == "c4"
    window.show_view("Cue")
    assert "In place of the default: Cut to Next." in refreshed(shortcuts).note.text()
    shortcuts.remove.click()
    shortcuts._chosen("key J\n\npress\nshow")
    choose(shortcuts.how, "long press")
    choose(refreshed(shortcuts).owner, "desk")
    type_in(refreshed(shortcuts).layer, "Talk")
    assert [s.place for s in hall.state.desk.shortcuts] == [("key J", How.LONG, "Talk")]
    assert not hall.state.show.shortcuts


def test_any_default_key_can_be_something_else_even_the_desks_own(window, hall):
    hall.act("shortcut.set", control="key L", action="black")
    hall.act("shortcut.set", control="key F1", action="card")
    window.show_view("Air")
    press(window, "L")
    press(window, "F1")
    assert hall.state.program.black.black
    assert hall.state.program.card
    assert window.key_page is None


def test_pads_are_made_pressed_kept_down_and_show_tally(window, hall):
    pads = page(window, "Pads")
    pads.new.click()
    grid = refreshed(pads).grid
    QTest.mouseClick(grid, LEFT, pos=grid.area_of(5).center().toPoint())
    pads.call.choose.click()
    find(window, "ready camera 2 2w")
    pads.long.choose.click()
    find(window, "fade to black")
    made = hall.state.show.pages[0]
    assert made.pad(5).label == "2 2W"
    choose(refreshed(pads).columns, "8")
    assert hall.state.show.pages[0].pads[0].at == 9
    grid.selected = 9
    refreshed(pads)
    type_in(pads.label, "Hands")
    pads.grid.moved.emit(9, 0)
    refreshed(pads)
    window.show_view("Air")
    press(window, "F9")
    pane = window.air.pads
    assert pane.isVisible()
    at = pane.grid.area_of(0).center().toPoint()
    QTest.mouseClick(pane.grid, LEFT, pos=at)
    assert hall.state.program.next.framing_id == "f7"
    QTest.mousePress(pane.grid, LEFT, pos=at)
    pane.grid._long()
    QTest.mouseRelease(pane.grid, LEFT, pos=at)
    assert hall.state.program.black.black
    assert window.bridge.history.lines[-1].cause.by is By.PAD
    hall.turn(3)
    hall.act("take")
    pane.grid.refresh()
    red = pane.grid.grab().toImage().pixelColor(QPoint(int(pane.grid.area_of(0).left()) + 30, 3))
    assert red.red() > 180
    assert red.green() < 120
    press(window, "F9")
    assert not pane.isVisible()
    side = next(cell for cell in window.air.side.cells() if cell.pad)
    assert side.words == "Hands"
    side.pressed(False)


def test_pads_are_filled_by_dragging_and_whatever_is_prepared_gets_a_key(window, hall):
    hall.act("macro.add", name="Welcome")
    hall.act("playlist.add", name="Round")
    pads = page(window, "Pads")
    show = hall.state.show
    assert not drop(pads.grid, items_of(show, "f7"), QPoint(40, 40))  # no page yet
    pads.new.click()
    grid = refreshed(pads).grid

    def at(k: int) -> QPoint:
        return grid.area_of(k).center().toPoint()

    assert drop(grid, items_of(show, "f7", show.macros[0].id, "t1"), at(2))
    made = hall.state.show.pages[0]
    assert [(p.at, p.call.action) for p in made.pads] == [(2, "ready.framing"), (3, "macro.run"), (4, "title.switch")]
    hall.act("edit.undo")  # one edit
    assert not hall.state.show.pages[0].pads
    refreshed(pads).browser.search.setText("round playlist")
    QTest.keyClick(pads.browser.tiles, Qt.Key.Key_Home)
    pads.browser.tiles.setCurrentRow(0)
    QTest.keyClick(pads.browser.tiles, Qt.Key.Key_Return)
    assert hall.state.show.pages[0].pads[0].label == "Round"
    lists = page(window, "Playlists")
    give = lists.give
    give.key.click()
    assert give.asker.isVisible()
    assert "Press the key" in give.asker.said.text()
    press(window, "Space")  # it does something: once more, or another
    assert "Press it again" in give.asker.said.text()
    assert not hall.state.show.shortcuts
    press(window, "J")
    assert not give.asker.isVisible()
    assert hall.state.show.shortcuts[0].control == "key J"
    assert hall.state.show.shortcuts[0].call.action == "playlist.start"
    give.key.click()
    press(window, "Esc")
    assert not give.asker.isVisible()
    assert len(hall.state.show.shortcuts) == 1
    menu = give.open_pads()
    assert [a.text() for a in menu.actions()] == ["Pads 1, pad 1"]  # the other lies where the last drag was let go
    menu.actions()[0].trigger()
    assert [p.at for p in hall.state.show.pages[0].pads] == [0, 2]
    uses = give.open_uses()
    assert [a.text() for a in uses.actions()] == ["Shortcut J", "Pad “Round”", "Pad “Round”"]
    uses.actions()[1].trigger()
    assert window.cue.page == "Pads"
    assert pads.grid.selected == 0


def test_a_plain_page_stays_until_its_code_is_typed(window, hall):
    hall.act("page.add", name="Front")
    hall.act("page.add", name="Helper", columns=2, rows=2)
    helper = hall.state.show.pages[1].id
    hall.act("page.change", pads=helper, plain=True, code="77")
    window.open_screen("pads")
    pane = window.screens["pads"].pane
    pane.refresh()
    pane.turn_to(helper)
    pane.lock.click()
    pane.turn_to(hall.state.show.pages[0].id)
    assert pane.page.id == helper
    assert not any(b.isVisible() for b in pane.buttons.values())
    type_in(pane.code, "12")
    assert pane.locked
    type_in(pane.code, "77")
    assert not pane.locked


def test_starter_sets_show_what_they_replace_and_are_applied_in_part(window, hall):
    shortcuts = page(window, "Shortcuts")
    starters = shortcuts.starters
    starters.buttons["Gamepad"].click()
    hall.act("shortcut.set", control="gamepad a", action="cover")
    starters.show_set("")
    starters.buttons["Gamepad"].click()
    assert starters.list.item(0).text() == "a   Cut to Next   – in place of: Cut to the cover shot"
    for k in range(1, starters.list.count()):
        starters.list.item(k).setCheckState(Qt.CheckState.Unchecked)
    starters.apply.click()
    assert [(s.control, s.call.action) for s in hall.state.show.shortcuts] == [("gamepad a", "take")]
    starters.buttons["32 pads"].click()
    starters.apply.click()
    made = hall.state.show.pages[0]
    assert (made.columns, made.rows, len(made.pads)) == (8, 4, 17)


def test_shortcuts_go_out_and_come_in_and_onto_paper(window, hall, tmp_path):
    shortcuts = page(window, "Shortcuts")
    hall.act("shortcut.set", control="key J", action="ready.framing", arguments={"camera": 2, "letter": "W"})
    shortcuts.write_out(tmp_path / "mine.json")
    kept = read_shortcuts(tmp_path / "mine.json")
    assert kept == hall.state.show.shortcuts
    hall.act("shortcut.remove", control="key J")
    shortcuts.bring_in(tmp_path / "mine.json")
    assert hall.state.show.shortcuts == kept
    newer = json.loads((tmp_path / "mine.json").read_text()) | {"schema_version": 99}
    for name, text in (
        ("newer.json", json.dumps(newer)),
        ("broken.json", "{"),
        ("other.json", "[]"),
        ("bad.json", json.dumps(newer | {"schema_version": 5, "shortcuts": [{"control": 7}]})),
    ):
        (tmp_path / name).write_text(text)
        shortcuts.bring_in(tmp_path / name)
        assert window.notices.sentence
        assert hall.state.show.shortcuts == kept
    assert "damaged at shortcuts.0.control" in window.notices.sentence
    shortcuts.write_sheet(tmp_path / "keys.pdf")
    assert (tmp_path / "keys.pdf").read_bytes().startswith(b"%PDF")
    many = tuple(Shortcut(control=f"osc /{k}", call=Call(action="take")) for k in range(2000))
    write_shortcuts(tmp_path / "many.json", many)
    shortcuts.bring_in(tmp_path / "many.json")
    assert len(hall.state.show.shortcuts) == 2001


def test_the_whole_desk_is_locked_to_a_page_of_pads_until_its_code_is_typed(window, hall):
    window.show_view("Frame")
    window.frame.setFocus()
    window.activateWindow()
    QApplication.processEvents()
    keys = CTRL | Qt.KeyboardModifier.AltModifier
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_L, keys)
    assert not window.lock.locked
    assert "give it a code" in window.notices.sentence
    hall.act("page.add", name="Helper")
    helper = hall.state.show.pages[-1].id
    hall.act("page.change", pads=helper, plain=True, code="77")
    window.open_screen("program")
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_L, keys)
    pane = window.lock.pane
    assert pane.isVisible()
    assert pane.geometry() == window.centralWidget().rect()
    assert not window.screens["program"].isVisible()
    refused = ((Qt.Key.Key_Space, CTRL), (Qt.Key.Key_F6, NONE), (Qt.Key.Key_F12, NONE), (Qt.Key.Key_B, CTRL))
    for key, modifiers in refused:
        QTest.keyClick(QApplication.focusWidget(), key, modifiers)
        QTest.keyClick(window, key, modifiers)
    assert window.frame.isVisible()
    assert not hall.state.program.black.black
    type_in(pane.code, "12")
    assert window.lock.locked
    type_in(pane.code, "77")
    assert not window.lock.locked
    QTest.keyClick(window.frame, Qt.Key.Key_B, CTRL)
    assert hall.state.program.black.black
