"""Frame at work in the real window, against the real stand-in process: four cameras, by mouse and keyboard."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from ribalta.core.base.aim import STILL
from ribalta.core.engine.landing import set_at_s
from ribalta.core.engine.shots import Judgement, Shot
from ribalta.core.optics.projection import offset_percent
from ribalta.core.show.model import LETTERS
from ribalta.core.survey.job import Kind
from tests.desk.virtual_pad import LEFT_X, virtual_pad

LEFT, SHIFT = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier
DIGITS = {1: Qt.Key.Key_1, 2: Qt.Key.Key_2, 3: Qt.Key.Key_3, 4: Qt.Key.Key_4}
FREE = {1: "G", 2: "E", 3: "G", 4: "S"}  # a letter of each camera that has no framing


def key(letter: str) -> Qt.Key:
    return getattr(Qt.Key, f"Key_{letter}")


def framing_on(desk, number: int, letter: str):
    return desk.state.show.framing_at(f"c{number}", LETTERS.index(letter))


def is_set(desk, number: int, framing) -> bool:
    live = desk.state.live(f"c{number}")
    shot = Shot(f"c{number}", framing.id)
    return live.goal_framing_id == framing.id and set_at_s(desk.state, shot) <= desk.session.clock.now_s()


def one_camera(desk, number: int) -> None:
    """Store, trim, keep the trim, protect, move, undo, find again: everything on one camera."""
    frame, camera_id, free = desk.window.frame, f"c{number}", FREE[number]
    QTest.keyClick(frame, DIGITS[number])
    desk.until(lambda: frame.monitor.camera_id == camera_id)
    first = framing_on(desk, number, "Q")
    QTest.keyClick(frame, key("Q"))
    desk.until(lambda: is_set(desk, number, first))

    # store it on a free letter, a little to the side
    area = frame.monitor.picture_area()
    spot = area.center().toPoint() + QPoint(int(area.width() / 10), 0)
    QTest.mouseClick(frame.monitor, LEFT, pos=spot)
    desk.until(lambda: desk.state.live(camera_id).trim != STILL and is_set(desk, number, first))
    QTest.keyClick(frame, key(free), SHIFT)
    desk.until(lambda: framing_on(desk, number, free) is not None)
    mine = framing_on(desk, number, free)
    desk.until(lambda: desk.session.framing_picture(mine.picture) is not None)
    assert dict(mine.kept)["focus.mode"] in ("automatic", "manual")

    # trim it, and keep the trim
    QTest.keyClick(frame, Qt.Key.Key_Up)
    desk.until(lambda: desk.state.live(camera_id).trim != STILL and is_set(desk, number, mine))
    lens = desk.state.show.camera(camera_id).lens

    def there() -> bool:
        live = desk.state.live(camera_id)
        return offset_percent(live.aim, live.goal, lens) < 0.3 and is_set(desk, number, mine)

    desk.until(there)
    QTest.keyClick(frame, key("K"))
    desk.until(lambda: framing_on(desk, number, free).aim != mine.aim)
    kept = framing_on(desk, number, free)
    assert kept.picture != mine.picture

    # protect it: then it is neither removed nor stored over
    frame.list.current = kept.id
    QTest.keyClick(frame, key("P"))
    desk.until(lambda: framing_on(desk, number, free).protected)
    QTest.keyClick(frame, Qt.Key.Key_Delete)
    desk.until(lambda: "protected" in desk.window.notices.sentence)
    QTest.keyClick(frame, key("P"))
    desk.until(lambda: not framing_on(desk, number, free).protected)

    # drag it to Q, and take that back
    rows = frame.list
    start, end = (rows.row_area(LETTERS.index(x)).center().toPoint() for x in (free, "Q"))
    QTest.mousePress(rows, LEFT, pos=start)
    QTest.mouseMove(rows, pos=(start + end) / 2)
    QTest.mouseMove(rows, pos=end)
    QTest.mouseRelease(rows, LEFT, pos=end)
    desk.until(lambda: framing_on(desk, number, "Q").id == kept.id)
    QTest.keyClick(frame, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    desk.until(lambda: framing_on(desk, number, "Q").id == first.id)

    # away, and back to it by searching for its name
    QTest.keyClick(frame, key("W"))
    other = framing_on(desk, number, "W")
    desk.until(lambda: is_set(desk, number, other))
    frame.ask_for_name(kept.id)
    frame.name_field.setText(f"Mine {number}")
    QTest.keyClick(frame.name_field, Qt.Key.Key_Return)
    desk.until(lambda: framing_on(desk, number, free).name == f"Mine {number}")
    QTest.keyClick(frame, Qt.Key.Key_Slash)
    QTest.keyClicks(frame.search, f"mine {number}")
    QTest.keyClick(frame.search, Qt.Key.Key_Return)
    desk.until(lambda: is_set(desk, number, framing_on(desk, number, free)))
    assert offset_percent(desk.state.live(camera_id).aim, kept.aim, lens) < 0.5


def test_framings_are_made_and_kept_on_four_cameras(open_desk):
    desk = open_desk()
    desk.until(desk.all_there)
    desk.until(lambda: all("focus.mode" in desk.state.live(f"c{n}").settings for n in DIGITS))
    desk.window.show_view("Frame")
    for number in DIGITS:
        one_camera(desk, number)
    # what was stored just now holds, by the watch
    desk.until(lambda: desk.state.verdicts.get(framing_on(desk, 4, FREE[4]).id) is not None)
    assert desk.state.verdicts[framing_on(desk, 4, FREE[4]).id].judgement is Judgement.HOLDS


def test_a_knock_is_found_and_mended_in_the_window(open_desk, standins):
    desk = open_desk()
    desk.until(desk.all_there)
    desk.window.show_view("Frame")
    page = desk.window.frame.truth
    desk.window.frame.show_page("Still true?")
    desk.window.frame.choose("c4")
    standins.fault(4, bump_pan_deg=3.0, bump_tilt_deg=1.5, bump_roll_deg=1.0)
    try:
        page.begin.click()
        done = {"job": None}

        def swept() -> bool:
            done["job"] = desk.session.workshop.jobs.get((Kind.SWEEP, "c4"))
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
            return offset_percent(live.aim, live.goal, lens) < 0.3 and is_set(desk, 2, framing)

        desk.until(there)
        QTest.keyClick(frame, key("K"))
        desk.until(lambda: framing_on(desk, 2, "W").pan_deg > framing.pan_deg + 0.4)
        assert desk.state.live("c2").hand.name == "gamepad"
        pad.unplug()
        desk.until(lambda: not frame.gamepad.present)
        assert "gamepad is gone" in desk.window.notices.sentence
