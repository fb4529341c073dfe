"""What a director does, in the real window, against the real stand-in process."""

import json
import os
import shutil
import signal
import subprocess
import sys

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from ribalta.core.engine.program.landing import landing_state
from ribalta.core.optics.projection import offset_percent
from ribalta.core.ports.messages import Notice
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.files.journal import find_recovery
from ribalta.core.show.files.storage import load
from ribalta.demo.children import StandIns
from ribalta.demo.portraits import press
from ribalta.demo.shipped import SHIPPED
from ribalta.desk.air.layout import TilePlace
from ribalta.desk.widgets import footlights

pytestmark = pytest.mark.alone

KEYS = {"2": Qt.Key.Key_2, "3": Qt.Key.Key_3, "W": Qt.Key.Key_W, "E": Qt.Key.Key_E, "G": Qt.Key.Key_G}


def is_set(desk, shot: Shot) -> bool:
    return landing_state(desk.state, shot, desk.session.clock.now_s()) is LandingState.SET


def framing_at(desk, number: int, letter: str):
    camera = desk.state.show.camera_numbered(number)
    return desk.state.show.framing_at(camera.id, "QWERTASDFG".index(letter))


def test_the_first_cut_lands_and_what_is_stored_is_kept(open_desk, tmp_path):
    path = tmp_path / "final.ribalta"
    shutil.copy(SHIPPED, path)
    desk = open_desk(path)
    desk.until(desk.all_there)

    # by keys alone: steer camera 2 away from W, store that on E, leave it, and come back to within half a percent
    wanted = framing_at(desk, 2, "W")
    QTest.keyClick(desk.air, KEYS["2"])
    QTest.keyClick(desk.air, KEYS["W"])
    desk.until(lambda: is_set(desk, Shot("c2", wanted.id)))
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Plus):
        QTest.keyClick(desk.air, key)
    desk.until(lambda: desk.state.live("c2").trim.zoom > 0 and is_set(desk, Shot("c2", wanted.id)))
    QTest.keyClick(desk.air, KEYS["E"], Qt.KeyboardModifier.ShiftModifier)
    desk.until(lambda: framing_at(desk, 2, "E") is not None)
    mine = framing_at(desk, 2, "E")
    QTest.keyClick(desk.air, KEYS["W"])
    desk.until(lambda: is_set(desk, Shot("c2", wanted.id)))
    assert not is_set(desk, Shot("c2", mine.id))
    QTest.keyClick(desk.air, KEYS["E"])
    desk.until(lambda: is_set(desk, Shot("c2", mine.id)))
    lens = desk.state.show.camera("c2").lens
    assert offset_percent(desk.state.live("c2").aim, mine.aim, lens) < 0.5

    # 2 W readies; Space before it is set is held, and cuts when it is
    QTest.keyClick(desk.air, KEYS["2"])
    QTest.keyClick(desk.air, KEYS["W"])
    desk.until(lambda: desk.state.program.next == Shot("c2", wanted.id))
    QTest.keyClick(desk.air, Qt.Key.Key_Space)
    desk.until(lambda: desk.state.program.held is not None)
    shares = []

    def lights():
        found = footlights.of_camera(desk.state, "c2", desk.session.clock.now_s())
        shares.append(found.share)
        return found

    desk.until(lambda: lights().held)
    desk.until(lambda: lights().tally is footlights.Tally.ON_AIR)
    assert any(0.2 < share < 0.9 for share in shares)
    record = desk.state.program.records[-1]
    assert (record.landed, record.forced, record.framing_name) == (True, False, "Bram")
    assert record.held_s > 0.2
    assert record.error_percent < 1.0
    desk.until(lambda: desk.session.media.mixer.record[-1].plan.program.camera_id == "c2")

    # steer camera 3 on the Next picture, store it with Shift and a letter, go elsewhere and come back
    QTest.keyClick(desk.air, KEYS["3"])
    QTest.keyClick(desk.air, KEYS["3"])
    desk.until(lambda: desk.state.program.next == Shot("c3") and is_set(desk, Shot("c3")))
    area = desk.air.next.picture_area()
    QTest.mouseClick(desk.air.next, Qt.MouseButton.LeftButton, pos=(area.topLeft() + QPointF(90, 120)).toPoint())
    before = desk.state.live("c3").aim
    desk.until(lambda: desk.state.live("c3").aim != before and is_set(desk, Shot("c3")))
    assert desk.state.live("c3").aim.pan_deg < before.pan_deg
    QTest.keyClick(desk.air, KEYS["G"], Qt.KeyboardModifier.ShiftModifier)
    desk.until(lambda: framing_at(desk, 3, "G") is not None)
    stored = framing_at(desk, 3, "G")
    desk.until(lambda: desk.session.file.picture(stored.picture) is not None)
    QTest.keyClick(desk.air, KEYS["W"])
    desk.until(lambda: is_set(desk, Shot("c3", framing_at(desk, 3, "W").id)))
    QTest.keyClick(desk.air, KEYS["G"])
    QTest.keyClick(desk.air, Qt.Key.Key_Space)
    desk.until(lambda: desk.state.program.on_air == Shot("c3", stored.id))
    assert desk.state.program.records[-1].landed
    assert offset_percent(desk.state.live("c3").aim, stored.aim, desk.state.show.camera("c3").lens) < 0.5

    # saved, closed and opened again, it is still there with its picture
    QTest.keyClick(desk.air, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    desk.until(lambda: not desk.session.file.unsaved)
    again = load(path)
    assert again.show.framing(stored.id) == stored
    assert again.pictures[stored.picture][:2] == b"\xff\xd8"
    assert find_recovery(path, again) is None


STORE_AND_DIE = """
import json, os, signal, sys, threading
from pathlib import Path
from ribalta.server.session import Session
from ribalta.core.ports.messages import Position, ShowEdited
from ribalta.core.show.files.storage import StoredShow, load
from ribalta.demo.shipped import connected
path = Path(sys.argv[1])
stored = load(path)
session = Session(StoredShow(connected(stored.show, json.loads(sys.argv[2])), stored.pictures), path)
session.listen(lambda e: os.kill(os.getpid(), signal.SIGKILL) if isinstance(e, ShowEdited) else None)
session.start()
here = threading.Event()
while session.state.live("c3").still_since_s is None or not session.state.live("c3").picture:
    here.wait(0.02)
here.wait(0.5)
session.act("framing.store", {"camera": 3, "letter": "G", "overwrite": True})
here.wait(20)
"""


def test_a_framing_stored_right_before_kill_9_is_offered_and_taken_back(open_desk, standins, tmp_path):
    path = tmp_path / "final.ribalta"
    shutil.copy(SHIPPED, path)
    command = [sys.executable, "-c", STORE_AND_DIE, str(path), json.dumps(standins.announcement)]
    assert subprocess.run(command, timeout=60, check=False).returncode == -signal.SIGKILL
    assert load(path).show.framing_at("c3", 9) is None

    desk = open_desk(path)
    assert desk.window.recovery.isVisible()
    offer = desk.window.recovery.findChild(type(desk.window.top._title)).text()
    assert "One change of the last session was not saved" in offer
    desk.window.recovery.answer(True)
    desk.until(lambda: framing_at(desk, 3, "G") is not None)
    assert desk.session.file.picture(framing_at(desk, 3, "G").picture)[:2] == b"\xff\xd8"
    press(desk.window, "Ctrl+S")
    desk.until(lambda: not desk.session.file.unsaved)
    desk.until(lambda: find_recovery(path, load(path)) is None)


def test_cameras_that_die_keep_their_picture_and_come_back_while_the_program_goes_on(open_desk):
    own = StandIns(f"ribalta-dying-{os.getpid()}", again=True, keep_up=True)
    try:
        desk = open_desk(announcement=own.announcement)
        desk.until(desk.all_there)
        press(desk.window, "2")
        press(desk.window, "2")
        desk.until(lambda: desk.state.program.next == Shot("c2"))
        own.kill()
        desk.until(lambda: not desk.state.live("c2").answers and not desk.state.live("c5").picture)
        lights = footlights.of_camera(desk.state, "c2", desk.session.clock.now_s())
        assert lights.words == "NEXT · NO CONTACT"
        assert desk.session.media.pictures.shown["c2"].y.max() > 16
        frames = desk.session.media.mixer.record[-1]
        desk.until(lambda: desk.session.media.mixer.record[-1].at_s > frames.at_s + 0.2)
        assert desk.session.media.mixer.program.y.max() > 16
        desk.until(desk.all_there, 30)
        desk.until(lambda: is_set(desk, Shot("c2")))
        press(desk.window, "Space")
        desk.until(lambda: desk.state.program.on_air == Shot("c2"))
    finally:
        own.stop()


def test_hands_on_the_board_and_the_pictures(open_desk):
    desk = open_desk()
    desk.window.resize(1920, 1080)  # there is room for a row of each camera
    desk.until(desk.all_there)
    board, view = desk.air.board, desk.air.next
    tile = board.area_of(TilePlace(1, "E")).center().toPoint()
    QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=tile)
    desk.until(lambda: desk.state.program.next == Shot("c1", framing_at(desk, 1, "E").id))
    other = board.area_of(TilePlace(3, "W")).center().toPoint()
    QTest.mouseClick(board, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.AltModifier, other)
    desk.until(lambda: desk.state.program.then == (Shot("c3", framing_at(desk, 3, "W").id),))
    desk.until(lambda: is_set(desk, desk.state.program.next))

    # a box with Shift, a drag, and the wheel's keys all trim the camera of Next
    area = view.picture_area()

    def at(x: float, y: float) -> QPoint:
        return (area.topLeft() + QPointF(area.width() * x, area.height() * y)).toPoint()

    zoom = desk.state.live("c1").goal.zoom
    QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, at(0.3, 0.3))
    QTest.mouseMove(view, at(0.7, 0.7))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, at(0.7, 0.7))
    desk.until(lambda: desk.state.live("c1").goal.zoom > zoom + 0.05)
    goal = desk.state.live("c1").goal
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at(0.5, 0.5))
    QTest.mouseMove(view, at(0.4, 0.5))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at(0.3, 0.5))
    desk.until(lambda: desk.state.live("c1").goal.pan_deg > goal.pan_deg)
    assert desk.state.live("c1").trim.pan_deg != 0

    # a long press stores over, and Ctrl+Z takes it back; a protected framing refuses
    desk.until(lambda: is_set(desk, desk.state.program.next))
    before = framing_at(desk, 1, "E")
    QTest.mousePress(board, Qt.MouseButton.LeftButton, pos=tile)
    desk.until(lambda: framing_at(desk, 1, "E") != before)
    QTest.mouseRelease(board, Qt.MouseButton.LeftButton, pos=tile)
    press(desk.window, "Ctrl+Z")
    desk.until(lambda: framing_at(desk, 1, "E") == before)
    QTest.mousePress(board, Qt.MouseButton.LeftButton, pos=board.area_of(TilePlace(1, "R")).center().toPoint())
    desk.until(lambda: "locked" in desk.window.notices.sentence)
    QTest.mouseRelease(board, Qt.MouseButton.LeftButton, pos=board.area_of(TilePlace(1, "R")).center().toPoint())


def test_a_name_is_typed_in_place_and_no_show_key_fires_meanwhile(open_desk):
    desk = open_desk()
    desk.until(desk.all_there)
    press(desk.window, "3")
    desk.until(lambda: desk.state.desk.row == "c3")
    press(desk.window, "R")
    press(desk.window, "N")
    field = desk.air.name_field
    assert field.isVisible()
    QTest.keyClicks(field, "Jory at work 2 W")
    QTest.keyClick(field, Qt.Key.Key_Return)
    desk.until(lambda: framing_at(desk, 3, "R").name == "Jory at work 2 W")
    assert desk.state.program.next == Shot("c3", framing_at(desk, 3, "R").id)
    assert not field.isVisible()
    assert desk.window.focusWidget() is not field
    press(desk.window, "P")
    desk.until(lambda: framing_at(desk, 3, "R").protected)
    press(desk.window, "Del")
    desk.until(lambda: "locked" in desk.window.notices.sentence)
    press(desk.window, "F1")
    assert desk.window.key_page.isVisible()
    press(desk.window, "L")
    desk.until(lambda: desk.state.show.settings.landing_rule == "cover")


def test_an_empty_show_and_a_long_name_are_drawn_without_complaint(app, open_desk, tmp_path):
    from ribalta.core.show.document.model import Show
    from ribalta.core.show.files.storage import StoredShow
    from tests.desk.conftest import Desk

    empty = Desk(StoredShow(Show()), None)
    empty.window.notices.say(Notice("x" * 400))
    assert not empty.window.grab().isNull()
    press(empty.window, "Space")
    empty.until(lambda: "Nothing is readied" in empty.window.notices.sentence)
    press(empty.window, "Ctrl+S")
    empty.until(lambda: "has no file yet" in empty.window.notices.sentence)
    empty.close()
    desk = open_desk()
    desk.session.act("framing.rename", {"camera": 1, "letter": "Q", "name": "An extraordinarily long name " * 2})
    desk.until(lambda: framing_at(desk, 1, "Q").name.startswith("An extraordinarily"))
    for size in ((1100, 700), (1920, 1080)):
        desk.window.resize(*size)
        assert not desk.window.grab().isNull()
