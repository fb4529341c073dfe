"""Cue's page of scenes, on its canvas and in its form."""

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from ribalta.core.show.document.scenes import Source
from ribalta.desk.cue.look.sources import arguments_of, value_of, words_of
from tests.desk.test_cue_parts import LEFT, choose, refresh, show, type_in
from tests.desk.test_cue_parts import window as window


def test_a_picture_is_chosen_from_one_list_of_everything():
    made = show()
    for value in words_of(made):
        asked = arguments_of(value)
        assert bool(asked) == bool(value)
    assert arguments_of("c 2 W 0") == {"camera": 2, "letter": "W", "page": 0}
    assert value_of(made, Source(camera_id="c2", framing_id="f7")) == "c 2 W 0"
    assert value_of(made, Source(medium_id="b1")) == "m b1"
    assert value_of(made, Source(camera_id="gone")) == ""


def test_a_scene_is_made_on_the_canvas_and_in_the_form(window, hall):
    window.show_view("Cue")
    page = window.cue.scenes
    page.list.setCurrentRow(1)
    assert page.number == 1
    assert window.bridge.media.previewed[1].on("inset2").wide == 0.3
    canvas, area = page.canvas, page.canvas.area()
    canvas.resize(640, 360)
    start = canvas.box(canvas.inset(2)).center().toPoint()
    QTest.mousePress(canvas, LEFT, pos=start)
    QTest.mouseMove(canvas, start + QPoint(64, 36))
    QTest.mouseRelease(canvas, LEFT, pos=start + QPoint(64, 36))
    moved = hall.state.show.scene("s1").insets[0]
    assert (moved.left, moved.top) == (pytest.approx(0.2, abs=0.01), pytest.approx(0.2, abs=0.01))
    refresh(window)
    corner = canvas.box(canvas.inset(2)).bottomRight().toPoint() - QPoint(3, 3)
    QTest.mousePress(canvas, LEFT, pos=corner)
    QTest.mouseMove(canvas, corner + QPoint(64, 0))
    QTest.mouseRelease(canvas, LEFT, pos=corner + QPoint(64, 0))
    assert hall.state.show.scene("s1").insets[0].wide == pytest.approx(0.4, abs=0.01)
    assert area.width() > 0
    refresh(window)
    QTest.keyClick(canvas, Qt.Key.Key_Left)
    assert hall.state.show.scene("s1").insets[0].left < moved.left
    page.choose_slot(3)
    choose(page.source, "m b2")
    refresh(window)
    type_in(page.corner, "12")
    type_in(page.crops["left"], "25")
    inset = hall.state.show.scene("s1").insets[1]
    assert (inset.source.medium_id, inset.corner, inset.crop[0]) == ("b2", 0.12, 0.25)
    type_in(page.border, "thick")
    choose(page.titles[0], "t1")
    type_in(page.name, "Three")
    choose(page.base, "c 3 E 0")
    page.own.click()
    page.sound.click()
    scene = hall.state.show.scene("s1")
    assert (scene.name, scene.title_ids[0], scene.base.framing_id) == ("Three", "t1", "f11")
    assert scene.transition == hall.state.program.transition
    assert scene.open_mics == ("q1", "q2")
    choose(page.source, "")
    assert [i.slot for i in hall.state.show.scene("s1").insets] == [2]
    page.ready.click()
    assert hall.state.program.next.scene_id == "s1"
    page.remove.click()
    assert "readied as Next" in hall.sentences[-1]
    page.store.click()
    refresh(window)
    assert page.number == 2
    window.grab()


def test_the_desks_own_insets_and_key_are_made_on_the_same_page(window, hall):
    window.show_view("Cue")
    page = window.cue.scenes
    page.choose(0)
    page.choose_slot(4)
    choose(page.source, "c 2")
    choose(page.key_fill, "m b2")
    assert [i.slot for i in hall.state.show.insets] == [1, 4]
    assert hall.state.show.key.fill == Source(medium_id="b2")
    choose(page.source, "")
    assert [i.slot for i in hall.state.show.insets] == [1]
    window.grab()
