"""Macros, triggers, shortcuts, pads, messages and why in the real window, on a hand-wound show without devices."""

from types import SimpleNamespace

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from ribalta.core.engine.views.offers import offers, search
from ribalta.core.ports.messages import MessageCame
from ribalta.core.show.automation.macros import StepKind
from ribalta.demo.portraits import press
from ribalta.desk.window import Window
from tests.desk.hand_wound import HandWoundSession, opened
from tests.desk.test_cue_parts import choose, show, type_in

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def window(app):
    yield from opened(Window(HandWoundSession(show())), "Cue")


def page(window: Window, name: str):
    view = window.rig if name == "Messages" else window.cue
    window.show_view("Rig" if name == "Messages" else "Cue")
    view.show_page(name)
    QApplication.processEvents()
    return view.pages[name]


def find(window: Window, words: str) -> None:
    """Type into the palette that is open, and Enter."""
    finder = window.finder
    assert finder.isVisible()
    finder.field.setText(words)
    QTest.keyClick(finder.field, Qt.Key.Key_Return)
    assert not finder.isVisible()


def rows(listing) -> list[str]:
    return [listing.item(k).text().strip() for k in range(listing.count())]


def step_rows(tree) -> list[str]:
    """The rows of a macro's steps as they are read, with what stands beside them."""
    found, at = [], tree.topLevelItem(0)
    while at is not None:
        found.append("   ".join(words for words in (at.text(0), at.text(1)) if words))
        at = tree.itemBelow(at)
    return found


def row_of(tree, key: str):
    """The item of the step at a path, such as “2.0”."""
    return tree._items()[key]


def click_row(tree, key: str) -> None:
    """On the words of a step."""
    at = tree.visualItemRect(row_of(tree, key)).topLeft()
    QTest.mouseClick(tree.viewport(), Qt.MouseButton.LeftButton, pos=at + QPoint(60, 8))


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
    assert step_rows(macros.steps) == [
        "1   Ready camera 2 at “2W”",
        "2   Wait until Next is set, 8 s at most, else stop",
        "3   All together",
        "1   Wait 1 s",
    ]
    click_row(refreshed(macros).steps, "0")
    assert macros.editor.isVisible()  # in the row itself, below its words
    row, ends = macros.steps.visualItemRect(row_of(macros.steps, "0")), macros.editor.geometry()
    assert row.contains(ends.adjusted(0, 0, -8, 0))
    click_row(macros.steps, "0")
    assert not macros.editor.isVisible()
    QTest.keyClick(macros.steps, Qt.Key.Key_Down)
    QTest.keyClick(macros.steps, Qt.Key.Key_Return)
    type_in(macros.editor.seconds, "9")
    assert hall.state.show.macros[0].steps[1].seconds == 9
    assert macros.steps.visualItemRect(row_of(refreshed(macros).steps, "1")).contains(
        macros.editor.geometry().adjusted(0, 0, -8, 0)
    )
    QTest.keyClick(macros.steps, Qt.Key.Key_Escape)
    assert not macros.editor.isVisible()
    macros.down.click()
    assert [s.kind for s in hall.state.show.macros[0].steps] == ["do", "together", "until set"]
    refreshed(macros).editor.off.click()
    assert step_rows(refreshed(macros).steps)[-1].endswith("(off)")
    macros.twice.click()
    refreshed(macros).out.click()
    macros.slower.click()
    assert hall.state.show.macro(macro.id).steps[1].steps[0].seconds == 1.25
    refreshed(macros).run.click()
    refreshed(macros)
    assert any(row.startswith("▶") for row in step_rows(macros.steps))
    assert macros.stop.isEnabled()
    macros.pause.click()
    assert refreshed(macros).pause.text() == "Continue"
    macros.stop.click()
    assert not hall.state.automation.runs
    window.show_view("Air")
    hall.act("macro.run", macro=macro.id)
    window.air.then.grab()
    macros.remove.click()
    assert not hall.state.show.macros


def test_f8_records_in_any_view_and_the_top_line_says_so(window, hall):
    QTest.keyClick(window, Qt.Key.Key_F8)
    window.show_view("Air")
    press(window, "2")
    press(window, "W")
    window.top.refresh()
    assert window.top.mode.text() == "Recording a macro: 1 step, F8 ends it"
    press(window, "F8")
    assert [s.call.action for s in hall.state.show.macros[0].steps if s.kind is StepKind.DO] == ["ready.framing"]


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
    assert [chip.text() for chip in refreshed(triggers).only_if] == ["camera 2 is in contact"]
    triggers.add_then.click()
    find(window, "send camera 3 3e")
    assert [chip.text() for chip in refreshed(triggers).calls] == ["Send camera 3 to “3E”"]
    choose(triggers.call.parts["framing"], "2 Q 0")
    assert [chip.text() for chip in refreshed(triggers).calls] == ["Send camera 2 to “2Q”"]
    triggers.attempt.click()
    assert hall.state.live("c2").goal_framing_id == "f6"
    trigger = hall.state.show.triggers[0]
    hall.contact("c2", False)
    hall.act("ready.camera", camera=1)
    hall.act("take")
    assert "it did not fire: camera 2 was not in contact" in refreshed(triggers).fared.text()
    triggers.only_if[0].click()
    assert triggers.condition.isVisible()
    triggers.drop.click()
    assert not refreshed(triggers).only_if
    hall.act("cover")
    hall.act("ready.camera", camera=1)
    hall.act("take")
    assert "It has fired once" in refreshed(triggers).fared.text()
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
    assert rows(shortcuts.list) == ["! J   Ready framing: “2 2W” was removed"]


def test_why_shows_what_made_a_camera_move(window, hall):
    hall.act(
        "macro.add", name="Go", steps=[{"call": {"action": "ready.framing", "arguments": {"camera": 2, "letter": "W"}}}]
    )
    macro = hall.state.show.macros[0].id
    hall.act("shortcut.set", control="key J", action="macro.run", arguments={"macro": macro})
    window.show_view("Air")
    press(window, "J")
    press(window, "F10")
    chain = [("key J", "Run macro “Go”"), ("macro “Go”, step 1", "Ready camera 2 at “2W”")]
    assert window.log_over.isVisible()
    assert [(link.who, link.what) for link in window.log_over.page.chain.links] == chain
    QTest.keyClick(window.log_over, Qt.Key.Key_Escape)
    assert not window.log_over.isVisible()
    press(window, "Tab")
    press(window, "Tab")
    window.show_view("Wrap")
    window.view("Wrap").show_page("What ran")
    log = refreshed(window.view("Wrap").log)
    choose(log.camera, "c2")
    log.moved.click()
    assert [(link.who, link.what) for link in log.chain.links] == chain
    assert [part.name for part in log.chain.accessible_parts()] == [": ".join(link) for link in chain]
    choose(log.camera, "")
    log.sought.setText("ready 2w")
    assert rows(log.list)
    assert all("Ready camera 2" in row for row in rows(log.list))
    choose(log.by, "trigger")
    assert rows(log.list) == ["Nothing that has run is like that. Ask for less."]
    choose(log.by, "")
    log.sought.setText("")
    choose(log.refused, "refused")
    assert all("on air already" in row for row in rows(log.list))


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


def test_cues_say_what_to_do_when_there_is_nothing(window, hall):
    for name in window.cue.pages:
        refreshed(page(window, name)).grab()
        assert window.cue.pages[name].isVisible()


def test_lists_have_their_buttons_in_a_menu_and_their_keys(window, hall):
    steps = [{"kind": "wait", "seconds": k} for k in (1, 2, 3)]
    hall.act("macro.add", name="Go", steps=steps)
    macros = refreshed(page(window, "Macros"))
    seconds = lambda: [s.seconds for s in hall.state.show.macros[0].steps]  # noqa: E731
    macros._step_chosen((0,))
    menu = macros.steps.open_menu(macros.steps.mapToGlobal(macros.steps.rect().center()))
    assert [a.text() for a in menu.actions()] == [
        "Up",
        "Down",
        "Duplicate\tCtrl+D",
        "Remove\tDel",
        "",
        "Copy\tCtrl+C",
        "Paste\tCtrl+V",
    ]
    menu.actions()[1].trigger()
    menu.close()
    assert seconds() == [2.0, 1.0, 3.0]
    refreshed(macros)
    QTest.keyClick(macros.steps, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    assert seconds() == [2.0, 1.0, 1.0, 3.0]
    QTest.keyClick(refreshed(macros).steps, Qt.Key.Key_Delete)
    assert len(seconds()) == 3
