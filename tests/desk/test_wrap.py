"""Wrap: what went on air is listed, marked, corrected and counted, and handed over by one press."""

import json
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ribalta.core.engine.journal.replaying import opening_of
from ribalta.core.show.files.journal import journal_path, line_of
from ribalta.core.show.files.storage import StoredShow, save
from ribalta.desk.window import Window
from tests.core.hand_wound import small_show
from tests.desk.conftest import turn_until
from tests.desk.hand_wound import HandWoundSession, opened
from tests.desk.test_cue_parts import choose, type_in


@pytest.fixture
def window(app):
    yield from opened(Window(HandWoundSession(small_show())))


def rows(listing) -> list[str]:
    return [listing.item(k).text() for k in range(listing.count())]


def take(hall, camera: int, letter: str, wait_s: float = 2.5) -> None:
    hall.act("ready.framing", camera=camera, letter=letter)
    hall.turn(wait_s)
    hall.act("take")
    hall.turn(3.0)


def test_what_went_on_air_is_listed_marked_corrected_and_counted(window, hall):
    QTest.keyClick(window, Qt.Key.Key_F6, Qt.KeyboardModifier.ShiftModifier)
    wrap = window.view("Wrap")
    assert wrap.isVisible()
    assert "Nothing has gone on air yet" in rows(wrap.aired.list)[0]
    take(hall, 2, "W")
    take(hall, 1, "Q", 0.0)  # it waits
    QTest.keyClick(window, Qt.Key.Key_I, Qt.KeyboardModifier.ControlModifier)
    wrap.aired.refresh()
    listed = rows(wrap.aired.list)
    assert ["marker" in row for row in listed] == [True, False, False]
    assert "waited" in listed[1]
    assert "waited" not in listed[2]
    QTest.mouseClick(wrap.aired.list.viewport(), Qt.MouseButton.LeftButton, pos=wrap.aired.list.visualItemRect(
        wrap.aired.list.item(0)).center())  # fmt: skip
    type_in(wrap.aired.words, "a question from the hall")
    wrap.aired.refresh()
    assert "correction of line 3: a question from the hall" in rows(wrap.aired.list)[0]
    assert "a question from the hall" in rows(wrap.aired.list)[1]
    assert [line.words for line in window.bridge.as_run.lines][2] == "marker"  # nothing is rewritten
    choose(wrap.aired.shows, "waited")
    assert len(rows(wrap.aired.list)) == 1
    choose(wrap.aired.shows, "shots")
    wrap.aired.sought.setText("no such shot")
    assert "Ask for less" in rows(wrap.aired.list)[0]
    wrap.show_page("What landed")
    drawing = wrap.landed.drawing
    assert drawing.landings.whole.takes == 2
    assert drawing.landings.whole.held == 1
    assert "2 of 2 landed, 1 waited" in drawing.accessible_parts()[0].value
    drawing.grab()


def test_one_press_hands_over_and_what_cannot_be_is_said(window, hall, tmp_path, monkeypatch):
    show_path, out = tmp_path / "show.ribalta", tmp_path / "out"
    wrap = window.view("Wrap")
    window.show_view("Wrap")
    wrap.show_page("Hand over")
    page = wrap.handover
    assert not page.begin.isEnabled()
    assert "Save the show first" in page.words.text()
    take(hall, 2, "W")
    take(hall, 3, "Q")
    save(show_path, StoredShow(hall.state.show))
    monkeypatch.setattr(window.bridge.file, "path", show_path)
    page.refresh()
    type_in(page.where, str(out))
    page.begin.click()  # there is no journal beside it
    turn_until(lambda: "no journal" in page.words.text(), 20, page.words.text)
    assert not out.exists()
    written = [line_of(opening_of(hall.opening, 100.0)), *(line_of(one) for one in hall.entries)]
    journal_path(show_path).write_bytes(b"".join(written) + b'{"torn":')
    page.begin.click()
    turn_until(lambda: "files were written" in page.words.text(), 20, page.words.text)
    names = {Path(name).name for name in rows(page.list)}
    assert {"as-run.csv", "as-run.json", "report.pdf", "checksums.sha256"} <= names
    assert len(json.loads((out / "as-run.json").read_text())["lines"]) == 2
    assert (out / "report.pdf").read_bytes().startswith(b"%PDF")
    assert page.begin.isEnabled()
