"""What goes out of the show and how pictures change: outputs, other screens, the transition."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from tests.desk.hand_wound import FakeRecording
from tests.desk.test_cue_parts import LEFT, choose, refresh, type_in
from tests.desk.test_cue_parts import window as window


def test_outputs_are_set_up_and_only_a_long_press_stops_them(window, hall):
    window.show_view("Cue")
    window.show_view("Rig")
    window.rig.show_page("Outputs")
    page = window.rig.outputs
    type_in(page.folder, "/tmp/recordings")
    type_in(page.cameras, "1 2")
    type_in(page.stream_to, "rtmp://127.0.0.1/live/x")
    type_in(page.kbit, "2500")
    outputs = hall.state.show.outputs
    assert (outputs.folder, outputs.record_camera_ids, outputs.stream_kbit_s) == ("/tmp/recordings", ("c1", "c2"), 2500)
    page.tally_host.setText("192.0.2.7:8901")
    page.tally_add.click()
    assert [(t.host, t.port, t.version) for t in hall.state.show.outputs.tally] == [("192.0.2.7", 8901, "5.0")]
    page.tally_remove.click()
    assert hall.state.show.outputs.tally == ()
    choose(page.aux, "c2")
    assert hall.state.show.outputs.aux == "c2"
    choose(page.format, "1080p59.94")
    assert hall.state.show.outputs.size == (1920, 1080)
    assert page.holds.text() == "Check says what this machine holds."
    page.record.click()
    refresh(window)
    assert not page.format.isEnabled()  # whoever takes program away has been told what it is
    page.stream.click()  # let go at once, it does not go live
    assert not hall.state.output("stream").on
    QTest.mousePress(page.stream, LEFT)
    window.ring.fill()
    refresh(window)
    assert hall.state.output("stream").on
    page.stream_stop.click()
    assert hall.state.output("stream").on
    proof = np.full((144, 256, 3), 90, np.uint8)
    ended = FakeRecording(Path("a.mkv"), running=False, seconds=5.0, lost=2, minutes_left=1.0, proof=proof)
    window.bridge.outputs.recordings = [replace(ended, profile="High profile", trouble="the disk is full")]
    refresh(window)
    assert "ended: the disk is full, 2 frames lost" in page.recording.text()
    window.grab()


def test_other_screens_show_their_pictures_and_fill_their_screen(window, hall):
    for what, places in (
        ("program", {"program@screen"}),
        ("multiview", {"program@many", "next@many", *(f"c{n}@many" for n in (1, 2, 3, 4))}),
    ):
        window.open_screen(what)
        screen = window.screens[what]
        screen.resize(800, 500)
        screen._tell_sizes()
        assert places <= window.bridge.media.sizes.keys()
        hall.press("1", "Q")
        screen.grab()
        QTest.keyClick(screen, Qt.Key.Key_F)
        assert screen.isFullScreen()
        QTest.keyClick(screen, Qt.Key.Key_Escape)
        assert not screen.isFullScreen()
        screen.close()
        assert not places & window.bridge.media.sizes.keys()


def test_the_transition_is_set_up_in_cue_and_moved_by_hand_over_next(window, hall):
    window.show_view("Cue")
    window.cue.show_page("Transitions")
    page = window.cue.transitions
    choose(page.kind, "wipe")
    refresh(window)
    choose(page.shape, "clock")
    choose(page.easing, "eased")
    type_in(page.seconds, "2")
    type_in(page.softness, "30")
    page.backwards.click()
    made = hall.state.program.transition
    assert (made.shape, made.seconds, made.softness, made.backwards) == ("clock", 2.0, 0.3, True)
    refresh(window)
    window.grab()
    type_in(page.seconds, "soon")
    page.make.click()
    assert hall.state.show.settings.normal == made
    choose(page.kind, "dip")
    refresh(window)
    window.grab()
    type_in(page.colour, "#336699")
    page.back.click()
    assert hall.state.program.transition == made
    window.show_view("Air")
    hall.press("1", "Q")
    hall.turn(5)
    steps = QWheelEvent(
        QPointF(60, 10), QPointF(60, 10), QPoint(), QPoint(0, 480), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(window.air.next, steps)
    assert hall.state.program.in_transition.progress == pytest.approx(0.2)
    assert hall.state.on_air("c1")
