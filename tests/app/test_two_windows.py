"""Two real windows on one server: one steers and stores, the other takes; then the server dies."""

import os
import signal
import time
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from ribalta.app.attached import AttachedDesk
from ribalta.app.server_process import ServerProcess
from ribalta.attach.runtime_folder import meeting_of, running
from ribalta.core.engine.program.landing import landing_state
from ribalta.core.ports.messages import Notice
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.files.storage import StoredShow, load, save
from ribalta.demo.portraits import press
from ribalta.demo.shipped import SHIPPED, connected
from ribalta.desk.window import Window
from tests.desk.conftest import turn_until

pytestmark = pytest.mark.alone


def server_of(keeper: int) -> int:
    return int(Path(f"/proc/{keeper}/task/{keeper}/children").read_text().split()[0])


@pytest.fixture
def serve(app, standins, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    path = tmp_path / "final.ribalta"
    stored = load(SHIPPED)
    save(path, StoredShow(connected(stored.show, standins.announcement), stored.pictures))
    server = ServerProcess(path)
    server.begin()
    first = AttachedDesk(server)
    first.attach()
    second = AttachedDesk(None, meeting_of(path), "Frame")
    second.attach()
    windows = [
        Window(first.remote, end_show=first.end_show),
        Window(second.remote, end_show=second.end_show, view="Frame"),
    ]
    for window in windows:
        window.show()
    yield server, first, second, windows
    for window in windows:
        window.close()
        window.deleteLater()
    second.close()
    first.end_show()
    first.close()
    QApplication.processEvents()
    assert running() == ()  # it ended everything that it started


def test_one_steers_and_stores_the_other_takes_and_the_show_outlives_its_server(serve):
    server, first, second, (air, frame) = serve
    assert (first.remote.number, second.remote.number) == ("1", "2")
    said: list[str] = []
    first.remote.listen(lambda e: said.append(e.sentence) if isinstance(e, Notice) else None)

    def is_set(letter: str) -> bool:
        state = first.remote.state
        framing = state.show.framing_at("c2", "QWERTASDFG".index(letter))
        shot = Shot("c2", framing.id if framing else None)
        return framing is not None and landing_state(state, shot, time.monotonic()) is LandingState.SET

    def live(camera_id: str):
        return second.remote.state.live(camera_id)

    turn_until(lambda: all(live(c.id).picture for c in second.remote.state.show.cameras) and live("c2").aim is not None)
    for name in ("2", "W"):
        press(frame, name, frame.frame)
    turn_until(lambda: is_set("W"))
    for _ in range(3):
        press(frame, "Right", frame.frame)
    turn_until(lambda: live("c2").trim.pan_deg > 0 and is_set("W"))
    press(frame, "Shift+E", frame.frame)
    turn_until(lambda: first.remote.state.show.framing_at("c2", 2) is not None)
    mine = first.remote.state.show.framing_at("c2", 2).id
    press(air, "1")
    press(air, "2")
    QTest.keyClick(air.air, Qt.Key.Key_E)
    turn_until(lambda: is_set("E"))
    press(air, "Space")
    turn_until(lambda: first.remote.state.program.takes == second.remote.state.program.takes == 1)
    turn_until(lambda: "program" in first.remote.media.pictures.shown)
    for each in (first.remote, second.remote):
        assert each.state.program.on_air == Shot("c2", mine)
        assert each.state.program.records[-1].landed
    turn_until(lambda: first.remote.state.show == second.remote.state.show)
    one, other = first.remote.log.history, second.remote.log.history
    turn_until(lambda: all("take" in [ran.action for ran in log.lines] for log in (one, other)))
    turn_until(lambda: len(one.lines) == len(other.lines))
    by_desk = {ran.action: ran.cause.desk for ran in one.lines}
    assert (by_desk["framing.store"], by_desk["take"]) == ("2", "1")

    # the server is killed: it is said, it comes back, and everything is as it was
    on_air, shown = first.remote.state.program.on_air, first.remote.media.pictures
    os.kill(server_of(server.pid), signal.SIGKILL)
    turn_until(lambda: any("is being started again" in sentence for sentence in said), 2)
    turn_until(lambda: first.remote.media.pictures is not shown and "program" in first.remote.media.pictures.shown)
    turn_until(lambda: second.remote.is_attached and any("A report is in" in sentence for sentence in said))
    assert first.remote.state.program.on_air == on_air, said
    assert first.remote.state.show.framing_at("c2", 2).id == mine
    assert air.bridge.file.unsaved
    press(air, "5")
    press(air, "Space")
    turn_until(lambda: second.remote.state.program.on_air == Shot("c5"))

    # a window that is closed asks what becomes of the show
    assert not frame.may_close()
    assert frame.closing.isVisible()
    assert frame.closing.leave.isVisible()
    frame.closing.leave.click()
    turn_until(lambda: not frame.isVisible())
