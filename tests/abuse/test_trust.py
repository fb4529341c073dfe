"""A show from elsewhere is asked about before it reaches beyond this machine; the window is not lost by a slip."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ribalta.core.ports.messages import Notice, OutputEnded
from ribalta.core.show.automation.triggers_pads_shortcuts import Destination, Listening
from ribalta.core.show.document.deeds import deeds
from ribalta.core.show.document.outputs import OutputSettings, TallyReceiver
from ribalta.core.show.document.scenes import Medium
from ribalta.core.show.files.storage import StoredShow
from ribalta.desk.window import Window
from ribalta.server.session import Session
from ribalta.server.trust import KnownShows
from tests.abuse.test_threads import until
from tests.core.hand_wound import small_show
from tests.desk.hand_wound import HandWoundSession
from tests.remote.test_messages import free_port


def reaching():
    outputs = OutputSettings(
        stream_to="rtmp://192.0.2.9/live", tally=(TallyReceiver(host="192.0.2.7"),), folder="/srv/x"
    )
    return small_show().model_copy(
        update={
            "outputs": outputs,
            "listening": Listening(osc=True, osc_port=free_port(), beyond=True),
            "destinations": (Destination(id="d1", name="Lights", host="192.0.2.8"),),
            "media": (Medium(id="b1", name="Clip", kind="clip", path="/home/other/secret.mp4"),),
        }
    )


def test_what_a_show_would_do_is_listed():
    said = "; ".join(deeds(reaching()))
    for part in (
        "let other machines send it OSC",
        "192.0.2.8:9000",
        "stream to rtmp://192.0.2.9/live",
        "192.0.2.7:8900",
    ):
        assert part in said
    assert "record into /srv/x" in said
    assert "play 1 file of this machine (/home/other/secret.mp4)" in said
    assert deeds(small_show()) == ()


def test_until_it_is_answered_it_does_none_of_that_and_then_it_is_known(tmp_path):
    known, show, said = KnownShows(tmp_path / "known.json"), reaching(), []
    session = Session(StoredShow(show), None, known=known)
    session.listen(said.append)
    session.start()
    try:
        assert len(session.file.foreign_deeds) == 6
        station = session.outside.messages.station
        until(lambda: "OSC" in station._opened)
        assert station._opened["OSC"][0][0] == "127.0.0.1"
        assert session.outputs.tally._receivers == ()
        session.act("stream", {"on": True})
        session.act("message.send", {"destination": "d1", "address": "/go"})
        until(lambda: [e for e in said if isinstance(e, Notice) and "comes from elsewhere" in e.sentence])
        assert not session.state.output("stream").on
        assert not [line for line in session.outside.messages.lines if line.way == "out"]
        session.file.answer_deeds(True)
        until(lambda: session.file.foreign_deeds == () and station._opened.get("OSC", (("",),))[0][0] == "0.0.0.0")
        until(lambda: session.outputs.tally._receivers != ())
    finally:
        session.stop()
    assert KnownShows(tmp_path / "known.json").knows(show)
    more = show.model_copy(
        update={"destinations": (*show.destinations, Destination(id="d2", name="x", host="192.0.2.99"))}
    )
    assert not known.knows(more)
    assert (tmp_path / "known.json").stat().st_mode & 0o777 == 0o600
    assert not [e for e in said if isinstance(e, OutputEnded)]


@pytest.mark.parametrize("content", ["", "{", "7", "[1]"])
def test_a_damaged_list_of_known_shows_makes_that_it_is_asked(tmp_path, content):
    path = tmp_path / "known.json"
    path.write_text(content)
    assert not KnownShows(path).knows(reaching())
    KnownShows(path).learn(reaching())
    assert KnownShows(path).knows(reaching())


@pytest.fixture
def window(app):
    session = HandWoundSession(reaching())
    session.file.foreign_deeds = deeds(reaching())
    made = Window(session)
    made.show()
    yield made
    made.close()
    made.deleteLater()


def test_it_is_asked_on_a_line_of_the_window(window):
    assert window.deeds.isVisible()
    assert "stream to rtmp://192.0.2.9/live" in window.deeds.said.text()
    window.deeds.answer(True)
    assert not window.deeds.isVisible()
    assert window.bridge.file.foreign_deeds == ()


def test_closing_while_the_show_is_on_is_answered_on_the_window_by_a_held_press(window):
    window.bridge.preferences = window.bridge.preferences.model_copy(update={"hold_s": 0.15})
    assert window.may_close()
    hall = window.bridge._show.hall
    hall.act("ready.camera", camera=2)
    hall.act("take")
    hall.act("record", on=True)
    assert not window.may_close()
    assert window.closing.isVisible()
    assert "on air and recorded" in window.closing.said.text()
    ended = []
    window.closing.ended.connect(lambda: ended.append(True))
    end = window.closing.end
    QTest.mousePress(end, Qt.MouseButton.LeftButton)
    QTest.mouseRelease(end, Qt.MouseButton.LeftButton)
    QTest.qWait(200)
    assert (ended, window.isVisible()) == ([], True)  # let go early
    QTest.mouseClick(window.closing.stay, Qt.MouseButton.LeftButton)
    assert not window.closing.isVisible()
    window.may_close()
    QTest.keyPress(end, Qt.Key.Key_Space)
    until_gone(window)
    assert ended == [True]
    assert not window.isVisible()


def until_gone(window) -> None:
    for _ in range(100):
        QTest.qWait(20)
        if not window.isVisible():
            return
