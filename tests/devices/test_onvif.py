"""ONVIF: a driver over calls on a hand-wound clock, and the real client against a stand-in's services over HTTP."""

import asyncio
import gc
import http.server
import json
import threading
import time
import warnings
from collections.abc import Iterator

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.aim import Aim
from ribalta.core.ports.messages import (
    Adjust,
    Contact,
    DeviceRefused,
    Drive,
    GoHome,
    GoTo,
    LineMeasured,
    NoPosition,
    Position,
    Recall,
    Remember,
    SettingReported,
    TurnBy,
)
from ribalta.core.show.document.model import Head as HeadModel
from ribalta.core.show.document.model import Protocol
from ribalta.core.survey.probes import Door
from ribalta.devices import discovery, probing
from ribalta.devices.drivers.onvif import wire
from ribalta.devices.drivers.onvif.driver import OnvifDriver
from ribalta.devices.links.onvif import REFUSED_LOGIN, OnvifClient, OnvifLink, quiet_library
from ribalta.devices.links.onvif_imaging import share_of, value_of
from ribalta.standins.body import Body
from ribalta.standins.cameras import BUILDS
from ribalta.standins.faults import Faults
from ribalta.standins.head import Head
from ribalta.standins.onvif.discovery import Finding
from ribalta.standins.onvif.services import PASSWORD, USER, OnvifServices

pytestmark = pytest.mark.real_time

HEAD = HeadModel()


class Line:
    """A driver whose calls are answered by hand."""

    def __init__(self) -> None:
        self.driver, self.now_s = OnvifDriver("c1", HEAD, 0.0), 0.0
        self.reports: list[object] = []

    def calls(self) -> list[dict]:
        out, reports = self.driver.drain()
        self.reports += reports
        return [json.loads(data) for data in out]

    def answer(self, call: dict, **fields: object) -> None:
        self.driver.receive(json.dumps({"id": call["id"], **fields}).encode(), self.now_s)

    def turn(self, seconds: float) -> None:
        self.now_s += seconds
        self.driver.tick(self.now_s)

    def opened(self) -> "Line":
        (call,) = self.calls()
        assert call["call"] == "open"
        self.answer(call, picture="rtsp://x")
        (status,) = self.calls()
        self.answer(status, x=0.5, y=-0.5, z=0.25)
        self.calls()
        return self


def test_contact_begins_with_an_answer_to_open_and_positions_are_in_degrees():
    line = Line().opened()
    assert line.reports[0] == Contact("c1", True)
    assert line.reports[-1] == Position("c1", Aim(85.0, 0.0, 0.25), 0.0)
    line.turn(0.31)
    (status,) = line.calls()
    line.now_s += 0.04
    line.answer(status, x=0.5, y=-0.5, z=0.25)
    line.calls()
    assert line.reports[-1].sampled_s == pytest.approx(0.33)
    line.turn(1.2)
    (status,) = line.calls()
    line.answer(status, x=0.5, y=-0.5, z=0.25)
    line.calls()
    (heard,) = [r for r in line.reports if isinstance(r, LineMeasured)]
    assert (heard.asked, heard.unanswered, heard.round_trip_s) == (3, 0, pytest.approx(0.04 / 3))


@given(st.floats(-170, 170), st.floats(-30, 90), st.floats(0, 1))
def test_the_generic_spaces_and_back(pan, tilt, zoom):
    aim = Aim(pan, tilt, zoom)
    fields = wire.to_spaces(aim, HEAD)
    assert all(-1 <= v <= 1 for v in fields.values())
    back = wire.from_spaces(fields, HEAD)
    assert (back.pan_deg, back.tilt_deg, back.zoom) == (pytest.approx(pan), pytest.approx(tilt), pytest.approx(zoom))


def test_of_many_wishes_one_is_on_its_way_and_the_last_one_follows():
    line = Line().opened()
    for k in range(5):
        line.driver.request(GoTo("c1", Aim(17.0 * k, 0, 0), 0.5), line.now_s)
    (move,) = [c for c in line.calls() if c["call"] == "move"]
    assert (move["x"], move["speed"]) == (0.0, 0.5)
    line.answer(move)
    (move,) = [c for c in line.calls() if c["call"] == "move"]
    assert move["x"] == pytest.approx(0.4)


def test_a_move_that_got_no_answer_is_asked_again_and_a_refused_one_is_told():
    line = Line().opened()
    line.driver.request(GoTo("c1", Aim(10, 0, 0)), line.now_s)
    (first,) = [c for c in line.calls() if c["call"] == "move"]
    line.answer(first, error="it does not answer in time", refused=False)
    (again,) = [c for c in line.calls() if c["call"] == "move"]
    assert {**again, "id": 0} == {**first, "id": 0}
    line.answer(again, error="“There is no such position”", refused=True)
    line.calls()
    assert line.reports[-1] == DeviceRefused("c1", "“There is no such position”")
    line.driver.request(Adjust("c1", "gain", 3), line.now_s)
    line.calls()
    assert line.reports[-1] == DeviceRefused("c1", "it cannot set gain over ONVIF")


def test_a_lamp_is_lit_by_the_cameras_own_command_and_after_moves():
    assert wire.lamp_commands(["tt:Wiper|On", "X-Tally|on", "X-Tally|OFF"]) == ("X-Tally|on", "X-Tally|OFF")
    assert wire.lamp_commands(["Tally|On", 3, "Wiper|Off"]) is None
    assert wire.lamp_commands("Tally|On") is None
    line = Line()
    (call,) = line.calls()
    line.answer(call, picture="rtsp://x", auxiliary=["Tally|On", "Tally|Off"])
    line.calls()
    line.driver.request(GoTo("c1", Aim(17.0, 0, 0)), line.now_s)
    line.driver.request(Adjust("c1", "tally", "lit"), line.now_s)
    (move,) = [c for c in line.calls() if c["call"] != "status"]
    assert move["call"] == "move"
    line.answer(move)
    (lamp,) = [c for c in line.calls() if c["call"] != "status"]
    assert (lamp["call"], lamp["command"]) == ("auxiliary", "Tally|On")
    without = Line().opened()
    without.driver.request(Adjust("c1", "tally", "lit"), without.now_s)
    assert [c for c in without.calls() if c["call"] != "status"] == []


def test_settings_are_shares_of_the_cameras_own_ranges_and_the_last_wish_of_each_is_sent():
    line = Line()
    (call,) = line.calls()
    line.answer(call, picture="rtsp://x", imaging=True)
    settings, status = sorted(line.calls(), key=lambda c: c["call"])
    assert (settings["call"], status["call"]) == ("settings", "status")
    said = {"exposure.mode": "manual", "iris": 1.0, "gain": 0.2, "focus": 0.5, "white_balance": "sunny", "wiper": 1}
    line.answer(settings, settings=said | {"shutter": 1.5, "focus.mode": True})
    line.calls()
    reported = [r for r in line.reports if isinstance(r, SettingReported)]
    assert [(r.setting, r.value) for r in reported] == [
        ("exposure.mode", "manual"),
        ("iris", 17),
        ("gain", 3),
        ("focus", 0x8000),
    ]
    for value in (1, 2, 15):
        line.driver.request(Adjust("c1", "gain", value), line.now_s)
    line.driver.request(Adjust("c1", "white_balance", "manual"), line.now_s)
    (first,) = [c for c in line.calls() if c["call"] == "adjust"]
    assert (first["setting"], first["value"]) == ("gain", pytest.approx(1 / 15))
    line.answer(first)
    second = next(c for c in line.calls() if c["call"] == "adjust")
    assert (second["setting"], second["value"]) == ("gain", 1.0)  # of three wishes the last one
    line.answer(second, error="its exposure is automatic: make it manual first", refused=True)
    third = next(c for c in line.calls() if c["call"] == "adjust")
    assert third["value"] == "manual"
    line.calls()
    assert DeviceRefused("c1", "its exposure is automatic: make it manual first") in line.reports
    line.driver.request(Adjust("c1", "power", "on"), line.now_s)
    line.calls()
    assert line.reports[-1] == DeviceRefused("c1", "it cannot set power over ONVIF")


@given(st.sampled_from(["iris", "gain", "shutter", "focus"]), st.floats(0, 1), st.floats(-40, 39), st.floats(0.5, 80))
def test_a_share_of_a_range_and_back(name, share, low, wide):
    value = value_of(name, share, low, low + wide)
    assert low - 1e-6 <= value <= low + wide + 1e-6
    assert share_of(name, value, low, low + wide) == pytest.approx(share, abs=1e-6)
    if name == "iris":  # fully open is nearest to 0 dB
        assert value_of("iris", 1.0, -22.0, 0.0) == 0.0
        assert value_of("iris", 1.0, 0.0, 22.0) == 0.0


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


def test_memories_are_presets_and_home_is_home():
    line = Line().opened()
    for request, call, preset in ((Remember("c1", 0), "remember", 1), (Recall("c1", 7), "recall", 8)):
        line.driver.request(request, line.now_s)
        (made,) = [c for c in line.calls() if c["call"] != "status"]
        assert (made["call"], made["preset"]) == (call, preset)
        line.answer(made)
        line.calls()
    line.driver.request(GoHome("c1"), line.now_s)
    assert [c["call"] for c in line.calls() if c["call"] != "status"] == ["home"]


def test_a_driven_camera_is_stopped_when_nothing_more_is_asked():
    line = Line().opened()
    line.driver.request(Drive("c1", 0.5, 0.0, -0.2), line.now_s)
    (drive,) = [c for c in line.calls() if c["call"] != "status"]
    assert (drive["call"], drive["x"], drive["z"]) == ("drive", 0.5, -0.2)
    line.answer(drive)
    line.turn(0.41)
    (stop,) = [c for c in line.calls() if c["call"] != "status"]
    assert stop["call"] == "stop"
    line.answer(stop)
    line.driver.request(TurnBy("c1", 17.0, -6.0), line.now_s)
    (nudge,) = [c for c in line.calls() if c["call"] != "status"]
    assert (nudge["x"], nudge["y"], nudge["z"]) == (pytest.approx(0.1), pytest.approx(-0.1), 0.0)


def test_silence_is_loss_of_contact_and_it_is_opened_again_and_again():
    line = Line().opened()
    for _ in range(70):
        line.turn(0.1)
    opened = [c for c in line.calls() if c["call"] == "open"]
    assert len(opened) >= 2
    assert Contact("c1", False) in line.reports
    line.answer(opened[-1], picture="")
    line.calls()
    assert line.reports[-1] == Contact("c1", True)


def test_a_status_without_a_position_is_told_once():
    line = Line().opened()
    for _ in range(3):
        line.turn(0.4)
        (status,) = line.calls()
        line.answer(status, x=0.1)
    line.calls()
    assert line.reports.count(NoPosition("c1")) == 1


# The real client


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


def test_cameras_that_are_asked_over_loopback_answer_with_their_names():
    body = Body(Head(BUILDS[1], 0.0))
    finding = Finding([OnvifServices(BUILDS[1], body, "127.0.0.77", 8080)])
    finding.start()
    try:
        found = []
        for one in discovery.cameras(lambda: bool(found), ("127.0.0.1",)):
            if isinstance(one, discovery.Found) and one.host == "127.0.0.77":  # others may be there in another run
                found.append(one)
    finally:
        finding.end()
    assert [one.port for one in found] == [8080]
    assert "127.0.0.1" in discovery.interfaces()


# Looking where somebody asked to


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("192.0.2.7", ("192.0.2.7",)),
        (" kiln-cam.local ", ("kiln-cam.local",)),
        ("192.0.2.7-9", ("192.0.2.7", "192.0.2.8", "192.0.2.9")),
        ("192.0.2.8/30", ("192.0.2.9", "192.0.2.10")),
    ],
)
def test_an_address_or_a_small_range_is_understood(text, found):
    assert probing.addresses(text) == found


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "An address is missing"),
        ("not an address", "is not an address"),
        ("999.1.1.1", "is not an address"),
        ("192.0.2.9-7", "it ends at 7, before it begins"),
        ("192.0.2.9-300", "300 is more than 255"),
        ("192.0.2.0-200", "is 201 addresses: at most 64 are looked at"),
        ("10.0.0.0/8", "is 16777216 addresses: at most 64"),
        ("192.0.2.0/99", "is not an address or a range"),
    ],
)
def test_what_is_no_address_or_too_many_is_refused(text, said):
    with pytest.raises(probing.RemoteFault, match=said):
        probing.addresses(text)


def test_closed_doors_are_told_from_open_ones():
    assert probing.tcp_door("127.0.0.1", 9) is Door.REFUSED
    for ask in probing.ASK.values():
        assert ask("127.0.0.1", 9) is Door.REFUSED
    assert probing.visca_serial("/dev/no-such-line", 9600) is Door.UNREACHABLE
    assert set(probing.ASK) == set(Protocol) - {Protocol.VISCA_SERIAL}
    with pytest.raises(probing.RemoteFault, match="There is no machine called"):
        probing.resolve("no-such-machine.invalid")
