"""What a director does on a whole evening, in the real window, by presses alone: on a hand-wound hall."""

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.triggers_pads_shortcuts import Shortcut
from ribalta.core.show.files.storage import load
from ribalta.demo.shipped import SHIPPED
from ribalta.desk.window import Window
from tests.desk.hand_wound import HandWoundSession, opened

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def window(app):
    yield from opened(Window(HandWoundSession(load(SHIPPED).show)))


def seen(window) -> None:
    window.bridge.changed.emit()
    QApplication.processEvents()


def press_cell(side, words: str) -> None:
    cell = next(c for c in side.cells() if c.words.startswith(words))
    QTest.mouseClick(side, Qt.MouseButton.LeftButton, pos=QPointF(cell.area.center()).toPoint())


def test_a_title_from_last_time_is_changed_from_air_without_ever_being_on_air(window, hall):
    """The line that warns opens it, the keyboard is in its words, and F6 is back on Air."""
    ever = set()
    window.bridge.changed.connect(lambda: ever.update(filter(None, hall.state.program.overlays.layers)))
    old = [c.words for c in window.air.side.cells() if "not today" in c.words]
    assert old == ["! 4 titles are not today's"]
    for _ in range(4):
        press_cell(window.air.side, "! ")
        assert window._stack.currentWidget() is window.cue
        title = window.cue.titles.title
        field = QApplication.focusWidget()
        assert field in window.cue.titles.fields.values() or title.counts_to_s is not None or not title.fields
        if field in window.cue.titles.fields.values():
            QTest.keyClicks(field, "Tonight")
            QTest.keyClick(field, Qt.Key.Key_Return)
        QTest.keyClick(field or window, Qt.Key.Key_F6)
        assert window._stack.currentWidget() is window.air
        seen(window)
        if hall.state.show.titled(title.id) == title:  # a countdown is not typed
            break
        assert "Tonight" in dict(hall.state.show.titled(title.id).fields).values()
    said = [c.words for c in window.air.side.cells() if "not today" in c.words]
    assert len(said) <= 1
    assert said != old
    assert not ever
    assert not any(hall.state.program.overlays.layers)


@pytest.mark.parametrize("view", ["Rig", "Frame", "Cue", "Air"])
def test_a_macro_on_shift_q_runs_in_every_view(window, hall, view):
    macro = hall.state.show.macros[0]
    shortcut = Shortcut(control="key Shift+Q", call=Call(action="macro.run", arguments={"macro": macro.id}))
    hall.act("shortcuts.import", shortcuts=[shortcut.model_dump(mode="json")])
    window.show_view(view)
    before = hall.state.show.framings
    QTest.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_Q, SHIFT)
    assert any(line.action == "macro.run" for line in hall.engine.history.lines)
    assert hall.state.show.framings == before


def test_a_page_of_pads_is_locked_to_a_volunteer_and_unlocked_by_its_code(window, hall):
    page = hall.state.show.pages[0]
    hall.act("page.change", pads=page.id, plain=True, code="4711")
    QTest.keyClick(window.air, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
    assert window.lock.locked
    on_air = hall.state.program.on_air
    for key in (Qt.Key.Key_1, Qt.Key.Key_W, Qt.Key.Key_Space, Qt.Key.Key_F4, Qt.Key.Key_F5):
        QTest.keyClick(window.lock.pane, key)
    QTest.keyClick(window.lock.pane, Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier)
    assert hall.state.program.on_air == on_air
    assert window._stack.currentWidget() is window.air
    pane = window.lock.pane
    QTest.keyClicks(pane.code, "1234")
    QTest.keyClick(pane.code, Qt.Key.Key_Return)
    assert window.lock.locked
    QTest.keyClicks(pane.code, "4711")
    QTest.keyClick(pane.code, Qt.Key.Key_Return)
    assert not window.lock.locked
    QTest.keyClick(window.air, Qt.Key.Key_1)
    QTest.keyClick(window.air, Qt.Key.Key_W)
    assert hall.state.program.next is not None


def test_every_habit_of_the_desk_once(window, hall):
    """Typing finds; the last edits are a list; what was said is read again; the screen is filled; keys are on tips."""
    window.show_view("Cue")
    window.cue.show_page("Macros")
    seen(window)
    macros, names = window.cue.macros, [m.name for m in hall.state.show.macros]
    wanted = names[-1]
    macros.list.setFocus()
    QTest.keyClicks(macros.list, wanted[:5].lower())
    assert hall.state.show.macro(macros.macro_id).name.lower().startswith(wanted[:5].lower())
    for name in ("One", "Two"):
        hall.act("macro.add", name=name)
    menu = window.strip.open_edits()
    assert [a.text() for a in menu.actions()][:2] == ["Undo made macro “Two”", "Undo 2 edits, made macro “One”"]
    menu.actions()[1].trigger()
    menu.close()
    assert [m.name for m in hall.state.show.macros] == names
    seen(window)
    QTest.keyClick(macros.list, Qt.Key.Key_F1, SHIFT)
    assert window.said.isVisible()
    assert "Undone" in window.said.list.item(0).text()
    QTest.keyClick(window.said, Qt.Key.Key_Escape)
    assert not window.said.isVisible()
    QTest.keyClick(macros.list, Qt.Key.Key_F11)
    assert window.isFullScreen()
    QTest.keyClick(macros.list, Qt.Key.Key_F11)
    assert not window.isFullScreen()
    for made in window.strip.buttons.values():
        assert made.chord in made.toolTip() or made is window.strip.buttons["edit.undo"]
    for part, key in ((window.top.save, "Ctrl+S"), (window.top.help, "F1"), (window.top.views["Rig"], "F2")):
        assert key in part.toolTip()


def test_a_window_whose_screen_goes_away_is_found_again(window):
    """Another screen is smaller, or none of the place where it stood is there."""
    place = window.place()
    window.move(5000, 4000)
    far = window.place()
    window.take_place(far, with_view=False)
    QApplication.processEvents()
    screen = QApplication.primaryScreen().geometry()
    assert window.frameGeometry().intersects(screen)
    window.take_place(place, with_view=True)
