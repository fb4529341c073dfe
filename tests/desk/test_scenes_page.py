"""Cue's page of scenes, on its canvas and in its form."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from ribalta.core.show.document.scenes import Inset, Source
from ribalta.desk.cue.look.canvas import SIDES, cropped
from ribalta.desk.cue.look.sources import arguments_of, value_of, words_of
from tests.desk.by_hand import drag, drop, items_of
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


def test_a_scene_of_two_framings_and_a_title_is_made_on_the_picture(window, hall):
    window.show_view("Cue")
    page, canvas = window.cue.scenes, window.cue.scenes.canvas
    shown = hall.state.show
    for scene in shown.scenes:
        hall.act("scene.remove", scene=scene.number)
    refresh(window)
    assert page.number == 0
    assert canvas.has_base
    canvas.resize(640, 360)
    middle, corner = QPoint(320, 180), QPoint(560, 300)
    assert drop(canvas, items_of(shown, "f7"), middle)  # nothing is there yet: a new scene
    refresh(window)
    assert page.number == 1
    canvas.resize(640, 360)
    assert drop(canvas, items_of(shown, "f11"), corner)
    refresh(window)
    assert drop(canvas, items_of(shown, "t1"), QPoint(300, 340))
    scene = hall.state.show.scenes[0]
    assert scene.base.framing_id == "f7"
    assert scene.title_ids[0] == "t1"
    assert [(i.slot, i.source.framing_id) for i in scene.insets] == [(1, "f11")]
    assert (scene.insets[0].left, scene.insets[0].top) == (pytest.approx(0.68, abs=0.01),) * 2
    refresh(window)
    assert page.list.row_at(1).words.split("\n")[1].endswith("2 pictures, 1 title")
    assert drop(canvas, items_of(shown, "b2"), canvas.box(canvas.inset(1)).center().toPoint())  # another picture in it
    assert hall.state.show.scenes[0].insets[0].source.medium_id == "b2"
    refresh(window)
    box = canvas.box(canvas.inset(1))
    side = QPoint(int(box.left()), int(box.center().y()))
    page.choose_slot(1)
    cut = 32 / canvas.area().width()
    drag(canvas, side, side + QPoint(32, 0))  # its left side
    now = hall.state.show.scenes[0].insets[0]
    assert now.crop == (pytest.approx(cut / 0.28, abs=0.01), 0, 0, 0)
    assert now.left == pytest.approx(0.68 + cut, abs=0.01)
    assert now.wide == pytest.approx(0.28 - cut, abs=0.01)
    assert now.tall == pytest.approx(0.28, abs=0.01)  # only its side was cut off
    found = page.browser.tiles
    found.setCurrentRow(0)
    QTest.keyClick(found, Qt.Key.Key_Return)  # without a mouse: the next free inset
    assert [i.slot for i in hall.state.show.scenes[0].insets] == [1, 2]
    shown = hall.state.show
    left = tuple(m for m in shown.media if m.id != "b2")
    hall.engine.state = hall.state.with_show(shown.model_copy(update={"media": left}))  # as a damaged show has it
    refresh(window)
    gone = page.list.row_at(1)
    assert gone.tip == "something of it was removed"
    assert gone.ink is not None
    window.grab()
    taken = items_of(shown, "f7")
    hall.act("framing.remove", camera=2, letter="W", users="remove")
    assert not drop(canvas, taken, middle)  # it was removed while it was dragged


@given(
    side=st.sampled_from(SIDES),
    right=st.floats(-1, 1),
    down=st.floats(-1, 1),
    crop=st.tuples(*[st.floats(0, 0.4)] * 4),
)
def test_a_crop_by_hand_leaves_the_picture_where_it_is(side, right, down, crop):
    start = Inset(slot=1, left=0.2, top=0.1, wide=0.3, crop=crop)
    made = Inset.model_validate(cropped(start, side, right, down).model_dump())  # always sound
    whole = start.wide / (1 - crop[0] - crop[2])
    if made.wide in (0.05, 1.0):
        return  # as small or as large as an inset can be
    left, top = made.left - made.crop[0] * whole, made.top - made.crop[1] * whole
    assert abs(left - (start.left - crop[0] * whole)) < 1e-3
    assert abs(top - (start.top - crop[1] * whole)) < 1e-3
    assert abs(made.wide / (1 - made.crop[0] - made.crop[2]) - whole) < 1e-3


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
