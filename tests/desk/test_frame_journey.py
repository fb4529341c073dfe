"""Frame at work in the real window, against the real stand-in process: four cameras, by mouse and keyboard."""

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from ribalta.core.base.aim import STILL
from ribalta.core.engine.program.landing import set_at_s
from ribalta.core.optics.projection import offset_percent
from ribalta.core.ports.shots import Judgement, Shot
from ribalta.core.show.document.model import LETTERS
from ribalta.core.survey.job import Kind
from tests.desk.input.virtual_pad import LEFT_X, virtual_pad

pytestmark = pytest.mark.alone

LEFT, SHIFT = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier
DIGITS = {1: Qt.Key.Key_1, 2: Qt.Key.Key_2, 3: Qt.Key.Key_3, 4: Qt.Key.Key_4}
FREE = {1: "G", 2: "E", 3: "G", 4: "G"}  # a letter of each camera that has no framing


def key(letter: str) -> Qt.Key:
    return getattr(Qt.Key, f"Key_{letter}")


def framing_on(desk, number: int, letter: str):
    return desk.state.show.framing_at(f"c{number}", LETTERS.index(letter))


def is_set(desk, number: int, framing) -> bool:
    live = desk.state.live(f"c{number}")
    shot = Shot(f"c{number}", framing.id)
    return live.goal_framing_id == framing.id and set_at_s(desk.state, shot) <= desk.session.clock.now_s()


class OneCamera:
    """What is done with one camera; each step chooses it anew, so that four can be worked on by turns."""

    def __init__(self, desk, number: int) -> None:
        self.desk, self.number, self.id, self.free = desk, number, f"c{number}", FREE[number]
        self.frame, self.lens = desk.window.frame, desk.state.show.camera(f"c{number}").lens
        self.first = framing_on(desk, number, "Q")

    def choose(self) -> None:
        QTest.keyClick(self.frame, DIGITS[self.number])
        self.desk.until(lambda: self.frame.monitor.camera_id == self.id and self.desk.state.desk.row == self.id)

    def press(self, key_: Qt.Key, modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        self.choose()
        QTest.keyClick(self.frame, key_, modifiers)

    def mine(self):
        return framing_on(self.desk, self.number, self.free)

    def settled(self, framing) -> None:
        self.desk.until(lambda: is_set(self.desk, self.number, framing))

    def trimmed(self, framing) -> None:
        """It stands exactly where a trim has sent it."""

        def there() -> bool:
            live = self.desk.state.live(self.id)
            near = live.trim != STILL and offset_percent(live.aim, live.goal, self.lens) < 0.3
            return near and is_set(self.desk, self.number, framing)

        self.desk.until(there)

    def click_to_the_right(self) -> None:
        self.choose()
        area = self.frame.monitor.picture_area()
        spot = area.center().toPoint() + QPoint(int(area.width() / 10), 0)
        QTest.mouseClick(self.frame.monitor, LEFT, pos=spot)

    def drag(self, start_letter: str, end_letter: str) -> None:
        self.choose()
        rows = self.frame.list
        start, end = (rows.row_area(LETTERS.index(x)).center().toPoint() for x in (start_letter, end_letter))
        QTest.mousePress(rows, LEFT, pos=start)
        QTest.mouseMove(rows, pos=(start + end) / 2)
        QTest.mouseMove(rows, pos=end)
        QTest.mouseRelease(rows, LEFT, pos=end)

    def there(self) -> None:
        """It answers, and its picture comes: what is stored then has one."""
        self.desk.until(lambda: self.desk.state.live(self.id).picture and self.desk.state.live(self.id).answers)

    def store_and_trim(self) -> None:
        self.trimmed(self.first)
        self.there()
        self.press(key(self.free), SHIFT)
        self.desk.until(lambda: self.mine() is not None)
        stored = self.mine()
        assert dict(stored.kept)["focus.mode"] in ("automatic", "manual")
        self.desk.until(lambda: self.desk.session.file.picture(stored.picture) is not None)
        self.press(Qt.Key.Key_Up)

    def keep_the_trim(self) -> None:
        stored = self.mine()
        self.trimmed(stored)
        self.there()
        self.press(key("K"))
        self.desk.until(lambda: self.mine().aim != stored.aim)
        assert self.mine().picture != stored.picture

    def protect_reorder_undo_rename(self) -> None:
        kept = self.mine()
        self.choose()
        self.frame.list.current = kept.id
        QTest.keyClick(self.frame, key("P"))
        self.desk.until(lambda: self.mine().protected)
        QTest.keyClick(self.frame, Qt.Key.Key_Delete)
        self.desk.until(lambda: "locked" in self.desk.window.notices.sentence)
        QTest.keyClick(self.frame, key("P"))
        self.desk.until(lambda: not self.mine().protected)
        self.drag(self.free, "Q")
        self.desk.until(lambda: framing_on(self.desk, self.number, "Q").id == kept.id)
        QTest.keyClick(self.frame, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.desk.until(lambda: framing_on(self.desk, self.number, "Q").id == self.first.id)
        self.frame.ask_for_name(kept.id)
        self.frame.name_field.setText(f"Mine {self.number}")
        QTest.keyClick(self.frame.name_field, Qt.Key.Key_Return)
        self.desk.until(lambda: self.mine().name == f"Mine {self.number}")

    def find_and_recall(self) -> None:
        QTest.keyClick(self.frame, Qt.Key.Key_Slash)
        QTest.keyClicks(self.frame.search, f"mine {self.number}")
        QTest.keyClick(self.frame.search, Qt.Key.Key_Return)
        self.desk.until(lambda: self.desk.state.live(self.id).goal_framing_id == self.mine().id)


def test_framings_are_made_and_kept_on_four_cameras(open_desk):
    desk = open_desk()
    desk.until(desk.all_there)
    desk.until(lambda: all("focus.mode" in desk.state.live(f"c{n}").settings for n in DIGITS))
    desk.window.show_view("Frame")
    four = [OneCamera(desk, number) for number in DIGITS]
    for one in four:
        one.press(key("Q"))
    for one in four:
        one.settled(one.first)
        one.click_to_the_right()
    for one in four:
        one.store_and_trim()
    for one in four:
        one.keep_the_trim()
    for one in four:
        one.protect_reorder_undo_rename()
        one.press(key("W"))
    for one in four:
        one.settled(framing_on(desk, one.number, "W"))
    for one in four:
        one.find_and_recall()
    for one in four:
        one.settled(one.mine())
        assert offset_percent(desk.state.live(one.id).aim, one.mine().aim, one.lens) < 0.5
    # what was stored just now holds, by the watch
    for one in four:
        desk.until(lambda one=one: desk.state.verdicts.get(one.mine().id) is not None)
        verdict = desk.state.verdicts[one.mine().id]
        assert verdict.judgement is Judgement.HOLDS, verdict


def test_a_knock_is_found_and_mended_in_the_window(open_desk, standins):
    desk = open_desk()
    desk.until(desk.all_there)
    for letter in "EASDF":  # four are enough to tell a knock from a changed scene
        desk.session.act("framing.remove", {"camera": 4, "letter": letter, "users": "remove"})
    desk.until(lambda: sum(f.camera_id == "c4" for f in desk.state.show.framings) == 4)
    desk.window.show_view("Frame")
    page = desk.window.frame.truth
    desk.window.frame.show_page("Still true?")
    desk.window.frame.choose("c4")
    standins.fault(4, bump_pan_deg=3.0, bump_tilt_deg=1.5, bump_roll_deg=1.0)
    try:
        page.begin.click()
        done = {"job": None}

        def swept() -> bool:
            done["job"] = desk.session.setup.jobs.jobs.get((Kind.SWEEP, "c4"))
            return done["job"] is not None and done["job"].done

        desk.until(swept, 90)
        knock = done["job"].findings[0]
        assert knock.remedy is not None, [f.sentence for f in done["job"].findings]
        before = desk.state.show.framings
        desk.until(lambda: page.level.isVisible() and page.level.isEnabled())
        page.level.click()
        desk.until(lambda: desk.state.show.framings != before)
        pose = desk.state.show.camera("c4").place
        assert abs(pose.roll_deg - 1.0) < 0.2
        assert abs(pose.tilt_deg - 1.5) < 0.1
    finally:
        standins.fault(4, bump_pan_deg=0.0, bump_tilt_deg=0.0, bump_roll_deg=0.0)


def test_a_gamepad_trims_a_framing_and_the_trim_is_kept(open_desk):
    with virtual_pad() as pad:
        desk = open_desk(pads=pad.pads)
        desk.until(desk.all_there)
        desk.window.show_view("Frame")
        frame = desk.window.frame
        desk.until(lambda: frame.gamepad.present)
        QTest.keyClick(frame, DIGITS[2])
        QTest.keyClick(frame, key("W"))
        framing = framing_on(desk, 2, "W")
        desk.until(lambda: is_set(desk, 2, framing))
        assert "camera 2" in frame.gamepad.words()
        pad.axis(LEFT_X, 0.7)
        desk.until(lambda: desk.state.live("c2").trim.pan_deg > 0.5)
        pad.axis(LEFT_X, 0.0)
        lens = desk.state.show.camera("c2").lens

        def there() -> bool:
            live = desk.state.live("c2")
            return is_set(desk, 2, framing) and offset_percent(live.aim, live.goal, lens) < 0.3

        desk.until(there)
        QTest.keyClick(frame, key("K"))
        desk.until(lambda: framing_on(desk, 2, "W").pan_deg > framing.pan_deg + 0.4)
        assert desk.state.live("c2").hand.name == "gamepad"
        desk.until(lambda: "Stored the trim" in desk.window.notices.sentence)
        pad.unplug()
        desk.until(lambda: "gamepad is gone" in desk.window.notices.sentence)
        assert not frame.gamepad.present
