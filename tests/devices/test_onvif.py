"""ONVIF: a driver over calls on a hand-wound clock."""

import json

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
from ribalta.devices.drivers.onvif import wire
from ribalta.devices.drivers.onvif.driver import OnvifDriver
from ribalta.devices.links.onvif_imaging import share_of, value_of

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
