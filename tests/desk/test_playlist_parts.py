"""Playlists in the real window on a hand-wound show: making one, its chart, what mends it, and Then."""

import json

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from ribalta.app.cli import main
from ribalta.core.show.automation.playlists import Entry, EntryKind, Unit
from ribalta.core.show.document.model import Mark
from ribalta.core.show.files.storage import StoredShow, save
from ribalta.demo.shipped import SHIPPED
from ribalta.desk.window import Window
from ribalta.desk.words.playlist_words import playlist_words
from tests.core.automation.test_playlists import WIDE, F, at_first, seen
from tests.core.planning.test_foretelling import replace_mark
from tests.desk.hand_wound import HandWoundSession, opened
from tests.desk.test_cue_parts import choose, show, type_in
from tests.desk.test_prompt_parts import find, page, refreshed, rows

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def window(app):
    made = Window(HandWoundSession(show()))
    at_first(made.bridge._show.hall)
    yield from opened(made, "Cue")


def with_entries(hall, *entries: Entry, **fields) -> str:
    hall.act("playlist.add", name="Round", entries=[e.model_dump(mode="json") for e in entries])
    made = hall.state.show.playlists[-1].id
    if fields:
        hall.act("playlist.change", playlist=made, **fields)
    return made


def test_a_playlist_is_made_changed_and_run(window, hall):
    lists = page(window, "Playlists")
    assert "No playlists yet" in rows(lists.list)[0]
    lists.new.click()
    type_in(refreshed(lists).name, "Evening")
    for words in ("ready camera 1 1q", "ready camera 2 2w", "ready scene two"):
        lists.add.click()
        find(window, words)
        refreshed(lists)
    lists.key.click()
    refreshed(lists)
    assert [row.split("   ")[1] for row in rows(lists.entries)] == [
        "1 “1Q”, 6 s",
        "2 “2W”, 6 s",
        "“Two at once”, 6 s",
        "Wait for a key (Ctrl+F7)",
    ]
    lists._entry_chosen("1")
    type_in(lists.form.amount, "50")
    choose(refreshed(lists).form.unit, "frames")
    choose(refreshed(lists).form.transition, "mix")
    type_in(refreshed(lists).form.frames, "12")
    type_in(lists.form.note, "slowly")
    refreshed(lists)
    assert rows(lists.entries)[1].endswith("2 “2W”, 50 frames (2 s), mix, 0.5 s   – slowly")
    lists.down.click()
    lists.out.click()
    refreshed(lists)
    choose(lists.aside, "stop")
    type_in(lists.times, "3")
    lists.shuffle.click()
    made = hall.state.show.playlists[0]
    assert (made.name, made.times, made.shuffle, str(made.aside), len(made.entries)) == ("Evening", 3, True, "stop", 3)
    lists._entry_chosen("0")
    lists.here.click()
    hall.turn(2)
    assert refreshed(lists).pause.isEnabled()
    lists.pause.click()
    assert refreshed(lists).pause.text() == "Continue"
    lists.skip.click()
    lists.stop.click()
    assert hall.state.automation.playlist is None
    choose(refreshed(lists).form.unit, str(Unit.UNTIL_CLOSED))
    assert hall.state.show.playlists[0].entries[0].mic is not None
    lists.remove.click()
    assert not hall.state.show.playlists


def test_what_is_late_is_called_out_and_mended_by_one_press(window, hall):
    made = with_entries(hall, seen("1Q", 6), seen("2Q", 0.4), seen("1E", 3), seen("3Q", 3))
    lists = refreshed(page(window, "Playlists"))
    lists.choose(made)
    before = rows(lists.entries)
    assert before[2].endswith("late") or "late" in before[2]
    assert "One cut is late" in lists.said.text()
    words = [b.text() for b in lists._mend_buttons]
    assert words[0].startswith("entry 2 longer by")
    lists._mend_buttons[0].click()
    refreshed(lists)
    assert "every cut lands" in lists.said.text()
    hall.act("edit.undo")
    swap = next(b for b in refreshed(lists)._mend_buttons if b.text() == "swap it with the next")
    swap.click()
    assert [e.item.id for e in hall.state.show.playlist(made).entries] == [F["1Q"], F["2Q"], F["3Q"], F["1E"]]
    hall.act("edit.undo")
    cover = next(b for b in refreshed(lists)._mend_buttons if "cover shot" in b.text())
    cover.click()
    assert hall.state.show.playlist(made).entries[2].item.key == WIDE.key
    assert "every cut lands" in refreshed(lists).said.text()


def test_another_camera_is_proposed_where_it_shows_the_same(window, hall):
    shown = hall.state.show
    framings = tuple(replace_mark(f, "m1") if f.id in (F["1E"], F["3W"]) else f for f in shown.framings)
    hall.engine.state = hall.state.with_(show=shown.model_copy(update={"framings": framings}))
    made = with_entries(hall, seen("1Q", 6), seen("2Q", 0.4), seen("1E", 3))
    lists = refreshed(page(window, "Playlists"))
    lists.choose(made)
    instead = next(b for b in lists._mend_buttons if "from camera 3 instead" in b.text())
    instead.click()
    assert hall.state.show.playlist(made).entries[2].item.id == F["3W"]


def test_an_edge_of_the_chart_is_dragged_and_foretold_while_it_is_held(window, hall):
    made = with_entries(hall, seen("1Q", 6), seen("2Q", 4), seen("1E", 3))
    lists = refreshed(page(window, "Playlists"))
    lists.choose(made)
    chart = lists.chart
    chart.grab()
    assert not chart.outlook.late
    edge = QPointF(chart.x_of(10.0), 40)
    to = QPointF(chart.x_of(6.5), 40)
    QTest.mousePress(chart, LEFT, pos=edge.toPoint())
    QTest.mouseMove(chart, to.toPoint())
    assert chart.outlook.late == (2,)
    chart.grab()
    QTest.mouseRelease(chart, LEFT, pos=to.toPoint())
    assert abs(hall.state.show.playlist(made).entries[1].amount - 0.5) < 0.15
    refreshed(lists)
    at = QPointF((chart.x_of(1) + chart.x_of(5)) / 2, chart.row_of("c1").center().y())
    QTest.mouseClick(chart, LEFT, pos=at.toPoint())
    assert lists.at == 0


def test_then_says_what_plays_what_is_left_and_what_will_be_late(window, hall):
    made = with_entries(hall, seen("1Q", 8), seen("2Q", 0.4), seen("1E", 3), times=2)
    window.show_view("Air")
    hall.act("playlist.start", playlist=made)
    hall.turn(2)
    assert playlist_words(hall.state, hall.clock.now_s()).startswith("▶ Round: 1 of 3, 6.")
    window.air.then.grab()
    hall.act("cover")
    hall.turn(0.1)
    assert playlist_words(hall.state, hall.clock.now_s()) == "▶ Round: aside, Ctrl+F6 rejoins"
    QTest.keyClick(window.air, Qt.Key.Key_F6, Qt.KeyboardModifier.ControlModifier)
    hall.turn(1)
    assert hall.state.automation.playlist.aside_s is None
    hall.act("playlist.hold")
    assert playlist_words(hall.state, hall.clock.now_s()).endswith("held")
    assert Entry(kind=EntryKind.KEY).amount == 6.0


def test_rehearse_tells_every_landing_and_what_is_not_there(capsys, tmp_path, hall):
    assert main(["rehearse", str(SHIPPED), "--playlist", "at the wheels", "--minutes", "10", "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert said["cuts"] == said["landed"] > 100
    assert abs(sum(said["on_air_s"].values()) - said["seconds"]) < 5
    assert main(["rehearse", str(SHIPPED), "--macro", "Welcome"]) == 0
    assert "“Welcome”: 4 s, 1 of 1 cuts land" in capsys.readouterr().out
    assert main(["rehearse", str(SHIPPED), "--playlist", "Nothing"]) == 2
    assert "It has: “At the wheels”" in capsys.readouterr().err
    with_entries(hall, seen("1Q", 2), seen("1E", 2))
    hall.act("landing.rule", rule="straight")
    save(tmp_path / "straight.ribalta", StoredShow(hall.state.show, {}))
    main(["rehearse", str(tmp_path / "straight.ribalta"), "--playlist", "Round"])
    assert "2 Q" not in capsys.readouterr().out


def test_who_is_to_be_seen_is_chosen_on_the_plan_and_cut_in_two_presses(window, hall):
    window.show_view("Air")
    QTest.keyClick(window.air, Qt.Key.Key_M)
    chooser = window.air.chooser
    assert chooser.isVisible()
    chooser.grab()  # no marks yet
    marks = tuple(Mark(id=f"m{k}", name=f"Mark {k}", x_m=2 * k, y_m=5) for k in (1, 2))
    rated = {F["1W"]: ("m1", 90), F["2W"]: ("m1", 80), F["3W"]: ("m2", 70)}
    framings = tuple(
        f.model_copy(update={"mark_id": rated[f.id][0], "rating": rated[f.id][1]}) if f.id in rated else f
        for f in hall.state.show.framings
    )
    changed = hall.state.show.model_copy(update={"marks": marks, "framings": framings})
    hall.engine.state = hall.state.with_show(changed)
    at = chooser.to_px().map(QPointF(2, 5)).toPoint()
    QTest.mouseClick(chooser, LEFT, pos=at)
    assert hall.state.program.next.framing_id == F["1W"]
    chooser.grab()
    hall.turn(3)
    QTest.mouseClick(chooser, LEFT, pos=at)
    assert hall.state.program.on_air.framing_id == F["1W"]
    QTest.mouseClick(chooser, Qt.MouseButton.RightButton, pos=at)
    assert hall.state.program.next.framing_id == F["2W"]
    QTest.mouseClick(chooser, LEFT, pos=chooser.row_area(0).center().toPoint())
    hall.turn(3)
    chooser.grab()
    QTest.mouseClick(chooser, LEFT, pos=chooser.row_area(0).center().toPoint())
    assert hall.state.program.on_air.framing_id == F["2W"]
    QTest.keyClick(window.air, Qt.Key.Key_2, Qt.KeyboardModifier.KeypadModifier)
    assert hall.state.program.next.framing_id == F["3W"]
    QTest.keyClick(window.air, Qt.Key.Key_M)
    assert not chooser.isVisible()
