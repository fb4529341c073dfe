"""Macros, triggers, shortcuts, pads, messages and why in the real window, on a hand-wound show without devices."""

import json
from types import SimpleNamespace

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from ribalta.core.engine.views.offers import offers, search
from ribalta.core.ports.causes import By
from ribalta.core.ports.messages import MessageCame
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.macros import StepKind
from ribalta.core.show.automation.triggers_pads_shortcuts import How, Shortcut
from ribalta.core.show.files.shortcut_file import read_shortcuts, write_shortcuts
from ribalta.demo.portraits import press
from ribalta.desk.cue.hands.shortcuts import GIVEN
from ribalta.desk.window import Window
from tests.desk.hand_wound import HandWoundSession
from tests.desk.test_cue_parts import choose, show, type_in

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def window(app):
    made = Window(HandWoundSession(show()))
    made.show()
    made.show_view("Cue")
    QApplication.processEvents()
    yield made
    made.close()
    made.deleteLater()
    QApplication.processEvents()


@pytest.fixture
def hall(window):
    return window.bridge._show.hall


def page(window: Window, name: str):
    window.cue.show_page(name)
    QApplication.processEvents()
    return window.cue.pages[name]


def find(window: Window, words: str) -> None:
    """Type into the palette that is open, and Enter."""
    finder = window.finder
    assert finder.isVisible()
    finder.field.setText(words)
    QTest.keyClick(finder.field, Qt.Key.Key_Return)
    assert not finder.isVisible()


def rows(listing) -> list[str]:
    return [listing.item(k).text().strip() for k in range(listing.count())]


def refreshed(part):
    part.refresh()
    return part


def add_more(macros, words: str) -> None:
    """By the menu of waits and groups."""
    macros.more.click()
    menu = [m for m in macros.findChildren(QMenu) if m.parent() is macros][-1]
    next(action for action in menu.actions() if action.text() == words).trigger()
    menu.close()


def test_a_macro_is_made_step_by_step_and_shows_where_it_is(window, hall):
    macros = page(window, "Macros")
    assert rows(macros.list) == []
    assert "No macros yet" in macros.said.text()
    macros.new.click()
    type_in(refreshed(macros).name, "Opening")
    macros.add.click()
    find(window, "ready camera 2 2w")
    add_more(refreshed(macros), "Wait until set")
    refreshed(macros)
    type_in(macros.editor.seconds, "8")
    choose(macros.editor.then, "stop")
    macros.refresh()
    add_more(macros, "All together")
    add_more(refreshed(macros), "Wait a time")
    refreshed(macros)
    macro = hall.state.show.macros[0]
    assert rows(macros.steps) == [
        "1   Ready camera 2 at “2W”",
        "2   Wait until Next is set, 8 s at most, else stop",
        "3   All together",
        "1   Wait 1 s",
    ]
    macros._step_chosen("1")
    macros.down.click()
    assert [s.kind for s in hall.state.show.macros[0].steps] == ["do", "together", "until set"]
    refreshed(macros).editor.off.click()
    assert rows(refreshed(macros).steps)[-1].endswith("(off)")
    macros.twice.click()
    refreshed(macros).out.click()
    macros.slower.click()
    assert hall.state.show.macro(macro.id).steps[1].steps[0].seconds == 1.25
    refreshed(macros).run.click()
    refreshed(macros)
    assert any(row.startswith("▶") for row in rows(macros.steps))
    assert macros.stop.isEnabled()
    macros.pause.click()
    assert refreshed(macros).pause.text() == "Go on"
    macros.stop.click()
    assert not hall.state.automation.runs
    window.show_view("Air")
    hall.act("macro.run", macro=macro.id)
    window.air.then.grab()
    macros.remove.click()
    assert not hall.state.show.macros


def test_the_list_follows_the_step_that_runs_while_nobody_edits_one(window, hall):
    hall.act("macro.add", name="Long", steps=[{"kind": "wait", "seconds": 1.0}] * 40)
    macros = page(window, "Macros")
    QApplication.processEvents()
    hall.act("macro.run", macro=hall.state.show.macros[0].id)
    for _ in range(3):
        hall.turn(9)
        refreshed(macros)
        QApplication.processEvents()
        at = next(k for k, row in enumerate(rows(macros.steps)) if row.startswith("▶"))
        assert macros.steps.viewport().rect().intersects(macros.steps.visualItemRect(macros.steps.item(at)))
    macros._step_chosen("0")
    refreshed(macros)
    macros.steps.scrollToTop()
    hall.turn(3)
    refreshed(macros)
    assert macros.steps.verticalScrollBar().value() == 0


def test_a_dry_run_is_listed_and_touches_nothing(window, hall):
    hall.act(
        "macro.add",
        name="Go",
        steps=[
            {"call": {"action": "ready.framing", "arguments": {"camera": 2, "letter": "W"}}},
            {"kind": "until set", "seconds": 20},
            {"call": {"action": "take"}},
        ],
    )
    before = hall.state
    macros = refreshed(page(window, "Macros"))
    macros.dry.click()
    while not macros.dry.isEnabled():
        QApplication.processEvents()
    said = rows(macros.lines)
    assert said[0].startswith("Dry run:")
    assert "1 of 1 cuts would land" in said[0]
    assert said[-1].endswith("lands")
    assert hall.state.program.next is before.program.next
    assert not hall.state.automation.runs


def test_f8_records_in_any_view_and_the_top_line_says_so(window, hall):
    QTest.keyClick(window, Qt.Key.Key_F8)
    window.show_view("Air")
    press(window, "2")
    press(window, "W")
    window.top.refresh()
    assert window.top.mode.text() == "Recording a macro: 2 steps, F8 ends it"
    press(window, "F8")
    assert [s.call.action for s in hall.state.show.macros[0].steps if s.kind is StepKind.DO] == [
        "ready.camera",
        "ready.framing",
    ]


def test_a_trigger_is_made_tried_and_tells_how_it_fared(window, hall):
    triggers = page(window, "Triggers")
    assert "No triggers yet" in triggers.said.text()
    triggers.new.click()
    type_in(refreshed(triggers).name, "Close-ups")
    choose(triggers.kind, "taken")
    choose(refreshed(triggers).of, "camera c1")
    triggers.add_if.click()
    choose(refreshed(triggers).condition.what, "in contact")
    choose(triggers.condition.item, "camera c2")
    assert rows(refreshed(triggers).only_if) == ["camera 2 is in contact"]
    triggers.add_then.click()
    find(window, "send camera 3 3e")
    assert rows(refreshed(triggers).calls) == ["Send camera 3 to “3E”"]
    choose(triggers.call.parts["framing"], "2 Q 0")
    assert rows(refreshed(triggers).calls) == ["Send camera 2 to “2Q”"]
    triggers.attempt.click()
    assert hall.state.live("c2").goal_framing_id == "f6"
    trigger = hall.state.show.triggers[0]
    hall.contact("c2", False)
    hall.act("ready.camera", camera=1)
    hall.act("take")
    assert "it did not fire: camera 2 was not in contact" in refreshed(triggers).said.text()
    triggers.drop_if.setEnabled(True)
    triggers._edit("if", 0)
    triggers.drop_if.click()
    hall.act("cover")
    hall.act("ready.camera", camera=1)
    hall.act("take")
    assert "It has fired once" in refreshed(triggers).said.text()
    assert rows(triggers.list) == ["● Close-ups   1×"]
    for kind, field, text in (
        ("time of day", "time", "20:15"),
        ("on air for", "seconds", "12"),
        ("disk is low", "minutes", "5"),
        ("message", "message", "osc /go"),
    ):
        choose(triggers.kind, kind)
        type_in(getattr(refreshed(triggers), field), text)
        refreshed(triggers)
    assert hall.state.show.trigger(trigger.id).when.message == "osc /go"
    hall.engine.report(MessageCame("osc /go"), hall.clock.now_s())
    assert hall.state.automation.fired[trigger.id].count == 2
    type_in(triggers.time, "half past")
    triggers.remove.click()
    assert not hall.state.show.triggers


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


def test_while_a_text_field_has_the_focus_no_key_of_the_show_fires(window, hall):
    window.show_view("Air")
    press(window, "F5", window)
    window.finder.run_something()
    QTest.keyClicks(window.finder.field, "bh2w")
    assert not hall.state.program.black.black
    assert not hall.state.program.card
    assert hall.state.program.next is None
    QTest.keyClick(window.finder.field, Qt.Key.Key_Escape)
    assert QApplication.focusWidget() is not window.finder.field
    press(window, "B")
    assert hall.state.program.black.black


def test_any_default_key_can_be_something_else_even_the_desks_own(window, hall):
    hall.act("shortcut.set", control="key L", action="black")
    hall.act("shortcut.set", control="key F1", action="card")
    window.show_view("Air")
    press(window, "L")
    press(window, "F1")
    assert hall.state.program.black.black
    assert hall.state.program.card
    assert not window.air.key_page.isVisible()


def test_the_palette_finds_by_any_words_and_does_it(window, hall):
    window.show_view("Air")
    QTest.keyClick(window.air, Qt.Key.Key_F5)
    find(window, "2w ready")
    assert hall.state.program.next.framing_id == "f7"
    window.finder.run_something()
    find(window, "fade bl")
    assert hall.state.program.black.black
    window.finder.run_something()
    window.finder.field.setText("zzz")
    assert "Nothing is called that" in window.finder.list.item(0).text()
    window.finder.close_up()
    assert search(offers(hall.state), "scene two at")[0].call.action == "scene.ready"


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


def test_removing_what_is_used_is_asked_on_a_line_of_its_own(window, hall):
    hall.act("shortcut.set", control="key J", action="ready.framing", arguments={"camera": 2, "letter": "W"})
    window.bridge.act("framing.remove", camera=2, letter="W")
    QApplication.processEvents()
    assert window.users.isVisible()
    assert window.users.said.text() == "“2W” is used by shortcut J."
    window.users.buttons["keep"].click()
    assert not window.users.isVisible()
    assert hall.state.show.framing("f7") is not None
    window.bridge.act("framing.remove", camera=2, letter="W")
    QApplication.processEvents()
    window.users.buttons["leave"].click()
    shortcuts = refreshed(page(window, "Shortcuts"))
    assert rows(shortcuts.list) == ["J   Ready framing: “2 2W” was removed"]


def test_why_shows_what_made_a_camera_move(window, hall):
    hall.act(
        "macro.add", name="Go", steps=[{"call": {"action": "ready.framing", "arguments": {"camera": 2, "letter": "W"}}}]
    )
    macro = hall.state.show.macros[0].id
    hall.act("shortcut.set", control="key J", action="macro.run", arguments={"macro": macro})
    window.show_view("Air")
    press(window, "J")
    press(window, "F10")
    assert window.notices.sentence == (
        "Camera 2 moved because of key J: Run macro “Go” → macro “Go”, step 1: Ready camera 2 at “2W”."
    )
    press(window, "Tab")
    press(window, "Tab")
    window.show_view("Cue")
    why = refreshed(page(window, "Why"))
    choose(why.camera, "c2")
    why.moved.click()
    assert rows(why.chain) == ["key J:  Run macro “Go”", "↳ macro “Go”, step 1:  Ready camera 2 at “2W”"]
    choose(why.camera, "")
    choose(why.refused, "refused")
    assert all("on air already" in row for row in rows(why.list))


def test_messages_are_set_up_tried_and_listed(window, hall):
    messages = page(window, "Messages")
    assert "No destinations yet" in messages.used.text()
    messages.new.click()
    type_in(refreshed(messages).name, "Lights")
    type_in(messages.host, "10.0.0.9")
    type_in(messages.port, "7000")
    choose(messages.wire, "udp")
    refreshed(messages)
    assert not messages.message.parts["address"].isVisibleTo(messages)
    type_in(messages.message.parts["text"], "go {camera}")
    messages.attempt.click()
    sent = [e for e in hall.events if type(e).__name__ == "Send"][-1]
    assert (sent.destination.name, sent.destination.port, dict(sent.fields)) == ("Lights", 7000, {"text": "go 4"})
    line = SimpleNamespace(
        at_s=hall.clock.now_s(), way="in", who="10.0.0.7", words="osc /go", answer="", failed=False, times=3
    )
    window.bridge.messages.lines = (line,)
    messages.switches["osc"].click()
    messages.beyond.click()
    type_in(messages.ports["udp_port"], "9000")
    refreshed(messages)
    assert rows(messages.lines) == ["0 s  ← 10.0.0.7: osc /go ×3"]
    assert messages.token.text() == "a token"
    assert hall.state.show.listening.osc
    type_in(messages.ports["osc_port"], "9000")
    assert "Two kinds of messages cannot come in on one port" in hall.sentences[-1]


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


def test_cues_say_what_to_do_when_there_is_nothing(window, hall):
    for name in window.cue.pages:
        refreshed(page(window, name)).grab()
        assert window.cue.pages[name].isVisible()
