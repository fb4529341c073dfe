"""Check and closing down in the real window: one press, lines that lead where they are changed, lists that are ticked
and printed, and an end that has to be held."""

import time
from dataclasses import replace

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ribalta.core.ports.crew import Ending, EndingStep, EveningEnd
from ribalta.core.readiness.check import check_lines
from ribalta.core.readiness.lines import Line, Looked, Progress, Rating
from ribalta.desk.check.tonight import minutes_of
from ribalta.desk.widgets.lists import crew_list
from ribalta.desk.window import Window
from ribalta.desk.words.check_words import check_words
from tests.core.hand_wound import Hall, small_show
from tests.desk.hand_wound import HandWoundSession, opened
from tests.desk.test_cue_parts import choose, refresh, type_in


@pytest.fixture
def session():
    show = small_show()
    outputs = show.outputs.model_copy(update={"expects_recording": False})
    return HandWoundSession(show.model_copy(update={"outputs": outputs}))


@pytest.fixture
def window(app, session):
    yield from opened(Window(session))


def rows(tree) -> list[str]:
    """All lines that are shown, without their headings."""
    heads = [tree.topLevelItem(k) for k in range(tree.topLevelItemCount())]
    return [f"{x.text(0)}: {x.text(1)}" for head in heads for k in range(head.childCount()) for x in (head.child(k),)]


def done(window: Window, session: HandWoundSession) -> tuple[Line, ...]:
    lines = check_lines(session.state, Looked(now_s=1.8e9), lambda error: pytest.fail(repr(error)))
    session.evening.readiness.now = Progress(lines=lines, at_s=time.time(), edits=session.state.edits.count)
    refresh(window)
    return lines


def select(window: Window, key: str) -> Line:
    page = window.view("Check").tonight
    line = next(x for x in page._bridge.readiness.now.lines if x.key == key)
    heads = [page.tree.topLevelItem(k) for k in range(page.tree.topLevelItemCount())]
    for head in heads:
        for k in range(head.childCount()):
            if head.child(k).text(0) == line.subject and line.measured in head.child(k).text(2):
                page.tree.setCurrentItem(head.child(k))
                return line
    raise AssertionError(key)


def test_one_press_checks_and_each_line_leads_to_where_it_is_changed(window, session, hall):
    page = window.view("Check").tonight
    assert check_words(window.bridge) == "Not checked yet"
    QTest.keyClick(window, Qt.Key.Key_F4, Qt.KeyboardModifier.ShiftModifier)
    page.begin.setFocus()
    page.begin.click()
    assert ("check everything",) in session.asked
    session.evening.readiness.now = Progress(True, "Checking the cameras", 0.4)
    refresh(window)
    assert (page.begin.isEnabled(), page.stop.isVisible(), page.bar.value()) == (False, True, 400)
    assert check_words(window.bridge) == "Checking, 40%"
    assert page.stop.hasFocus()
    page.stop.click()
    assert ("cancel the check",) in session.asked
    lines = done(window, session)
    assert len(rows(page.tree)) == len(lines)
    assert not page.planned.hasFocus()
    bad = sum(line.rating is not Rating.PASS for line in lines)
    assert check_words(window.bridge).endswith(f"{bad} to look at")
    assert window.strip.names.lines()[2][1] == check_words(window.bridge)
    choose(page.shows, "bad")
    assert len(rows(page.tree)) == bad
    select(window, "picture.live")
    assert page.rating.text() == "! Stop: everybody would see or hear it."
    page.go.click()
    refresh(window)
    assert window.rig.isVisible()
    assert window.rig.card.isVisible()
    window.show_view("Check")
    select(window, "recording.armed")
    assert page.fix.text() == "Expect a recording"
    page.fix.click()
    refresh(window)
    assert hall.state.show.outputs.expects_recording
    assert check_words(window.bridge).startswith("! Changed since")
    assert "check it again" in page.said.text()


def test_a_show_says_which_lines_matter_and_how_long_it_is_to_be(window, session, hall):
    window.show_view("Check")
    page = window.view("Check").tonight
    done(window, session)
    select(window, "recording.armed")
    page.leave.click()
    refresh(window)
    assert hall.state.show.readiness.left_out == ("recording.armed",)
    assert not any(row.startswith("Recording: look") for row in rows(page.tree))
    assert page.left.currentText() == "a recording that is not expected"
    page.back.click()
    refresh(window)
    assert hall.state.show.readiness.left_out == ()
    assert any(row.startswith("Recording: look") for row in rows(page.tree))
    type_in(page.planned, "2:30")
    assert hall.state.show.readiness.planned_minutes == 150
    refresh(window)
    assert page.planned.text() == "2:30 h"
    type_in(page.planned, "a while")
    assert hall.state.show.readiness.planned_minutes == 150


@pytest.mark.parametrize(
    ("typed", "minutes"), [("90", 90), ("1:30", 90), ("1 h 30", 90), ("45 min", 45), ("2 h", 120), ("soon", None)]
)
def test_a_length_is_typed_as_people_write_it(typed, minutes):
    assert minutes_of(typed) == minutes


def test_a_list_is_made_ticked_done_and_printed(window, hall: Hall, tmp_path, monkeypatch):
    window.show_view("Check")
    window.view("Check").show_page("Opening list")
    page = window.view("Check").opening
    assert "No steps yet" in page.list.item(0).text()
    page.add.click()
    refresh(window)
    type_in(page.words, "Power on")
    page.add.click()
    refresh(window)
    type_in(page.words, "The wide on air")
    refresh(window)
    assert [step.words for step in hall.state.show.opening] == ["Power on", "The wide on air"]
    choose(page.seen, "the cover shot is on air")
    page.call.changed.emit(crew_list.Call(action="black"))
    refresh(window)
    assert page.list.item(1).text() == "✓  2  The wide on air   – seen by the desk"
    assert not page.tick.isEnabled()
    page.do.click()
    assert hall.state.program.black.black
    page.list.setCurrentRow(0)
    QTest.keyClick(page.list, Qt.Key.Key_Return)
    refresh(window)
    assert page.said.text() == "2 of 2 done"
    page._move(1)
    refresh(window)
    assert [step.words for step in hall.state.show.opening] == ["The wide on air", "Power on"]
    file = tmp_path / "list.pdf"
    monkeypatch.setattr(crew_list, "ask_to_save", lambda asker, owner, title, name, kinds, then: then(file))
    page.paper.click()
    assert file.read_bytes().startswith(b"%PDF")
    monkeypatch.setattr(crew_list, "ask_to_save", lambda asker, owner, title, name, kinds, then: then(tmp_path / "x/y"))
    page.paper.click()
    refresh(window)
    assert "cannot be written" in window.notices._notice.sentence
    page.anew.click()
    refresh(window)
    assert page.said.text() == "1 of 2 done"
    page.remove.click()
    refresh(window)
    assert len(hall.state.show.opening) == 1


def test_the_evening_ends_by_a_held_press_and_says_what_happened(window, session, hall):
    window.show_view("Wrap")
    window.view("Wrap").show_page("Close down")
    page = window.view("Wrap").close_down
    asked = len([entry for entry in hall.entries if "evening.end" in str(entry)])
    QTest.mousePress(page.end, Qt.MouseButton.LeftButton)
    QTest.mouseRelease(page.end, Qt.MouseButton.LeftButton)  # a slip
    assert len([entry for entry in hall.entries if "evening.end" in str(entry)]) == asked
    QTest.mousePress(page.end, Qt.MouseButton.LeftButton)
    window.ring._since.restart()
    for _ in range(200):
        QTest.qWait(10)
        if any("evening.end" in str(entry) for entry in hall.entries):
            break
    QTest.mouseRelease(page.end, Qt.MouseButton.LeftButton)
    assert len([entry for entry in hall.entries if "evening.end" in str(entry)]) == asked + 1
    steps = tuple(EndingStep(f"k{k}", f"Part {k}", ending, "so it went") for k, ending in enumerate(Ending))
    session.evening.closing.now = EveningEnd(True, steps)
    refresh(window)
    assert not page.end.isEnabled()
    assert page.bar.isVisible()
    assert not page.again.isVisible()
    session.evening.closing.now = replace(session.evening.closing.now, running=False, at_s=time.time())
    refresh(window)
    assert page.said.text().startswith("! 1 of 4 could not be ended")
    assert [page.steps.item(k).text()[:1] for k in range(4)] == ["○", "▶", "✓", "!"]
    page.again.click()
    assert any("evening.again" in str(entry) for entry in hall.entries)
