"""Playlists in the real window on a hand-wound show: making one, its chart, what mends it, and Then."""

import json

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from ribalta.app.cli import main
from ribalta.core.show.automation.calls import Item, Kind
from ribalta.core.show.automation.playlists import Entry, EntryKind, Unit
from ribalta.core.show.document.model import Mark
from ribalta.core.show.files.storage import StoredShow, save
from ribalta.demo.shipped import SHIPPED
from ribalta.desk.window import Window
from ribalta.desk.words.playlist_words import playlist_words
from tests.core.automation.test_playlists import WIDE, F, at_first, seen
from tests.core.planning.test_foretelling import replace_mark
from tests.desk.by_hand import drag, drop, items_of
from tests.desk.hand_wound import HandWoundSession, opened
from tests.desk.test_cue_parts import choose, show, type_in
from tests.desk.test_prompt_parts import page, refreshed, rows

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


def entries(page) -> list[str]:
    """What the strip says of each entry."""
    return [f"{part.name}; {part.value}" if part.value else part.name for part in page.strip.accessible_parts()]


def centre(page, k: int):
    return page.strip.tile_layout.area_of(k).center().toPoint()


def right_edge(page, k: int):
    area = page.strip.tile_layout.area_of(k)
    return QPointF(area.right(), area.center().y()).toPoint()


def test_a_playlist_is_made_of_pictures_changed_and_run(window, hall):
    lists = page(window, "Playlists")
    assert "No playlists yet" in rows(lists.list)[0]
    lists.new.click()
    type_in(refreshed(lists).settings.name, "Evening")
    found = lists.browser
    found.search.setText("2w")
    assert [one.words for one in found.tiles.offered] == ["2 W  2W"]
    found.search.clear()
    assert drop(lists.strip, items_of(hall.state.show, F["1Q"]), centre_of(lists.strip))
    refreshed(lists)
    found.tiles.setCurrentRow(next(k for k, one in enumerate(found.tiles.offered) if one.item.id == F["2W"]))
    QTest.keyClick(found.tiles, Qt.Key.Key_Return)  # behind what was dropped, without a mouse
    scene = hall.state.show.scenes[0].id
    assert drop(lists.strip, items_of(hall.state.show, scene), QPointF(lists.strip.width() - 12, 60).toPoint())
    lists.key.click()
    refreshed(lists)
    assert entries(lists) == [
        "1  1 “1Q”, 6 s",
        "2  2 “2W”, 6 s",
        "3  “Two at once”, 6 s",
        "4  Wait for a key (Ctrl+F7); selected",
    ]
    assert "4 entries" in rows(lists.list)[0]
    QTest.mouseClick(lists.strip, LEFT, pos=centre(lists, 1))
    type_in(refreshed(lists).form.amount, "50")
    choose(refreshed(lists).form.unit, "beats")
    choose(refreshed(lists).form.transition, "mix")
    type_in(refreshed(lists).form.seconds, "0.5")
    type_in(lists.form.note, "slowly")
    refreshed(lists)
    assert entries(lists)[1] == "2  2 “2W”, 50 beats (25 s), mix, 0.5 s, slowly; selected"
    assert lists.form.isVisible()
    assert not lists.settings.isVisible()
    QTest.keyClick(lists.strip, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
    assert [e.note for e in hall.state.show.playlists[0].entries] == ["", "", "slowly", ""]
    QTest.keyClick(lists.strip, Qt.Key.Key_Escape)
    refreshed(lists)
    choose(lists.settings.aside, "stop")
    type_in(lists.settings.times, "3")
    lists.settings.shuffle.click()
    made = hall.state.show.playlists[0]
    assert (made.name, made.times, made.shuffle, str(made.aside), len(made.entries)) == ("Evening", 3, True, "stop", 4)
    lists.settings.shuffle.click()
    QTest.mouseClick(refreshed(lists).strip, LEFT, pos=centre(lists, 0))
    lists.here.click()
    hall.turn(2)
    assert refreshed(lists).pause.isVisible()
    assert not lists.start.isVisible()
    assert entries(lists)[0].endswith("on air, selected")
    lists.pause.click()
    assert refreshed(lists).pause.text() == "Continue"
    lists.skip.click()
    lists.stop.click()
    assert hall.state.automation.playlist is None
    choose(refreshed(lists).form.unit, str(Unit.UNTIL_CLOSED))
    assert hall.state.show.playlists[0].entries[0].mic is not None
    lists.remove.click()
    assert not hall.state.show.playlists


def centre_of(widget):
    return widget.rect().center()


def test_entries_are_dragged_stretched_copied_and_removed_several_at_once(window, hall):
    made = with_entries(hall, seen("1Q", 6), seen("2Q", 4), seen("1E", 4), seen("3Q", 6), seen("2W", 6))
    lists = refreshed(page(window, "Playlists"))
    lists.choose(made)
    strip = refreshed(lists).strip

    def now() -> list[tuple[str, float]]:
        return [(e.item.called, e.amount) for e in hall.state.show.playlist(made).entries]

    before = now()
    QTest.mouseClick(strip, LEFT, pos=centre(lists, 1))
    QTest.mouseClick(strip, LEFT, Qt.KeyboardModifier.ShiftModifier, centre(lists, 2))
    assert strip.selected_at == [1, 2]
    edge, per_s = right_edge(lists, 2), lists.timeline.scale.per_s
    drag(strip, edge, edge + QPointF(2 * per_s, 0).toPoint())  # half as long again, both of them
    lengths = [seconds for _, seconds in now()]
    assert lengths[0] == 6
    assert abs(lengths[1] - 6) < 0.15
    assert lengths[1] == lengths[2]
    hall.act("edit.undo")
    assert now() == before  # one edit
    refreshed(lists)
    drag(strip, centre(lists, 1), strip.tile_layout.area_of(4).center().toPoint() + QPointF(8, 0).toPoint())
    assert [k for k, _ in now()] == [before[k][0] for k in (0, 3, 4, 1, 2)]
    hall.act("edit.undo")
    refreshed(lists)
    strip.select([1, 2])
    drag(strip, centre(lists, 1), QPointF(300, 600).toPoint())  # let go outside
    assert now() == before
    assert not hall.state.show.playlist(made).entries[1].off
    QTest.mousePress(strip, LEFT, pos=centre(lists, 1))
    QTest.mouseMove(strip, centre(lists, 4))
    QTest.keyClick(strip, Qt.Key.Key_Escape)
    QTest.mouseRelease(strip, LEFT, pos=centre(lists, 4))
    assert now() == before
    strip.select([1, 2])
    QTest.keyClick(strip, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    strip.select([4])
    QTest.keyClick(strip, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert len(now()) == 7
    refreshed(lists)
    strip.select([5, 6])
    QTest.keyClick(strip, Qt.Key.Key_Delete)
    assert now() == before
    refreshed(lists)
    assert not drop(strip, [Item(kind=Kind.FRAMING, id="gone", called="Gone")], centre(lists, 0))
    QTest.mouseClick(strip, LEFT, pos=centre(lists, 0))
    QTest.keyClick(strip, Qt.Key.Key_Plus)
    assert now()[0][1] == 6.5
    menu = strip.open_menu(QPoint(10, 10))
    words = [a.text() for a in menu.actions() if a.text()]
    assert words[:3] == ["Start from here", "Add a wait for a key", "Remove entries\tDel"]
    menu.close()
    strip.grab()


def test_a_long_playlist_is_scrolled_and_no_entry_becomes_too_narrow(window, hall):
    made = with_entries(hall, *(seen("1Q" if k % 2 else "2Q", 0.5 if k % 7 else 40) for k in range(100)))
    lists = refreshed(page(window, "Playlists"))
    lists.choose(made)
    strip = refreshed(lists).strip
    assert all(strip.tile_layout.area_of(k).width() >= 44 for k in range(100))
    assert lists.scroller.isVisible()
    assert lists.timeline.hidden > 1000
    QTest.keyClick(strip, Qt.Key.Key_End)
    assert strip.rect().adjusted(0, 0, 2, 0).contains(centre(lists, 99))
    last = lists.chart.x_of(lists._outlook.foretold[99].begins_s)
    assert abs(last - strip.tile_layout.area_of(99).left()) < 2  # one scale
    lists.grab()


def test_what_is_late_is_called_out_and_mended_by_one_press(window, hall):
    made = with_entries(hall, seen("1Q", 6), seen("2Q", 0.4), seen("1E", 3), seen("3Q", 3))
    lists = refreshed(page(window, "Playlists"))
    lists.choose(made)
    assert "late" in entries(lists)[2]
    assert "One cut is late" in lists.late.said.text()
    words = [b.text() for b in lists.late.mends]
    assert words[0].startswith("entry 2 longer by")
    lists.late.mends[0].click()
    refreshed(lists)
    assert "every cut lands" in lists.late.said.text()
    hall.act("edit.undo")
    swap = next(b for b in refreshed(lists).late.mends if b.text() == "swap it with the next")
    swap.click()
    assert [e.item.id for e in hall.state.show.playlist(made).entries] == [F["1Q"], F["2Q"], F["3Q"], F["1E"]]
    hall.act("edit.undo")
    cover = next(b for b in refreshed(lists).late.mends if "cover shot" in b.text())
    cover.click()
    assert hall.state.show.playlist(made).entries[2].item.key == WIDE.key
    assert "every cut lands" in refreshed(lists).late.said.text()


def test_another_camera_is_proposed_where_it_shows_the_same(window, hall):
    shown = hall.state.show
    framings = tuple(replace_mark(f, "m1") if f.id in (F["1E"], F["3W"]) else f for f in shown.framings)
    hall.engine.state = hall.state.with_(show=shown.model_copy(update={"framings": framings}))
    made = with_entries(hall, seen("1Q", 6), seen("2Q", 0.4), seen("1E", 3))
    lists = refreshed(page(window, "Playlists"))
    lists.choose(made)
    instead = next(b for b in lists.late.mends if "from camera 3 instead" in b.text())
    instead.click()
    assert hall.state.show.playlist(made).entries[2].item.id == F["3W"]


def test_an_edge_is_dragged_and_foretold_while_it_is_held(window, hall):
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
    hall.act("edit.undo")
    strip = refreshed(lists).strip
    edge, per_s = right_edge(lists, 1), lists.timeline.scale.per_s
    QTest.mousePress(strip, LEFT, pos=edge)
    QTest.mouseMove(strip, edge - QPointF(3.5 * per_s, 0).toPoint())
    assert chart.outlook.late == (2,)
    assert "late" in entries(lists)[2]
    strip.grab()
    QTest.keyClick(strip, Qt.Key.Key_Escape)
    QTest.mouseRelease(strip, LEFT, pos=edge)
    assert not chart.outlook.late
    assert hall.state.show.playlist(made).entries[1].amount == 4
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
