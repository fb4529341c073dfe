"""The real ONVIF client against a stand-in's services over HTTP."""

import asyncio
import gc
import http.server
import json
import threading
import time
import warnings
from collections.abc import Iterator

import pytest

from ribalta.core.survey.probes import Door
from ribalta.devices import probing
from ribalta.devices.drivers.onvif import wire
from ribalta.devices.links.onvif import REFUSED_LOGIN, OnvifClient, OnvifLink, quiet_library
from ribalta.standins.body import Body
from ribalta.standins.cameras import BUILDS
from ribalta.standins.faults import Faults
from ribalta.standins.head import Head
from ribalta.standins.onvif.services import PASSWORD, USER, OnvifServices

pytestmark = pytest.mark.real_time


def test_the_client_sets_the_picture_of_a_real_service_in_its_own_units(services):
    async def talk() -> None:
        client = OnvifClient("127.0.0.1", services.port, USER, PASSWORD)

        async def now() -> dict[str, str | int]:
            return dict(wire.settings_of((await client.do({"call": "settings"}))["settings"]))

        async def adjust(name: str, value: str | int) -> dict:
            return await client.do({"call": "adjust", "setting": name, "value": wire.to_setting(name, value)})

        try:
            assert (await client.do({"call": "open"}))["imaging"] is True
            found = await now()
            registers = services.body.registers
            assert found["exposure.mode"] == "automatic"
            assert (found["iris"], found["gain"], found["shutter"]) == (11, 3, 8)
            refused = await adjust("iris", 5)
            assert refused == {"error": "its exposure is automatic: make it manual first", "refused": True}
            for name, value, register in (
                ("exposure.mode", "manual", (0x39, 3)),
                ("iris", 5, (0x4B, 5)),
                ("gain", 14, (0x4C, 14)),
                ("shutter", 21, (0x4A, 21)),
                ("white_balance", "manual", (0x35, 5)),
                ("focus.mode", "manual", (0x38, 3)),
                ("focus", 0x2000, (0x48, 0x2000)),
            ):
                assert await adjust(name, value) == {}, name
                assert registers[register[0]].value == register[1], name
                assert (await now())[name] == value
            assert "not indoor" in (await adjust("white_balance", "indoor"))["error"]
            assert "cannot set tally" in (await adjust("tally", "lit"))["error"]
        finally:
            await client.close()

    asyncio.run(talk())


class Services(http.server.ThreadingHTTPServer):
    """A stand-in's ONVIF on a port of loopback, without its pictures. Its end waits for the threads of all calls."""

    daemon_threads = False

    def __init__(self) -> None:
        class Talk(http.server.BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"
            timeout = 5

            def log_message(self, *_: object) -> None: ...

            def do_POST(self) -> None:
                status, data = self.server.services.answer(self.rfile.read(int(self.headers["Content-Length"])))
                self.send_response(status)
                self.send_header("Content-Type", "application/soap+xml")
                self.send_header("Content-Length", str(len(data)))
                self.end_headers()
                self.wfile.write(data)

        super().__init__(("127.0.0.1", 0), Talk)
        self.body = Body(Head(BUILDS[0], time.monotonic()))
        self.port = self.server_address[1]
        self.services = OnvifServices(BUILDS[0], self.body, "127.0.0.1", self.port)
        self.thread = threading.Thread(target=self.serve_forever, args=(0.02,))
        self.thread.start()

    def end(self) -> None:
        self.shutdown()
        self.server_close()
        self.thread.join()


@pytest.fixture
def services() -> Iterator[Services]:
    made = Services()
    yield made
    made.end()


def test_the_client_opens_moves_remembers_recalls_and_stops(services):
    head = services.body.head

    async def talk() -> None:
        client = OnvifClient("127.0.0.1", services.port, USER, PASSWORD)
        try:
            assert await client.do({"call": "status"}) == {"error": "it is not open"}
            opened = await client.do({"call": "open"})
            assert opened["picture"] == "rtsp://127.0.0.1:8554/main"
            lit, dark = wire.lamp_commands(opened["auxiliary"])
            await client.do({"call": "auxiliary", "command": lit})
            assert services.body.tally == 2
            await client.do({"call": "auxiliary", "command": dark})
            assert services.body.tally == 3
            assert await client.do({"call": "status"}) == {"x": 0.0, "y": -0.5, "z": 0.0}
            await client.do({"call": "move", "x": 0.1, "y": 0.0, "z": 0.5, "speed": 0.5})
            assert head.goal().pan_deg == pytest.approx(17.0)
            await client.do({"call": "nudge", "x": 0.1, "y": 0.0, "z": 0.0})
            assert head.goal().pan_deg == pytest.approx(34.0)
            await client.do({"call": "drive", "x": -0.3, "y": 0.0, "z": 0.0})
            assert head.goal().pan_deg == -170.0
            await client.do({"call": "stop"})
            assert head.goal().pan_deg > -100.0
            await client.do({"call": "remember", "preset": 4})
            assert "4" in (await client.do({"call": "presets"}))["presets"]
            await client.do({"call": "home"})
            assert head.goal().tilt_deg == 0.0
            await client.do({"call": "recall", "preset": 4})
            assert (await client.do({"call": "juggle"})) == {"error": "there is no call juggle"}
        finally:
            await client.close()

    asyncio.run(talk())


def test_an_opening_that_takes_too_long_leaves_nothing_open(services, monkeypatch):
    quiet_library()
    import onvif.client as library

    monkeypatch.setattr("ribalta.devices.links.onvif.OPEN_WITHIN_S", 0.05)
    monkeypatch.setattr(library, "_DOCUMENT_CACHE", {})  # reading the descriptions takes longer than that

    async def talk() -> None:
        client = OnvifClient("127.0.0.1", services.port, USER, PASSWORD)
        with pytest.raises(TimeoutError):
            await client.do({"call": "open"})
        await client.close()

    with warnings.catch_warnings(record=True) as heard:
        warnings.simplefilter("always")
        asyncio.run(talk())
        gc.collect()
    assert [str(one.message) for one in heard if one.category is ResourceWarning] == []


def test_a_wrong_password_and_no_service_are_told_apart(services):
    assert probing.onvif("127.0.0.1", services.port) is Door.OPEN
    assert probing.onvif_login("127.0.0.1", services.port, USER, "wrong")[0] == REFUSED_LOGIN
    assert probing.onvif_login("127.0.0.1", services.port, USER, PASSWORD) == (None, "rtsp://127.0.0.1:8554/main")
    services.body.set_faults(Faults(refuse_login=True))
    assert probing.onvif_login("127.0.0.1", services.port, USER, PASSWORD)[0] == REFUSED_LOGIN
    assert probing.onvif_login("127.0.0.1", 9, USER, PASSWORD)[0] == "nothing answers ONVIF there"


def test_a_link_gives_answers_and_trouble_and_ends_at_once(services):
    link = OnvifLink("127.0.0.1", services.port, USER, lambda: "wrong")
    link.send(wire.call(1, "open"))
    answers: list[bytes] = []
    waited = threading.Event()
    for _ in range(2000):
        answers += link.receive()
        if answers:
            break
        waited.wait(0.005)
    assert json.loads(answers[0])["error"] == REFUSED_LOGIN == link.trouble
    link.close()
    link.wait()
    assert not link._worker.is_alive()
