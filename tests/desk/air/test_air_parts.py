"""The parts of Air by themselves: keys, lamps, board and lines, on a hand-wound show without devices."""

import time

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from ribalta.core.base.aim import Aim
from ribalta.core.ports.messages import GlideTo, Notice, PicturePresence, Severity
from ribalta.core.ports.shots import LandingRecord, LandingState, Shot
from ribalta.core.show.document.model import Framing
from ribalta.demo.portraits import press
from ribalta.desk.air import board as board_module
from ribalta.desk.air.layout import TilePlace
from ribalta.desk.air.side import Side
from ribalta.desk.air.then import landing_words, outlook
from ribalta.desk.painting import look
from ribalta.desk.stored_pictures import StoredPictures
from ribalta.desk.widgets.lists.cells import Cell
from ribalta.desk.window import Window
from tests.desk.hand_wound import HandWoundSession, opened
from tests.pictures import grey

SET, TRAVELLING, OFF, NO_CONTACT = LandingState


@pytest.fixture
def window(app):
    yield from opened(Window(HandWoundSession()))


def grab(widget) -> np.ndarray:
    """The widget's pixels as (height, width, 3) red, green, blue."""
    return pixels_of(widget.grab().toImage())


def pixels_of(image: QImage) -> np.ndarray:
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3).astype(int)


def count(pixels: np.ndarray, colour) -> int:
    """How many pixels are of a colour."""
    return int((np.abs(pixels - [colour.red(), colour.green(), colour.blue()]).max(axis=2) < 12).sum())


def test_ctrl_moves_the_camera_on_air_and_a_bare_hand_does_not(window, hall):
    hall.press("2", "W", "Space", "Space")
    hall.turn(4)
    monitor, asked = window.air.program, hall.cameras["c2"].asked
    spot = monitor.picture_area().center().toPoint() + QPoint(60, 10)
    before = len(asked)
    QTest.mouseClick(monitor, Qt.MouseButton.LeftButton, pos=spot)
    QApplication.processEvents()
    assert len(asked) == before
    assert "on air" in window.notices.sentence
    QTest.mouseClick(monitor, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, spot)
    assert len(asked) == before + 1
    assert isinstance(asked[-1], GlideTo)


def test_the_wheel_zooms_and_a_tiny_box_is_taken_for_a_slip(window, hall):
    hall.press("2", "W")
    hall.turn(4)
    monitor = window.air.next
    spot = QPointF(monitor.picture_area().center())
    before = hall.state.live("c2").goal.zoom
    wheel = QWheelEvent(
        spot, monitor.mapToGlobal(spot), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(monitor, wheel)
    assert hall.state.live("c2").goal.zoom > before
    asked = len(hall.cameras["c2"].asked)
    shift = Qt.KeyboardModifier.ShiftModifier
    QTest.mousePress(monitor, Qt.MouseButton.LeftButton, shift, spot.toPoint())
    QTest.mouseRelease(monitor, Qt.MouseButton.LeftButton, shift, spot.toPoint() + QPoint(3, 2))
    assert len(hall.cameras["c2"].asked) == asked


def test_tally_shows_on_the_pictures_and_on_the_board(window, hall):
    hall.press("2", "W", "Space", "Space", "1", "Q")
    hall.turn(4)
    window.bridge.changed.emit()
    assert count(grab(window.air.program), look.RED) > 800
    assert count(grab(window.air.program), look.GREEN) == 0
    assert count(grab(window.air.next), look.GREEN) > 800
    board = grab(window.air.board)
    assert count(board, look.RED) > 300
    assert count(board, look.GREEN) > 300
    other = window.air.board.area_of(TilePlace(1, "T")).toRect()
    quiet = board[other.top() : other.bottom(), other.left() : other.right()]
    assert count(quiet, look.RED) + count(quiet, look.GREEN) == 0


def test_a_lost_picture_is_greyed_and_dated(window, hall):
    hall.press("2", "W")
    hall.turn(4)
    session = window.bridge._show
    bright = grab(window.air.next)[60:200, 40:300].mean()
    hall.engine.report(PicturePresence("c2", False), hall.clock.now_s())
    session.media.pictures.captured_s["c2"] = hall.clock.now_s() - 7
    lost = grab(window.air.next)
    assert lost[100:200, 40:300].mean() < bright * 0.6
    assert count(lost, look.WRONG) > 50
    assert window.bridge.picture_age_s("c2") == pytest.approx(7)


def test_pictures_that_stand_still_are_old_although_their_cameras_are_said_to_be_well(window, hall):
    """As when the line to the show stands still: nobody says any more that anything is wrong."""
    captured_s = window.bridge._show.media.pictures.captured_s
    captured_s["c2"] = hall.clock.now_s() - 1
    assert window.bridge.old_picture_s("c2") is None
    bright = grab(window.air.board).mean()
    for camera in hall.state.show.cameras:
        captured_s[camera.id] = hall.clock.now_s() - 9
    assert window.bridge.old_picture_s("c2") == pytest.approx(9)
    stale = grab(window.air.board)
    assert stale.mean() < bright
    assert count(stale, look.WRONG) > 50


def test_faults_that_come_together_are_told_together_and_information_fades(window):
    line = window.notices
    line.say(Notice("Camera 1 is gone.", Severity.FAULT))
    line.say(Notice("Camera 2 is gone.", Severity.FAULT))
    assert line.sentence == "Camera 1 is gone. Camera 2 is gone."
    line.say(Notice("Stored."))
    assert line.sentence == "Stored."
    line._since.elapsed = lambda: 60_000
    window.bridge.changed.emit()
    assert line.sentence == ""
    line.say(Notice("Trouble.", Severity.FAULT))
    window.bridge.changed.emit()
    assert line.sentence == "Trouble."


def test_then_says_what_will_become_of_each(window, hall):
    hall.press("2", "W", "Space", "Space", "1", "Q", "3", "Alt+W")
    hall.press("2", "E")
    now_s = hall.clock.now_s()
    assert outlook(hall.state, Shot("c2", "f8"), now_s) == "goes when its camera is off air"
    assert outlook(hall.state, Shot("c1", "f4"), now_s) == "goes after Next"
    assert outlook(hall.state, Shot("c3", "f10"), now_s).startswith("set in ")
    hall.turn(5)
    assert outlook(hall.state, Shot("c3", "f10"), hall.clock.now_s()) == "set"
    hall.contact("c3", False)
    assert outlook(hall.state, Shot("c3", "f10"), hall.clock.now_s()) == "no contact"
    assert not window.air.then.grab().isNull()


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({}, "2 Hands: landed · 0.3 % off"),
        ({"held_s": 1.24}, "2 Hands: landed · 0.3 % off · held 1.2 s"),
        ({"landed": False, "forced": True, "error_percent": 900.0}, "2 Hands: did not land · far off · forced"),
        ({"framing_name": None, "error_percent": None}, "2: landed"),
    ],
)
def test_a_landing_is_told_in_a_line(changes, words):
    record = LandingRecord(1.0, Shot("c2", "f1"), 2, "Hands", 0, True, 0.31, 0.0, False, False)
    fields = {name: getattr(record, name) for name in record.__slots__} | changes
    assert landing_words(LandingRecord(**fields)) == words


def test_the_line_above_shows_the_rule_and_saves(window, hall):
    top = window.top
    assert top.rule.text() == "Takes wait for the camera"
    top.rule.click()
    window.bridge.changed.emit()
    assert "cover shot" in top.rule.text()
    window.bridge.file.unsaved = True
    window.bridge.changed.emit()
    assert top.save.text() == "Unsaved  Ctrl+S"
    top.save.click()
    press(window, "Ctrl+S")
    assert window.bridge.file.saves == 2
    top.help.click()
    assert window.key_page.isVisible()


def test_the_desk_asks_for_pictures_of_the_size_it_shows(window):
    window.resize(1600, 900)
    QApplication.processEvents()
    window.air._tell_sizes()
    sizes = window.bridge.media.sizes
    area = window.air.program.picture_area()
    assert sizes["program"] == sizes["next"] == (int(area.width()), int(area.height()))
    assert set(sizes) == {"program", "next", "c1", "c2", "c3", "c4"}
    assert all(0.95 < (w / h) / (16 / 9) < 1.06 for w, h in sizes.values())


def test_a_protected_framing_and_many_pages_are_drawn(window, hall):
    show = hall.state.show
    place = {"id": "f77", "camera_id": "c2", "slot": 12, "pan_deg": 0, "tilt_deg": 0, "zoom": 0}
    extra = Framing(**place, name="On page two", protected=True)
    hall.engine.state = hall.state.with_show(show.with_framing(extra))
    before = grab(window.air.board)
    press(window, "PgDown")
    window.bridge.changed.emit()
    assert (grab(window.air.board) != before).any()


def test_a_row_is_painted_anew_when_something_in_it_changes_and_only_then(window, hall, monkeypatch):
    window.resize(1920, 1080)
    QApplication.processEvents()
    board = window.air.board
    assert not board.layout_now.wall
    board.refresh()
    painted: list[int] = []
    row = board._row

    def watched(painter, layout, camera, *rest) -> None:
        painted.append(camera.number)
        row(painter, layout, camera, *rest)

    monkeypatch.setattr(board, "_row", watched)
    board.refresh()
    assert painted == []
    before = grab(board)
    hall.cameras["c2"].goal = Aim(20.0, 0.0, 0.2)  # somebody else moves camera 2
    hall.turn(0.3)
    board.refresh()
    assert painted == [2]
    assert (grab(board) != before).any()
    painted.clear()
    hall.turn(6)
    board.refresh()
    board.refresh()
    assert painted == [2]
    painted.clear()
    tiles: list[str] = []
    monkeypatch.setattr(board_module, "paint", lambda painter, area, tile, stored: tiles.append(tile.name))
    hall.press("1", "W")
    board.refresh()
    assert painted == [1]
    assert tiles == [hall.state.framing(hall.state.program.next).name]


def test_a_cameras_picture_is_turned_once_however_often_it_is_painted(window, hall):
    bridge, now_s = window.bridge, hall.clock.now_s()
    pictures = bridge._show.media.pictures
    pictures.shown["c2"], pictures.captured_s["c2"] = grey(50, 64, 36), now_s
    first = bridge.picture_of("c2")
    assert bridge.picture_of("c2") is first
    pictures.shown["c2"], pictures.captured_s["c2"] = grey(200, 64, 36), now_s + 0.04
    assert bridge.picture_of("c2").pixelColor(1, 1).red() == pytest.approx(200, abs=2)
    pictures.shown["c2"] = grey(200, 80, 45)  # the place has another size
    assert bridge.picture_of("c2").width() == 80
    del pictures.shown["c2"]
    assert bridge.picture_of("c2") is None


def test_stored_pictures_that_are_waited_for_come_before_those_that_are_only_prepared(app):
    read = list[str]()
    stored = StoredPictures(read.append)
    prepared, shown = [f"prepared {k}" for k in range(30)], [f"shown {k}" for k in range(5)]
    for _ in range(2):  # at each look what is shown is asked for again
        for name in shown:
            assert stored.soon(name, 64, 36) is None
        for name in prepared:
            stored.soon(name, 64, 36)
        prepared = []
    assert not stored.make_one()
    assert set(read[:5]) == set(shown)
    assert len(read) == 35


def test_the_column_beside_the_board_paints_what_has_changed_and_nothing_else(window, hall, monkeypatch):
    side, painted = window.air.side, list[str]()

    def watched(event) -> list[Cell]:
        cells = Side.to_paint(side, event)
        painted.extend(cell.words for cell in cells)
        return cells

    monkeypatch.setattr(side, "to_paint", watched)
    side.update()
    QApplication.processEvents()
    assert {"Over the picture", "Sound", "Clear", "Black", "Card"} <= set(painted)
    painted.clear()
    window.bridge.changed.emit()
    QApplication.processEvents()
    assert painted == []
    hall.press("B")
    window.bridge.changed.emit()
    QApplication.processEvents()
    assert painted == ["Black"]
    painted.clear()
    window.resize(window.width() + 60, window.height() + 90)
    QApplication.processEvents()
    assert len(painted) == len(side.cells()), "all of them are elsewhere"


def test_what_happened_is_drawn_at_once_or_with_the_live_pictures_that_would_be_late_by_it(window):
    bridge, drawn = window.bridge, list[str]()
    bridge.changed.connect(lambda: drawn.append("what happened"))
    bridge.tick.connect(lambda: drawn.append("pictures"))
    bridge._due_s = time.monotonic() + 10
    bridge._after_event()
    assert drawn == ["what happened"]
    drawn.clear()
    bridge._ticks = 1  # not the one that draws all, whatever happened
    bridge._due_s = time.monotonic() + 0.001
    bridge._after_event()
    assert drawn == []
    bridge._on_timer()
    assert drawn == ["what happened", "pictures"]
    drawn.clear()
    bridge._on_timer()
    assert drawn == ["pictures"]
