"""The parts of Cue and the side column of Air, on a hand-wound show without devices."""

from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.scenes import Inset, Medium, Scene, Source, Title, Transition, TransitionKind
from ribalta.core.show.document.sound import Microphone
from ribalta.core.show.document.templates import shipped
from ribalta.core.sound.levels import Level
from ribalta.demo.portraits import press
from ribalta.desk.air.layout import SCENES, TilePlace
from ribalta.desk.cue.look.title_texts import text_areas
from ribalta.desk.window import Window
from tests.core.hand_wound import small_show
from tests.desk.hand_wound import FakeRecording, HandWoundSession, choose_file, opened

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton


def show():
    scene = Scene(
        id="s1",
        number=1,
        name="Two at once",
        base=Source(camera_id="c1", framing_id="f4"),
        insets=(Inset(slot=2, source=Source(camera_id="c2", framing_id="f7"), left=0.1, top=0.1, wide=0.3),),
    )
    titles = (
        Title(
            id="t1",
            name="Potter",
            template="lower third",
            fields=(("name", "Ines"), ("what", "Clay")),
            rows=((("name", "Ines"), ("what", "Clay")), (("name", "Bram"), ("what", "Glaze"))),
        ),
        Title(id="t2", name="Start", template="countdown", layer=2, changed_at_s=100.0),
    )
    deck = Medium(id="b1", name="Slides", kind="deck", files=("1.png", "2.png", "3.png"))
    media = (deck, Medium(id="b2", name="Logo", files=("4.png",)))
    mics = tuple(Microphone(id=f"q{n}", number=n, name=f"Mic {n}", address="rtp://127.0.0.1:5004") for n in (1, 2))
    made = small_show().model_copy(update={"scenes": (scene,), "titles": titles, "media": media, "microphones": mics})
    return made.model_copy(update={"insets": (Inset(slot=1, source=Source(camera_id="c4")),)})


@pytest.fixture
def window(app):
    yield from opened(Window(HandWoundSession(show())))


def refresh(window) -> None:
    QApplication.processEvents()
    window.bridge.changed.emit()
    QApplication.processEvents()


def choose(part, value: str) -> None:
    """As a person does: the item, and then its signal."""
    part.setCurrentIndex(part.findData(value))
    part.activated.emit(part.currentIndex())


def type_in(field, text: str) -> None:
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def cell(window, words: str):
    return next(c for c in window.air.side.cells() if c.words.startswith(words))


def click(window, words: str, how=LEFT) -> None:
    side = window.air.side
    side.repaint()
    QTest.mouseClick(side, how, pos=cell(window, words).area.center().toPoint())
    refresh(window)


# Air


def test_the_side_column_puts_on_and_off_now_or_with_the_next_take(window, hall):
    assert cell(window, "Potter").note == "Ctrl+6"
    click(window, "! Potter is not today's")  # what warns opens where it is changed, and puts nothing on air
    assert window.cue.isVisible()
    assert window.cue.rail.words["Titles"].isChecked()
    assert hall.state.program.overlays.in_use == {}
    window.show_view("Air")
    click(window, "Potter")
    assert (hall.state.program.overlays.on("title1"), cell(window, "Potter").state) == ("t1", "on")
    hall.press("1", "Q")
    click(window, "camera 4", RIGHT)
    assert cell(window, "camera 4").state == "next"
    assert hall.state.program.overlays.on("inset1") is None
    click(window, "Potter", RIGHT)
    assert cell(window, "Potter").state == "goes"
    hall.turn(5)
    hall.press("Space")
    assert set(hall.state.program.overlays.in_use) == {"inset1"}
    click(window, "Clear")
    assert hall.state.program.overlays.in_use == {}
    click(window, "Black")
    click(window, "Card")
    assert hall.state.program.black.black
    assert hall.state.program.card
    window.grab()


def test_not_recording_is_said_once_the_show_is_on_and_stopping_takes_a_long_press(window, hall):
    assert cell(window, "Rec").state == ""
    hall.press("4", "Space", "1", "Q")
    hall.turn(5)
    hall.press("Space")
    refresh(window)
    assert cell(window, "! Not recording").state == "words"
    assert cell(window, "Rec").state == "wrong"
    click(window, "Rec")
    assert hall.state.output("recording").on
    window.bridge.outputs.recordings = [FakeRecording(Path("a.mkv"), seconds=65.0, minutes_left=90.0)]
    refresh(window)
    assert cell(window, "Recording 1:05, 90 min left").state == "words"
    assert cell(window, "Stop").state == "runs"
    click(window, "Stop")
    assert hall.state.output("recording").on
    QTest.mousePress(window.air.side, LEFT, pos=cell(window, "Stop").area.center().toPoint())
    window.ring.fill()
    assert not hall.state.output("recording").on
    QTest.mouseRelease(window.air.side, LEFT)
    hall.act("outputs.change", stream_to="rtmp://127.0.0.1:9/live/x")
    click(window, "Go live")  # what everybody sees does not begin by a slip
    assert not hall.state.output("stream").on


def test_the_row_of_scenes_is_pressed_named_renamed_and_stored_over(window, hall):
    board = window.air.board
    at = board.area_of(TilePlace(SCENES, "Q")).center().toPoint()
    QTest.mouseClick(board, LEFT, pos=at)
    assert hall.state.program.next.scene_id == "s1"
    QTest.mouseClick(board, LEFT, Qt.KeyboardModifier.AltModifier, at)
    assert [s.scene_id for s in hall.state.program.then] == ["s1"]
    hall.press("Backspace")
    window.bridge.changed.emit()
    at = board.area_of(TilePlace(SCENES, "Q")).center().toPoint()
    QTest.mouseClick(board, RIGHT, pos=at)
    menu = QApplication.activePopupWidget()
    assert [a.text() for a in menu.actions() if a.text()] == [
        "Ready\tQ",
        "Put under Then\tAlt+Q",
        "Rename\tN",
        "Remove\tDel",
    ]
    menu.actions()[3].trigger()
    menu.close()
    type_in(window.air.name_field, "Both of them")
    assert hall.state.show.scene("s1").name == "Both of them"
    press(window, "0")
    hall.clock.advance(5)  # however long it is until the letter
    press(window, "Shift+W")
    assert hall.state.show.scene_numbered(2) is not None
    press(window, "Del")
    assert hall.state.show.scene_numbered(2) is None
    window.bridge.changed.emit()
    at = board.area_of(TilePlace(SCENES, "Q")).center().toPoint()  # they are large by now
    QTest.mousePress(board, LEFT, pos=at)
    before = hall.state.show.scene("s1")
    board._press_timer.timeout.emit()
    assert hall.state.show.scene("s1") == before
    assert window.ring.isVisible()
    window.ring.fill()
    assert hall.state.show.scene("s1").base == Source(camera_id="c4")
    refresh(window)
    window.grab()


def test_next_says_how_it_will_be_taken_and_when_that_is_not_the_normal_way(window, hall):
    hall.press("1", "Q", "C")
    window.air.next.grab()
    assert hall.state.program.transition.kind is TransitionKind.WIPE
    assert hall.state.program.transition != hall.state.show.settings.normal
    assert Transition(kind=TransitionKind.DIP, seconds=2.0).words == "Dip through black, 2.0 s"


# Scenes


# Titles, bin, sound, outputs


def test_titles_are_typed_gone_through_and_put_on(window, hall, tmp_path):
    window.show_view("Cue")
    window.cue.show_page("Titles")
    page = window.cue.titles
    type_in(page.fields["name"], "Ines Corrin")
    assert hall.state.show.titled("t1").values["name"] == "Ines Corrin"
    refresh(window)
    assert "today" in page.said.text()
    QTest.mouseClick(page.after, LEFT)
    assert hall.state.show.titled("t1").values["name"] == "Bram"
    type_in(page.sought, "ines")
    assert hall.state.show.titled("t1").row == 0
    choose(page.moves, "slide")
    refresh(window)
    area = page.canvas.area()
    there = text_areas(shipped("lower third"), page.title.values)["name"].center()
    QTest.mouseClick(page.canvas, LEFT, pos=QPointF(there.x() * area.width(), there.y() * area.height()).toPoint())
    assert page.on_picture.isVisible()
    assert page.on_picture.text() == "Ines"  # as the row has it
    type_in(page.on_picture, "Ines C.")
    assert hall.state.show.titled("t1").values["name"] == "Ines C."
    refresh(window)
    page.table.item(1, 0).setText("Bram Tolvey")
    rows = hall.state.show.titled("t1").rows
    count = len(rows)
    assert dict(rows[1])["name"] == "Bram Tolvey"
    QApplication.clipboard().setText("what\tname\nThrows\tSuri\na\tb\tc\nPours\tJory\n")
    refresh(window)
    QTest.keyClick(page.table, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    rows = hall.state.show.titled("t1").rows
    assert [dict(row) for row in rows[count:]] == [
        {"name": "Suri", "what": "Throws"},
        {"name": "Jory", "what": "Pours"},
    ]
    assert "Row 2 has 3 words for 2 fields" in window.notices.sentence
    refresh(window)
    page.table.selectRow(count)
    QTest.keyClick(page.table, Qt.Key.Key_Delete)
    assert len(hall.state.show.titled("t1").rows) == count + 1
    page.on.click()
    assert hall.state.program.overlays.on("title1") == "t1"
    page.remove.click()
    assert "on air" in hall.sentences[-1]
    choose_row = next(k for k in range(page.list.count()) if "Start" in page.list.item(k).text())
    page.list.setCurrentRow(choose_row)
    assert page.minutes.isVisible()
    type_in(page.minutes, "2")
    assert hall.state.show.titled("t2").counts_to_s == pytest.approx(
        hall.clock.now_s() + hall.state.wall_clock.offset_s + 120
    )
    page.drawings.setCurrentRow(next(k for k in range(9) if page.drawings.row_at(k).key == "scoreboard"))
    page.add.click()
    refresh(window)
    assert page.title.template == "scoreboard"
    assert list(page.fields) == ["left", "left points", "between", "right points", "right"]
    made, asked, rows, drawn = page.title.id, window.bridge.transfers.asked, tmp_path / "r.csv", tmp_path / "d.svg"
    page.rows_in.click()
    choose_file(rows)
    page.bring.click()
    choose_file(drawn)
    assert asked[-2:] == [("bring_in_rows", made, rows), ("bring_in_title", drawn)]
    window.grab()


def test_the_bin_takes_what_is_dropped_and_turns_slides(window, hall):
    window.show_view("Cue")
    window.cue.show_page("Media")
    page = window.cue.media
    assert page.place.text() == "slide 1 of 3"
    page.after.click()
    page.after.click()
    page.after.click()
    assert "at its last slide" in hall.sentences[-1]
    page.ready.click()
    assert hall.state.program.next == Shot("", None, "b1")
    page.card.click()
    assert hall.state.show.settings.card_id == "b1"
    type_in(page.name, "Rounds")
    assert hall.state.show.medium("b1").name == "Rounds"
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile("/a.png")])
    action = Qt.DropAction.CopyAction
    page.list.dropEvent(QDropEvent(QPointF(5, 5), action, data, LEFT, Qt.KeyboardModifier.NoModifier))
    assert window.bridge.transfers.asked[-1] == ("bring_in_media", [Path("/a.png")])
    page.choose("b2")
    page.remove.click()
    assert hall.state.show.medium("b2") is None
    hall.press("Space")
    refresh(window)
    assert page.place.text() == "slide 3 of 3 · 0:00"
    window.grab()


def test_faders_show_what_is_and_ask_for_what_is_wanted(window, hall):
    window.show_view("Cue")
    window.cue.show_page("Microphones")
    page = window.cue.sound
    window.bridge.media.heard.levels["q1"] = Level(-20, -14, -9)
    window.bridge.media.heard.gains["q1"] = 0.1
    page.lines[0].fader.setValue(-20)
    assert hall.state.strip("q1").gain_db == -10
    refresh(window)
    assert page.lines[0].db.text().endswith("…")  # on its way: what is, is not yet what was asked
    page.lines[1].mute.click()
    page.lines[1].solo.click()
    page.lines[1].chips[2].click()
    refresh(window)
    page.lines[1].chips[3].click()
    mic = hall.state.show.microphones[1]
    assert (mic.follows, mic.camera_ids) == (True, ("c2", "c3"))
    assert hall.state.strip("q2").muted
    assert hall.state.strip("q2").solo
    page.master.setValue(-12)
    assert hall.state.sound.master_db == -6
    page.rig.click()
    rig = window.rig.microphones
    assert window.rig.page == "Microphones"
    assert rig.isVisible()
    rig.add.click()
    refresh(window)
    assert len(rig.lines) == 3
    assert len(page.lines) == 2
    third = rig.lines[2]
    assert third.device.value() == ""
    assert not third.address.isVisible()
    choose(third.device, "rtp://")
    assert third.address.isVisible()
    type_in(third.address, "127.0.0.1:6000")
    type_in(third.delay, "0.12")
    type_in(third.channel, "two")
    assert "Channel" in hall.sentences[-1] or "channel" in hall.sentences[-1]
    mic = hall.state.show.microphones[2]
    assert (mic.address, mic.delay_s, mic.channel) == ("rtp://127.0.0.1:6000", 0.12, 1)
    window.bridge.media.heard.troubles[mic.id] = "nothing comes from 127.0.0.1:6000"
    refresh(window)
    assert third.head.text() == "! 3"
    assert third.head.toolTip().startswith("nothing comes")
    window.grab()
