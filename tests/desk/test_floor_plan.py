"""Rig's floor plan and its list of cameras, on a hand-wound show."""

import math

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog

from ribalta.core.ports.messages import NoPosition
from ribalta.desk.rig.floor_plan import HANDLE_PX, PlanItem, sight
from tests.desk.hand_wound import choose_file, dialog_of
from tests.desk.test_rig_parts import LEFT, marked_show, press, refresh, said
from tests.desk.test_rig_parts import window as window


def drag(widget, start: QPointF, end: QPointF) -> None:
    QTest.mousePress(widget, LEFT, pos=start.toPoint())
    QTest.mouseMove(widget, pos=((start + end) / 2).toPoint())
    QTest.mouseMove(widget, pos=end.toPoint())
    QTest.mouseRelease(widget, LEFT, pos=end.toPoint())


def test_cameras_marks_and_headings_are_dragged_to_their_places_and_undone(window):
    plan, state = window.rig.plan, lambda: window.bridge.state
    goal = plan.to_px(-1.0, 2.0)
    drag(plan, plan.to_px(-3.0, -2.0), goal)
    place = state().show.camera("c1").place
    assert (place.x_m, place.y_m) == (pytest.approx(-1.0, abs=0.1), pytest.approx(2.0, abs=0.1))
    assert window.rig.monitor.camera_id == "c1"
    turn = math.radians(30.0)
    centre = plan.to_px(place.x_m, place.y_m)
    handle = centre + QPointF(math.sin(turn), -math.cos(turn)) * HANDLE_PX
    assert plan.at(handle) == PlanItem("handle", "c1")
    drag(plan, handle, centre + QPointF(HANDLE_PX, 0))
    assert state().show.camera("c1").place.heading_deg == pytest.approx(90.0, abs=2.0)
    drag(plan, plan.to_px(1.0, 1.0), plan.to_px(2.0, -1.0))
    assert state().show.marks[0].x_m == pytest.approx(2.0, abs=0.1)
    assert window.rig.mark_line.isVisible()
    for _ in range(3):
        QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert state().show == marked_show()


def test_the_plan_zooms_about_the_pointer_pans_by_the_floor_and_comes_back(window):
    plan = window.rig.plan
    at = plan.to_px(1.0, 1.0)
    scale = plan._scale
    wheel = QWheelEvent(
        at,
        plan.mapToGlobal(at),
        QPoint(),
        QPoint(0, 240),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(plan, wheel)
    assert plan._scale == pytest.approx(scale * 1.21)
    assert plan.to_m(at) == (pytest.approx(1.0, abs=0.01), pytest.approx(1.0, abs=0.01))
    empty = QPointF(5, 5)
    before = plan.to_m(empty)
    drag(plan, empty, QPointF(45, 25))
    assert plan.to_m(QPointF(45, 25)) == (pytest.approx(before[0], abs=0.05), pytest.approx(before[1], abs=0.05))
    window.resize(1300, 820)
    QApplication.processEvents()
    assert plan._scale == pytest.approx(scale * 1.21)  # a plan that somebody arranged stays
    QTest.keyClick(plan, Qt.Key.Key_0)
    plan.grab()
    window.resize(1400, 900)
    QApplication.processEvents()
    plan.grab()
    for camera in window.bridge.state.show.cameras:
        assert plan.rect().contains(plan.to_px(camera.place.x_m, camera.place.y_m).toPoint())


def test_marks_are_added_by_a_click_nudged_by_keys_and_changed_in_numbers(window):
    plan, show = window.rig.plan, lambda: window.bridge.state.show
    press(window.rig, "Add mark")
    QTest.mouseClick(plan, LEFT, pos=plan.to_px(-2.0, 3.0).toPoint())
    mark = show().marks[1]
    assert (mark.name, mark.x_m) == ("Mark 1", pytest.approx(-2.0, abs=0.1))
    plan.choose_mark(mark.id)
    refresh(window)
    QTest.keyClick(plan, Qt.Key.Key_Right)
    assert show().marks[1].x_m == pytest.approx(mark.x_m + 0.1)
    line = window.rig.mark_line
    for field, text in ((line.name, "Jury"), (line.fields["height_m"], "1,3"), (line.fields["facing_deg"], "east")):
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
    assert (show().marks[1].name, show().marks[1].height_m, show().marks[1].facing_deg) == ("Jury", 1.3, 180.0)
    assert "facing (degrees) “east” has to be a number" in said(window)
    plan.setFocus()
    QTest.keyClick(plan, Qt.Key.Key_Delete)
    assert len(show().marks) == 1
    plan.choose_mark("")
    window.rig.list.choose("c2")
    QTest.keyClick(plan, Qt.Key.Key_Up)
    assert show().camera("c2").place.y_m == pytest.approx(-3.9)


def test_a_wedge_points_where_the_camera_says_it_looks(window):
    hall = window.bridge._show.hall
    hall.act("camera.aim", camera=1, pan_deg=20, tilt_deg=0, zoom=0.5)
    hall.turn(5)
    heading, angle = sight(hall.state, hall.state.show.camera("c1"))
    assert heading == pytest.approx(50.0, abs=0.01)
    assert angle == pytest.approx(hall.state.show.camera("c1").lens.hfov_deg(0.5))
    hung = hall.state.show.camera("c1").place.model_copy(update={"hung": True})
    camera = hall.state.show.camera("c1").model_copy(update={"place": hung})
    assert sight(hall.state, camera)[0] == pytest.approx(10.0, abs=0.01)
    hall.engine.report(NoPosition("c1"), hall.clock.now_s())
    assert sight(hall.state, hall.state.show.camera("c1")) is None


def test_a_plan_is_brought_in_with_the_scale_that_was_given_and_written_out(window, tmp_path):
    asked, drawn, written = window.bridge.transfers.asked, tmp_path / "hall.svg", tmp_path / "plan.csv"
    press(window.rig, "Import …")
    choose_file(drawn)
    dialog_of(QInputDialog).setDoubleValue(1000.0)
    dialog_of(QInputDialog).accept()
    press(window.rig, "Export …")
    choose_file(written)
    press(window.rig, "Import …")
    choose_file(drawn)
    dialog_of(QInputDialog).reject()
    assert asked == [("bring_in_plan", drawn, 1000.0), ("write_out_plan", written)]


def test_furniture_is_placed_dragged_measured_and_removed(window):
    plan, show = window.rig.plan, lambda: window.bridge.state.show
    press(window.rig, "Add furniture")
    QTest.mouseClick(plan, LEFT, pos=plan.to_px(2.0, 3.0).toPoint())
    box = show().obstacles[0]
    assert (box.x_m, box.y_m) == (pytest.approx(2.0, abs=0.1), pytest.approx(3.0, abs=0.1))
    drag(plan, plan.to_px(box.x_m + 0.2, box.y_m), plan.to_px(3.0, 2.0))
    assert show().obstacles[0].x_m == pytest.approx(3.0, abs=0.1)
    refresh(window)
    line = window.rig.furniture_line
    assert line.isVisible()
    for name, text in (("wide_m", "2.5"), ("height_m", "0,8"), ("turned_deg", "30")):
        field = line.fields[name]
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
    box = show().obstacles[0]
    assert (box.wide_m, box.height_m, box.turned_deg) == (2.5, 0.8, 30.0)
    plan.render(QImage(plan.size(), QImage.Format.Format_RGB32))
    press(line, "Remove")
    assert show().obstacles == ()
