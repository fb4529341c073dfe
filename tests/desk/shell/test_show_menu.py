"""The show's menu, preferences, the page to begin from, and where the window stands: by what a person presses."""

import shutil

import pytest
from PySide6.QtCore import QSize, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from ribalta.core.ports.saving import CopySaved
from ribalta.core.show.files.journal import JournalFile, journal_path, keep_line, line_of
from ribalta.core.show.files.storage import load
from ribalta.demo.shipped import SHIPPED
from ribalta.desk.painting import look
from ribalta.desk.preferences import preferences_path, read_preferences
from ribalta.desk.remembered import recent_shows, remember_show
from ribalta.desk.shell import preferences_page
from ribalta.desk.shell.start_window import StartWindow
from ribalta.desk.widgets.style import fitting
from ribalta.desk.window import Window
from tests.desk.hand_wound import HandWoundSession, choose_file, opened

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


@pytest.fixture(autouse=True)
def a_person_of_their_own(tmp_path, monkeypatch):
    for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "HOME"):
        (tmp_path / name).mkdir()
        monkeypatch.setenv(name, str(tmp_path / name))


@pytest.fixture
def ended():
    return []


@pytest.fixture
def window(app, ended):
    yield from opened(Window(HandWoundSession(), end_show=lambda: ended.append(True)))


def entries(window) -> dict[str, object]:
    window.menu._fill()
    return {a.text().split("\t")[0]: a for a in window.menu.menu.actions() if a.text()}


@pytest.mark.parametrize("view", ["Rig", "Frame", "Cue", "Air"])
def test_another_show_is_opened_from_every_view_and_this_one_is_ended_first(window, ended, tmp_path, view):
    window.show_view(view)
    other = tmp_path / "other.ribalta"
    QTest.keyClick(window.focusWidget() or window, Qt.Key.Key_O, CTRL)
    assert not ended
    choose_file(other)
    assert window.then == ("open", str(other))
    assert ended == [True]
    assert not window.isVisible()


def test_a_show_that_was_begun_elsewhere_is_left_running(app, ended, tmp_path):
    window = Window(HandWoundSession(), end_show=lambda: ended.append(True), began=False)
    window.show()
    window.go_to(("open", str(tmp_path / "other.ribalta")))
    assert not window.isVisible()
    assert not ended
    window.deleteLater()


def test_while_the_show_is_on_air_it_is_asked_what_becomes_of_it(window, hall, ended, tmp_path):
    hall.press("1", "W")
    hall.turn(5)
    hall.act("take")
    QTest.keyClick(window.air, Qt.Key.Key_N, CTRL)
    choose_file(tmp_path / "next week.ribalta")
    assert window.isVisible()
    assert not ended
    assert "on air" in window.closing.said.text()
    window.closing.stay.click()
    assert window.then == ()
    QTest.keyClick(window.air, Qt.Key.Key_N, CTRL)
    choose_file(tmp_path / "next week.ribalta")
    window.closing.leave.click()
    assert window.then == ("new", str(tmp_path / "next week.ribalta"))
    assert not ended


def test_save_as_goes_on_in_the_copy_but_not_while_the_show_is_on_air(window, hall, ended, tmp_path):
    copy, file = tmp_path / "copy.ribalta", window.bridge.file
    hall.press("1", "W")
    hall.turn(5)
    hall.act("take")
    QTest.keyClick(window.air, Qt.Key.Key_S, CTRL | ALT)
    choose_file(tmp_path / "copy")  # its ending is added
    assert file.copies == [copy]
    window.bridge._show.say(CopySaved(copy))
    QApplication.processEvents()
    assert window.then == ()
    hall.clock.advance(700)
    QTest.keyClick(window.air, Qt.Key.Key_S, CTRL | ALT)
    choose_file(copy)
    window.bridge._show.say(CopySaved(copy))
    QApplication.processEvents()
    assert window.then == ("open", str(copy))
    assert ended == [True]


def test_a_show_is_renamed_in_its_place_and_that_is_undone_from_the_menu(window, hall):
    entries(window)["Rename …"].trigger()
    field = window.top._field
    assert field.isVisible()
    field.clear()
    QTest.keyClicks(field, "Spring fair")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert hall.state.show.title == "Spring fair"
    assert not field.isVisible()
    window.bridge.changed.emit()
    assert window.windowTitle() == "Spring fair – Ribalta"
    undo = entries(window)["Undo: renamed the show to “Spring fair”"]
    undo.trigger()
    assert hall.state.show.title != "Spring fair"
    entries(window)["Rename …"].trigger()
    QTest.keyClicks(field, "no")
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert hall.state.show.title != "no"


def test_recent_shows_are_in_the_menu_with_the_newest_first(window, tmp_path):
    for name in ("one", "two", "one"):
        remember_show(tmp_path / f"{name}.ribalta")
    recent = entries(window)["Open recent"].menu()
    assert [a.text() for a in recent.actions()] == ["one", "two"]
    recent.actions()[1].trigger()
    assert window.then == ("open", str(tmp_path / "two.ribalta"))


def test_preferences_are_kept_and_hold_at_once(window, hall, monkeypatch):
    QTest.keyClick(window.air, Qt.Key.Key_Comma, CTRL)
    page = window.preferences
    assert page.isVisible()

    def choose(part, value):
        part.setCurrentIndex(part.findData(value))
        part.activated.emit(part.currentIndex())

    board = window.air.board
    assert board.x() < window.air.side.x()
    choose(page.side, "left")
    QApplication.processEvents()
    assert board.x() > window.air.side.x()
    choose(page.hold, "2.0")
    choose(page.confirm, "on air")
    choose(page.text, "150")
    assert "room for 100 %" in page.later.text()  # the screen here is small
    assert not page.again.isVisible()
    monkeypatch.setattr(preferences_page, "fitting", lambda percent, _: percent)
    page.refresh()
    assert page.again.isVisible()
    window.bridge.wait_kept()
    kept, trouble = read_preferences()
    assert (kept.hold_s, kept.confirm, kept.text_percent, kept.side, trouble) == (2.0, "on air", 150, "left", "")
    QTest.keyClick(page, Qt.Key.Key_Escape)
    assert not page.isVisible()
    # nothing is on air, so that nothing has to be held: the framing is stored over at once
    hall.press("1", "W")
    hall.turn(5)
    QTest.keyClick(window.air, Qt.Key.Key_W, Qt.KeyboardModifier.ShiftModifier)
    assert not window.ring.isVisible()
    assert "tored" in hall.sentences[-1]
    hall.act("take")
    QTest.keyPress(window.air, Qt.Key.Key_W, Qt.KeyboardModifier.ShiftModifier)
    assert window.ring.isVisible()
    QTest.keyRelease(window.air, Qt.Key.Key_W, Qt.KeyboardModifier.ShiftModifier)
    window.bridge.prefer(hold_s=99)
    assert window.bridge.preferences.hold_s == 2.0


def test_damaged_preferences_are_said_and_are_as_at_first(app):
    preferences_path().parent.mkdir(parents=True, exist_ok=True)
    preferences_path().write_text('{"hold_s": "long"}')
    window = Window(HandWoundSession())
    assert "cannot be read" in window.notices.sentence
    assert window.bridge.preferences.hold_s == 0.8
    window.close()
    window.deleteLater()


def test_the_window_stands_where_it_stood(app):
    first = Window(HandWoundSession())
    first.show()
    first.setGeometry(40, 30, 1111, 722)
    first.show_view("Frame")
    QApplication.processEvents()
    place = first.place()
    again = Window(HandWoundSession())
    again.take_place(place, with_view=True)
    again.show()
    QApplication.processEvents()
    assert again.height() == 722  # the screen here is too narrow for the rest
    assert again._stack.currentWidget() is again.frame
    third = Window(HandWoundSession(), view="Air")
    third.take_place({"geometry": "no such thing", "view": "Attic"}, with_view=False)
    assert third._stack.currentWidget() is third.air
    for one in (first, again, third):
        one.close()
        one.deleteLater()


def test_text_is_no_larger_than_the_screen_has_room_for_and_the_window_not_smaller_than_its_text_needs(app):
    assert [fitting(150, QSize(*size)) for size in ((1920, 1080), (1280, 780), (1200, 760), (1024, 700))] == [
        150, 150, 125, 100
    ]  # fmt: skip
    assert fitting(110, QSize(3840, 2160)) == 110
    look.size_text(app, 150)
    try:
        window = Window(HandWoundSession())
        window.resize(1000, 640)
        assert (window.width(), window.height()) == (1280, 780)
        window.close()
        window.deleteLater()
    finally:
        look.size_text(app, 100)


def test_the_first_page_offers_what_there_is_and_what_was_not_saved(app, tmp_path):
    saved, unsaved = tmp_path / "Fair.ribalta", tmp_path / "Choir.ribalta"
    for path in (saved, unsaved):
        shutil.copy(SHIPPED, path)
        remember_show(path)
    remember_show(tmp_path / "gone.ribalta")
    show = load(unsaved).show
    journal = JournalFile(journal_path(unsaved), line_of({"e": "opening"}))
    journal.append(keep_line(show.model_copy(update={"title": "Changed"}).model_dump_json()))
    journal.close()
    page = StartWindow(("Hall",))
    page.show()
    page._worker.join(10)
    QApplication.processEvents()
    rows = [page.list.item(k).text() for k in range(page.list.count())]
    assert rows[0].startswith("Hall    runs now")
    assert "is not there any more" in rows[1]
    assert "1 change not saved" in rows[2]
    assert "not saved" not in rows[3]
    assert not page.restore.isEnabled()
    page.list.setCurrentRow(2)
    page.restore.click()
    assert page.chosen == ("open", str(unsaved), "--recover", "take")
    page.list.setCurrentRow(0)
    QTest.keyClick(page.list, Qt.Key.Key_Return)
    assert page.chosen == ("desk", "Hall")
    page.list.setCurrentRow(1)
    QTest.keyClick(page.list, Qt.Key.Key_Delete)
    assert recent_shows() == [unsaved, saved]
    page.new.click()
    choose_file(tmp_path / "new one")
    assert page.chosen == ("new", str(tmp_path / "new one.ribalta"))
    assert all(part.text() for part in page.findChildren(QPushButton))
    page.stop()
    page.deleteLater()


def test_a_refusal_that_needs_another_step_offers_it_as_a_press(window, hall):
    hall.press("1", "W")
    hall.act("framing.lock", camera=1, letter="W")
    QTest.keyClick(window.air, Qt.Key.Key_Delete)
    window.bridge._show.act("framing.remove", {"camera": 1, "letter": "W"})
    QApplication.processEvents()
    line = window.notices
    assert line.step.isVisible()
    assert (line.step.text(), "locked" in line.sentence) == ("Unlock it", True)
    assert line.step.x() + line.step.width() <= line.width()
    QTest.mouseClick(line.step, Qt.MouseButton.LeftButton)
    assert not hall.state.show.framing_at("c1", 1).protected
    QApplication.processEvents()
    assert not line.step.isVisible()
