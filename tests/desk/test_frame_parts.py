"""Frame's parts by themselves, on a hand-wound show."""

from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from ribalta.core.base.aim import Aim
from ribalta.core.ports.messages import Compared, GlideTo
from ribalta.core.ports.shots import Judgement
from ribalta.core.show.document.model import Mark
from ribalta.core.survey.job import Kind
from ribalta.desk.frame.monitor import offset_of
from ribalta.desk.window import Window
from ribalta.desk.words.framing_words import about, age_words, state_words
from tests.core.engine.test_framings import rich_show
from tests.desk.hand_wound import HandWoundSession, choose_file, opened

LEFT = Qt.MouseButton.LeftButton
CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def window(app):
    show = rich_show()
    spread = {"f3": (2.0, 6.0, "m1"), "f4": (4.0, 6.0, "m2")}
    for framing_id, (_, _, mark) in spread.items():
        show = show.with_framing(show.framing(framing_id).model_copy(update={"mark_id": mark}))
    yield from opened(Window(HandWoundSession(show)), "Frame")


def refresh(window: Window) -> None:
    window.bridge.changed.emit()
    QApplication.processEvents()


def middle_of(window: Window, row: int) -> QPoint:
    return window.frame.list.row_area(row).center().toPoint()


def compared(hall, framing_id: str, **numbers: float) -> None:
    values = {"right_percent": 0.0, "down_percent": 0.0, "turn_deg": 0.0, "growth": 1.0, "sure": 0.9, "alike": 0.9}
    framing = hall.state.show.framing(framing_id)
    report = Compared(framing.camera_id, framing_id, looked=framing.aim, **(values | numbers))
    hall.engine.report(report, hall.clock.now_s())


def test_a_digit_chooses_the_camera_and_a_letter_sends_it_without_readying(window, hall):
    QTest.keyClick(window.frame, Qt.Key.Key_2)
    assert window.frame.monitor.camera_id == "c2"
    QTest.keyClick(window.frame, Qt.Key.Key_W)
    assert hall.cameras["c2"].goal == hall.state.show.framing("f7").aim
    assert hall.state.program.next is None
    QTest.keyClick(window.frame, Qt.Key.Key_R)
    assert "nothing on R" in hall.sentences[-1]
    QTest.keyClick(window.frame, Qt.Key.Key_S, CONTROL)  # saves, and sends no camera to S
    assert window.bridge.file.saves == 1
    assert "nothing on S" not in hall.sentences[-1]
    window.frame.strip.chosen.emit("c3")
    assert window.frame.camera.number == 3


def test_arrows_steer_finely_with_ctrl_and_a_drag_goes_by_the_frame(window, hall):
    window.frame.choose("c1")
    QTest.keyClick(window.frame, Qt.Key.Key_W)
    hall.turn(4)
    start = hall.cameras["c1"].aim
    QTest.keyClick(window.frame, Qt.Key.Key_Right)
    coarse = hall.cameras["c1"].goal.pan_deg - start.pan_deg
    QTest.keyClick(window.frame, Qt.Key.Key_Right, CONTROL)
    fine = hall.cameras["c1"].goal.pan_deg - start.pan_deg - coarse
    assert coarse == pytest.approx(4 * fine, rel=0.01)
    assert hall.state.live("c1").hand.name == "keys"
    monitor = window.frame.monitor
    area = monitor.picture_area()
    here = area.center().toPoint()
    QTest.mousePress(monitor, LEFT, pos=here)
    QTest.mouseMove(monitor, pos=here + QPoint(40, 0))
    QTest.mouseRelease(monitor, LEFT, pos=here + QPoint(int(area.width() / 4), 0))
    assert hall.state.live("c1").hand.name == "mouse"
    assert hall.cameras["c1"].goal.pan_deg < start.pan_deg + coarse


def test_shift_and_a_letter_stores_and_kept_down_stores_over(window, hall):
    window.frame.choose("c1")
    QTest.keyClick(window.frame, Qt.Key.Key_W)
    hall.turn(4)
    QTest.keyClick(window.frame, Qt.Key.Key_R, SHIFT)
    assert hall.state.show.framing_at("c1", 3) is not None
    before = hall.state.show.framing("f3")
    QTest.keyPress(window.frame, Qt.Key.Key_Q, SHIFT)
    assert hall.state.show.framing("f3") == before
    window.ring.fill()
    assert hall.state.show.framing("f3").aim != before.aim
    QTest.keyRelease(window.frame, Qt.Key.Key_Q, SHIFT)


def test_the_offset_is_an_arrow_in_percent_and_degrees(window, hall):
    window.frame.choose("c1")
    QTest.keyClick(window.frame, Qt.Key.Key_W)
    hall.turn(4)
    state, camera = hall.state, hall.state.show.camera("c1")
    framing = state.show.framing("f4")
    assert offset_of(state, camera, framing).words == ""
    hall.act("trim", camera=1, right=0.05, zoom_steps=-1)
    hall.turn(2)
    words = offset_of(hall.state, camera, framing).words
    assert "% left" in words
    assert "°" in words
    assert "too wide" in words
    hall.act("trim.drop", camera=1)
    hall.turn(2)
    compared(hall, "f4", right_percent=6.0, down_percent=-3.0)
    measured = offset_of(hall.state, camera, hall.state.show.framing("f4"))
    assert measured.measured
    assert measured.words.startswith("6.0 % right, 3.0 % up")
    image = QImage(window.frame.monitor.size(), QImage.Format.Format_RGB32)
    window.frame.monitor.render(image)
    assert image.pixelColor(image.width() // 2 + 20, image.height() // 2 - 12) is not None


def test_framings_are_dragged_to_another_letter_and_to_another_camera(window, hall):
    window.frame.choose("c1")
    framings = window.frame.list

    def drag(start: QPoint, end: QPoint) -> None:
        QTest.mousePress(framings, LEFT, pos=start)
        QTest.mouseMove(framings, pos=(start + end) / 2)
        QTest.mouseMove(framings, pos=end)
        QTest.mouseRelease(framings, LEFT, pos=end)

    drag(middle_of(window, 0), middle_of(window, 4))
    assert hall.state.show.framing("f3").slot == 4
    chip = window.frame.strip.area_of(2).center().toPoint()
    end = framings.mapFromGlobal(window.frame.strip.mapToGlobal(chip))
    drag(middle_of(window, 1), end)
    copy = next(f for f in hall.state.show.framings if f.camera_id == "c2" and not f.seen)
    assert copy.mark_id == "m2"
    assert hall.state.show.framing("f4").camera_id == "c1"


def test_typing_finds_framings_of_all_cameras_and_enter_sends_the_first(window, hall):
    window.frame.choose("c1")
    QTest.keyClick(window.frame, Qt.Key.Key_Slash)
    QTest.keyClicks(window.frame.search, "bea")
    assert [f.id for f in window.frame.list.found()] == ["f4"]
    window.frame.search.setText("2W")
    assert [f.name for f in window.frame.list.found()] == ["2W"]
    QTest.keyClick(window.frame.search, Qt.Key.Key_Return)
    assert window.frame.camera.number == 2
    assert hall.cameras["c2"].goal == hall.state.show.framing("f7").aim
    window.frame.search.setText("nothing like it")
    assert window.frame.list.rows == []
    QTest.keyClick(window.frame.search, Qt.Key.Key_Escape)
    assert window.frame.search.text() == ""
    window.frame.search.setFocus()
    QTest.mouseClick(window.frame.strip, LEFT, pos=window.frame.strip.area_of(3).center().toPoint())
    assert window.frame.camera.number == 3
    assert window.frame.hasFocus()


def test_renaming_in_place_protecting_removing_and_the_trim_keys(window, hall):
    window.frame.choose("c1")
    QTest.mouseClick(window.frame.list, LEFT, pos=middle_of(window, 1))
    hall.turn(4)
    QTest.keyClick(window.frame, Qt.Key.Key_N)
    field = window.frame.name_field
    assert field.isVisible()
    field.setText("Bea, from the left")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert hall.state.show.framing("f4").name == "Bea, from the left"
    QTest.keyClick(window.frame, Qt.Key.Key_P)
    assert hall.state.show.framing("f4").protected
    QTest.keyClick(window.frame, Qt.Key.Key_Delete)
    assert "locked" in hall.sentences[-1]
    QTest.keyClick(window.frame, Qt.Key.Key_P)
    QTest.keyClick(window.frame, Qt.Key.Key_Right)
    hall.turn(2)
    refresh(window)
    assert window.frame.aim.keep.isEnabled()
    before = hall.state.show.framing("f4").aim
    QTest.keyClick(window.frame, Qt.Key.Key_K)
    assert hall.state.show.framing("f4").aim != before
    QTest.keyClick(window.frame, Qt.Key.Key_H)
    assert window.frame.monitor.ghost > 0


def test_the_page_for_marks_says_how_well_each_camera_could_and_stores_it(window, hall):
    window.frame.show_page("Frame it for me")
    refresh(window)
    page = window.frame.compose
    for mark_id in ("m1", "m2"):
        page.buttons[mark_id].click()
    assert page.chosen == ("m1", "m2")
    assert page.arguments()["look_room"] == pytest.approx(0.08)
    page.headroom.setText("15")
    page._ask("compose.store", 2)
    made = next(f for f in hall.state.show.framings if not f.seen)
    assert (made.camera_id, made.mark_ids) == ("c2", ("m1", "m2"))
    page.fill.click()
    assert sum(not f.seen for f in hall.state.show.framings) > 3
    hall.act("mark.add", x_m=1.0, y_m=1.0, name="Add")
    refresh(window)
    assert len(page.buttons) == 3


def test_what_no_longer_holds_is_shown_mended_and_relevelled(window, hall):
    window.frame.choose("c1")
    window.frame.show_page("Still true?")
    QTest.keyClick(window.frame, Qt.Key.Key_W)
    hall.turn(4)
    lens = hall.state.show.camera("c1").lens
    for framing_id in ("f3", "f4", "f5"):
        zoom = hall.state.show.framing(framing_id).zoom
        compared(hall, framing_id, right_percent=-100 / lens.hfov_deg(zoom))
    refresh(window)
    page = window.frame.truth
    assert "off its picture" in page.verdict.text()
    assert page.nudge.isEnabled()
    assert "Knocked 1.0° right" in page.preview.text()
    page.level.click()
    assert "Re-levelled camera 1" in hall.sentences[-1]
    refresh(window)
    assert "not compared yet" in page.verdict.text()
    page.begin.click()
    assert window.bridge.transfers.asked[-1] == ("begin", Kind.SWEEP, "c1")


def test_words_of_age_and_state(hall):
    assert [age_words(s) for s in (10, 600, 7200, 200000)] == ["now", "10 min", "2 h", "2 days"]
    framing = hall.state.show.framing("f4")
    assert about(hall.state, framing).startswith("Bea · fit")
    fresh = framing.model_copy(update={"seen": False, "pictured_at_s": hall.clock.now_s() - 7200, "picture": "x.jpg"})
    assert state_words(hall.state, fresh, hall.clock.now_s()) == "not yet seen · picture 2 h old"
    compared(hall, "f4", right_percent=30.0)
    assert hall.state.verdicts["f4"].judgement is Judgement.OFF
    assert "aim is off by 30 %" in state_words(hall.state, hall.state.show.framing("f4"), hall.clock.now_s())


def test_a_camera_on_air_moves_in_frame_only_with_ctrl(window, hall):
    hall.press("1", "W", "Space", "Space")
    hall.turn(4)
    window.frame.choose("c1")
    QTest.keyClick(window.frame, Qt.Key.Key_Left)
    assert "Hold Ctrl" in hall.sentences[-1]
    QTest.keyClick(window.frame, Qt.Key.Key_Left, CONTROL)
    assert isinstance(hall.cameras["c1"].asked[-1], GlideTo)
    QTest.keyClick(window.frame, Qt.Key.Key_E)
    assert "on air, so it stays" in hall.sentences[-1]
    assert hall.state.program.then == ()
    QTest.keyClick(window.frame, Qt.Key.Key_E, CONTROL | SHIFT)
    assert hall.cameras["c1"].asked[-1].seconds == hall.state.show.settings.live_move_s


def test_framings_are_carried_over_by_files_and_the_sheet_is_a_pdf(window, hall, tmp_path):
    page, asked = window.frame.carry, window.bridge.transfers.asked
    _, jpeg = cv2.imencode(".jpg", np.full((270, 480, 3), 90, np.uint8))
    window.bridge.file.picture = lambda name: jpeg.tobytes()
    hall.engine.state = hall.state.with_(
        show=hall.state.show.with_framing(hall.state.show.framing("f4").model_copy(update={"picture": "a.jpg"}))
    )
    for name, call, action in (
        ("a.csv", page.write_out, "write_out_framings"),
        ("b.csv", page.bring_in, "bring_in_framings"),
        ("c.ribalta", page.copy, "bring_in_framings"),
    ):
        path = tmp_path / name
        call()
        choose_file(path)
        assert asked[-1] == (action, path)
    page.write_sheet(tmp_path / "sheet.pdf")
    refresh(window)
    assert (tmp_path / "sheet.pdf").read_bytes().startswith(b"%PDF")
    assert "3 pages" in window.notices.sentence
    page.write_sheet(Path("/no/such/folder/sheet.pdf"))
    refresh(window)
    assert "cannot be written" in window.notices.sentence


def test_sixty_framings_with_long_names_are_on_six_pages(window, hall):
    rows = [
        {"camera": 1, "slot": 3 + k, "name": "A name that is very much too long to be read at a glance"[:80]}
        | {"pan_deg": float(k), "tilt_deg": 0.0, "zoom": 0.2}
        for k in range(57)
    ]
    hall.act("framings.import", framings=rows)
    window.frame.choose("c1")
    for _ in range(5):
        QTest.keyClick(window.frame, Qt.Key.Key_PageDown)
    refresh(window)
    assert window.frame.page.text() == "page 6 of 6"
    assert all(f is not None for _, f in window.frame.list.rows)
    QTest.keyClick(window.frame, Qt.Key.Key_G)
    assert hall.cameras["c1"].goal == Aim(56.0, 0.0, 0.2)
    window.frame.list.render(QImage(window.frame.list.size(), QImage.Format.Format_RGB32))


def test_without_cameras_it_says_what_to_do(app):
    from ribalta.core.show.document.model import Show

    made = Window(HandWoundSession(Show(marks=(Mark(id="m1", name="A", x_m=0, y_m=0),))))
    made.show()
    made.show_view("Frame")
    for page in made.frame.pages:
        made.frame.show_page(page)
        refresh(made)
    made.frame.monitor.render(QImage(made.frame.monitor.size(), QImage.Format.Format_RGB32))
    made.frame.strip.render(QImage(made.frame.strip.size(), QImage.Format.Format_RGB32))
    assert made.frame.list.row_at(QPointF(10, 10)) is None
    QTest.keyClick(made.frame, Qt.Key.Key_Right)
    QTest.keyClick(made.frame, Qt.Key.Key_Q)
    made.close()
    made.deleteLater()
    QApplication.processEvents()


def test_several_framings_are_selected_without_moving_the_camera_removed_as_one_and_pasted(window, hall):
    frame, show = window.frame, hall.state.show
    frame.choose("c1")
    refresh(window)
    mine = [f for _, f in frame.list.rows if f is not None]
    asked = len(hall.cameras["c1"].asked)
    rows = {f.id: k for k, (_, f) in enumerate(frame.list.rows) if f is not None}

    def click(framing, modifier=CONTROL):
        at = frame.list.row_area(rows[framing.id]).center().toPoint()
        QTest.mouseClick(frame.list, Qt.MouseButton.LeftButton, modifier, at)

    frame.list.current = None
    click(mine[0])
    click(mine[2])
    assert frame.list.selected() == [mine[0].id, mine[2].id]
    assert len(hall.cameras["c1"].asked) == asked
    click(mine[0])
    frame.list.current = mine[0].id
    click(mine[2], SHIFT)
    assert frame.list.selected() == [f.id for f in mine[:3]]
    QTest.keyClick(frame, Qt.Key.Key_C, CONTROL)
    QTest.keyClick(frame, Qt.Key.Key_Delete)
    assert not {f.id for f in mine[:3]} & {f.id for f in hall.state.show.framings}
    assert hall.state.edits.undo_words[-1] == "removed 3 framings"
    QTest.keyClick(frame, Qt.Key.Key_V, CONTROL)
    again = [f for f in hall.state.show.framings if f.camera_id == "c1"]
    assert {(f.name, f.aim) for f in mine[:3]} <= {(f.name, f.aim) for f in again}
    hall.act("edit.undo", steps=2)
    assert hall.state.show.framings == show.framings
    click(mine[1], Qt.KeyboardModifier.NoModifier)  # a plain click selects one and sends the camera
    assert frame.list.selected() == [mine[1].id]
