"""What devices that others made have been seen to do."""

import asyncio
import json
import socket
import threading

import av
import av.error
import pytest

from ribalta.core.base.aim import Aim
from ribalta.core.ports.messages import Contact, GoTo, NoPosition, PicturePresence, PictureStalled
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.triggers_pads_shortcuts import Destination, Trigger, When, WhenKind
from ribalta.core.show.document.model import Head, PictureKind, PictureSource
from ribalta.core.show.files.storage import StoredShow
from ribalta.devices.drivers.onvif.driver import OnvifDriver
from ribalta.devices.links.onvif import LATE, NOBODY, OnvifClient, phrase_of
from ribalta.media.sources import network_stream
from ribalta.media.sources.network_stream import StreamPicture
from ribalta.server.session import Session
from ribalta.standins.faults import Faults
from ribalta.standins.onvif.services import PASSWORD, USER
from tests.abuse.test_threads import until
from tests.core.hand_wound import Hall, small_show
from tests.devices.test_onvif_client import Services, services  # noqa: F401


def calls(port: int, *asked: dict, user: str = USER, password: str = PASSWORD) -> list[dict]:
    async def run() -> list[dict]:
        client = OnvifClient("127.0.0.1", port, user, password)
        try:
            return [await client.do(one) for one in asked]
        finally:
            await client.close()

    return asyncio.run(run())


def test_a_camera_without_login_and_one_that_wants_it_even_for_its_clock_connect(services: Services):  # noqa: F811
    """The first failed with a bare TypeError."""
    services.body.set_faults(Faults(no_login=True))
    opened, status = calls(services.port, {"call": "open"}, {"call": "status"}, user="", password="")
    assert opened["picture"].startswith("rtsp://")
    assert "x" in status
    services.body.set_faults(Faults(clock_needs_login=True))
    assert calls(services.port, {"call": "open"})[0]["picture"].startswith("rtsp://")


def test_the_stand_in_refuses_unknown_profiles_and_ends_a_movement_in_its_time(services: Services):  # noqa: F811
    async def run() -> None:
        client = OnvifClient("127.0.0.1", services.port, USER, PASSWORD)
        try:
            await client.do({"call": "open"})
            velocity = {"PanTilt": {"x": 0.5, "y": 0.0}, "Zoom": {"x": 0.0}}
            await client._ptz.ContinuousMove({"ProfileToken": "main", "Velocity": velocity, "Timeout": "PT0.2S"})
            await asyncio.sleep(0.6)
            first = await client.do({"call": "status"})
            await asyncio.sleep(0.3)
            assert (await client.do({"call": "status"}))["x"] == pytest.approx(first["x"], abs=0.005)
            with pytest.raises(Exception, match="no such profile"):
                await client._ptz.GetStatus({"ProfileToken": "nobody"})
        finally:
            await client.close()

    asyncio.run(run())


@pytest.mark.parametrize("kind", ["fault", "malformed"])
def test_a_camera_whose_status_is_none_is_driven_without_it(services: Services, kind):  # noqa: F811
    """It was lost and back every three seconds, for ever."""
    services.body.set_faults(Faults(bad_status=kind))
    driver = OnvifDriver("c1", Head(), 0.0)
    now_s, reports, asked = 0.0, [], []

    def turn() -> None:
        driver.tick(now_s)
        out, said = driver.drain()
        asked.extend(json.loads(data) for data in out)
        reports.extend(said)

    turn()
    for _ in range(600):
        now_s += 0.05
        waiting, asked[:] = list(asked), []
        for call in waiting:
            answer = {"id": call["id"]}
            if call["call"] == "status":
                answer |= {"error": "no status", "refused": kind == "fault", "answered": True}
            driver.receive(json.dumps(answer).encode(), now_s)
        turn()
    assert [r for r in reports if isinstance(r, Contact)] == [Contact("c1", True)]
    assert [r for r in reports if isinstance(r, NoPosition)] == [NoPosition("c1")]
    driver.request(GoTo("c1", Aim(10.0, 0.0, 0.0)), now_s)
    turn()
    assert any(call["call"] == "move" for call in asked)


def test_the_link_says_that_a_camera_answered_when_its_status_is_none(services: Services):  # noqa: F811
    services.body.set_faults(Faults(bad_status="malformed"))
    with pytest.raises(Exception) as failed:  # noqa: PT011 - whatever the library makes of it
        calls(services.port, {"call": "open"}, {"call": "status"})
    assert phrase_of(failed.value)[0] not in (LATE, NOBODY)


class Listener:
    """Takes calls and says nothing, or what it is told to."""

    def __init__(self) -> None:
        self._socket = socket.create_server(("127.0.0.1", 0))
        self.port = self._socket.getsockname()[1]
        self._lines: list[socket.socket] = []
        self._thread = threading.Thread(target=self._run)
        self._thread.start()

    def _run(self) -> None:
        while True:
            line, _ = self._socket.accept()
            self._lines.append(line)
            if line.getpeername()[0] == "127.0.0.1" and getattr(self, "over", False):
                return

    def close(self) -> None:
        self.over = True
        socket.create_connection(("127.0.0.1", self.port)).close()
        self._thread.join()
        for line in (*self._lines, self._socket):
            line.close()


def test_one_that_takes_the_call_and_says_nothing_has_a_sentence_of_its_own(monkeypatch):
    monkeypatch.setattr(network_stream, "OPEN_WITHIN_S", 0.5)
    listener = Listener()
    picture = StreamPicture(PictureSource(kind=PictureKind.STREAM, name=f"rtsp://127.0.0.1:{listener.port}/1"))
    try:
        until(lambda: "takes the call for its picture" in (picture.trouble or ""))
        until(lambda: picture._over_udp)  # the other way is tried in its turn
    finally:
        picture.close()
        picture.join()
        listener.close()


def test_bad_packets_are_passed_over(monkeypatch):
    class Packet:
        def __init__(self, good: bool) -> None:
            self._good = good

        def decode(self):
            if not self._good:
                raise av.error.InvalidDataError(1, "bad")
            return [av.VideoFrame(64, 36, "yuv420p")]

    class Container:
        def __init__(self, goods) -> None:
            self._goods = goods

        def demux(self, video):
            return (Packet(good) for good in self._goods)

    picture = StreamPicture(PictureSource(kind=PictureKind.STREAM, name=""))
    frames = picture._decoded(Container([True, False, False, True] * 100))
    assert len(list(frames)) == 200
    with pytest.raises(av.error.InvalidDataError):
        list(picture._decoded(Container([False] * 1000)))
    assert "nobuffer" not in str(network_stream._options(PictureSource(kind=PictureKind.STREAM, name="rtsp://h/1")))


def test_the_login_of_a_head_serves_the_picture_of_the_same_device_and_reopens_only_that():
    show = small_show()
    first, second = show.cameras[0], show.cameras[1]
    for camera, host in ((first, "127.0.0.7"), (second, "127.0.0.8")):
        control = camera.control.model_copy(update={"host": host, "port": 80, "user": "crew", "protocol": "onvif"})
        picture = PictureSource(kind=PictureKind.STREAM, name=f"rtsp://{host}/1", user="crew")
        show = show.with_camera(camera.model_copy(update={"control": control, "picture": picture}))
    session = Session(StoredShow(show), None)  # nothing is started
    try:
        session.setup.passwords.secrets.put("127.0.0.7:80", "crew", "kiln")
        pictures = {c.id: c.picture for c in show.cameras}
        assert session.setup.passwords.of_picture(pictures["c1"], show.cameras) == "kiln"
        assert session.setup.passwords.of_picture(pictures["c2"], show.cameras) == ""
        before = dict(session._links.sources)
        session._links.reopen()
        assert session._links.sources["c1"] is not before["c1"]
        assert session._links.sources["c2"] is before["c2"]
        assert session._links._rejoined == {"c1": 1}
    finally:
        session.stop()


def test_a_message_of_a_left_trigger_names_the_camera_that_left():
    show = small_show(landing_rule="straight")
    call = Call(action="message.send", arguments={"destination": "d1", "address": "/left", "arguments": ["{camera}"]})
    trigger = Trigger(id="g1", name="Left", when=When(kind=WhenKind.LEFT), calls=(call,))
    show = show.model_copy(update={"triggers": (trigger,), "destinations": (Destination(id="d1", name="Lights"),)})
    hall = Hall(show)
    for number in (2, 1):
        hall.act("ready.camera", camera=number)
        hall.act("take")
    sent = [dict(e.fields)["arguments"] for e in hall.events if type(e).__name__ == "Send"]
    assert sent == [("4",), ("2",)]
    assert hall.state.run.subject is None


def test_a_take_that_waits_for_a_late_picture_says_so():
    hall = Hall()
    hall.press("1", "Q")
    hall.turn(4)
    hall.engine.report(PictureStalled("c1", hall.clock.now_s() - 30), hall.clock.now_s())
    hall.press("1", "W")
    hall.turn(0.2)
    hall.press("Space")
    assert hall.state.program.held is not None
    assert "picture of camera 1 is late" in " ".join(hall.sentences[-2:])


def test_a_fixed_camera_that_is_taken_without_a_picture_is_not_told_as_missed():
    hall = Hall(small_show(landing_rule="straight"))
    hall.act("ready.camera", camera=1)
    hall.act("take")
    hall.engine.report(PicturePresence("c4", False), hall.clock.now_s())
    hall.act("cover")
    assert hall.state.program.on_air.camera_id == "c4"
    assert hall.records[-1].landed
