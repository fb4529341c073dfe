"""VISCA over IP: bytes as published, and a conversation that survives a bad network."""

import heapq
import random
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.aim import Aim
from ribalta.core.ports.messages import (
    Adjust,
    Contact,
    DeviceRefused,
    Drive,
    GlideTo,
    GoHome,
    GoTo,
    Position,
    Recall,
    Remember,
    SettingReported,
    TurnBy,
)
from ribalta.core.show.document.model import Head as HeadModel
from ribalta.devices.drivers.visca import wire
from ribalta.devices.drivers.visca.dialects import Bare, Dialect
from ribalta.devices.drivers.visca.driver import ViscaDriver
from ribalta.devices.drivers.visca.messages import SETTINGS
from ribalta.standins.body import Body
from ribalta.standins.cameras import BUILDS
from ribalta.standins.head import Head
from ribalta.standins.visca import Answerer
from tests.depth import examples

GOLDEN = Path(__file__).parents[1] / "golden" / "visca.txt"
ROWS = [line.split("|") for line in GOLDEN.read_text().splitlines() if line and not line.startswith("#")]
VECTORS = {name.strip(): bytes.fromhex(data) for name, data in ROWS}
COMMAND, INQUIRY = wire.PayloadType.COMMAND, wire.PayloadType.INQUIRY


class Network:
    """A driver and a stand-in with a lossy, slow, repeating network between them, in hand-wound time."""

    def __init__(
        self, seed: int, loss: float = 0.0, twice: float = 0.0, dialect: Dialect | None = None, late_s: float = 0.03
    ) -> None:
        self.rng = random.Random(seed)
        self.loss, self.twice, self.late_s = loss, twice, late_s
        self.now_s = 10.0
        self.head = Head(BUILDS[0], self.now_s)
        self.body = Body(self.head)
        self.answerer = Answerer(self.body, bare=dialect is not None)
        self.driver = ViscaDriver("c1", HeadModel(settings=tuple(SETTINGS)), self.now_s, dialect)
        self.flying: list[tuple[float, int, bool, bytes]] = []
        self.reports: list[object] = []
        self.silent = False
        self.count = 0

    def post(self, data: bytes, to_camera: bool) -> None:
        copies = 2 if self.rng.random() < self.twice else 1
        for _ in range(copies):
            if not self.silent and self.rng.random() >= self.loss:
                self.count += 1
                heapq.heappush(
                    self.flying, (self.now_s + self.rng.uniform(0.01, self.late_s), self.count, to_camera, data)
                )

    def run(self, seconds: float) -> None:
        end_s = self.now_s + seconds
        while self.now_s < end_s:
            self.now_s += 0.002
            while self.flying and self.flying[0][0] <= self.now_s:
                _, _, to_camera, data = heapq.heappop(self.flying)
                if to_camera:
                    for reply in self.answerer.hear(data, self.now_s):
                        self.post(reply, False)
                else:
                    self.driver.receive(data, self.now_s)
            for reply in self.answerer.finished(self.now_s):
                self.post(reply, False)
            for _ in range(3):  # what is done may be the reason for more, but for no end of it
                if self.driver.next_deadline_s() <= self.now_s:
                    self.driver.tick(self.now_s)
            assert self.driver.next_deadline_s() > self.now_s, "due, and nothing is done: the rig would spin"
            out, reports = self.driver.drain()
            self.reports.extend(reports)
            for data in out:
                self.post(data, True)

    def contacts(self) -> list[bool]:
        return [r.answers for r in self.reports if isinstance(r, Contact)]

    def last(self) -> Position:
        return next(r for r in reversed(self.reports) if isinstance(r, Position))


@given(st.integers(0, 10_000), st.floats(0, 0.3), st.floats(0, 0.3))
@examples(12)
def test_a_camera_gets_there_however_bad_the_network(seed, loss, twice):
    network = Network(seed, loss, twice)
    network.run(3)
    network.driver.request(GoTo("c1", Aim(33.33, -7.5, 0.61)), network.now_s)
    network.run(6)
    assert network.head.goal().pan_deg == pytest.approx(33.33)
    assert network.head.goal().zoom == pytest.approx(0.61, abs=1e-4)
    assert network.last().aim.pan_deg == pytest.approx(33.33, abs=0.011)
    assert network.last().aim.tilt_deg == pytest.approx(-7.5, abs=0.011)


@given(st.integers(0, 10_000), st.floats(0, 0.25), st.sampled_from(["datagrams", "tcp", "serial"]))
@examples(15)
def test_without_numbers_too_it_gets_there_and_no_answer_is_taken_for_another(seed, loss, way):
    """What is lost, late or overtaken on a bare line costs time, never truth."""
    dialect = Bare(stream=way != "datagrams", chain=way == "serial")
    network = Network(seed, loss, 0.0, dialect, late_s=0.12 if way == "datagrams" else 0.04)
    network.run(4)
    met = len(network.contacts())
    for k in range(3):
        network.driver.request(GoTo("c1", Aim(33.33 - k, -7.5, 0.61 - 0.2 * k)), network.now_s)
        network.run(0.3)
    for _ in range(15):
        network.run(3)
        if len(network.contacts()) > met:  # it was lost and is back: the engine then asks again
            met = len(network.contacts())
            network.driver.request(GoTo("c1", Aim(31.33, -7.5, 0.21)), network.now_s)
    assert network.head.goal().zoom == pytest.approx(0.21, abs=1e-4)
    assert network.last().aim.pan_deg == pytest.approx(31.33, abs=0.011)
    assert network.last().aim.zoom == pytest.approx(0.21, abs=0.001)
    true = {"focus": 0x4000, "iris": 11, "gain": 3, "shutter": 8, "power": "on", "white_balance": "automatic"}
    told = [r for r in network.reports if isinstance(r, SettingReported)]
    assert {(r.setting, r.value) for r in told if r.setting in true} <= set(true.items())


def test_a_setting_is_asked_for_and_its_new_value_is_what_comes_back():
    network = Network(6)
    network.run(5)
    told = {r.setting: r.value for r in network.reports if isinstance(r, SettingReported)}
    assert told["gain"] == 3
    assert set(told) == set(SETTINGS)
    for setting, value in (("exposure.mode", "manual"), ("gain", 7), ("focus", 0x2345), ("tally", "lit")):
        network.driver.request(Adjust("c1", setting, value), network.now_s)
    network.run(4)
    told = {r.setting: r.value for r in network.reports if isinstance(r, SettingReported)}
    assert (told["gain"], told["focus"], told["tally"]) == (7, 0x2345, "lit")
    network.driver.request(Adjust("c1", "salt", 1), network.now_s)
    network.run(0.1)
    assert DeviceRefused("c1", "it cannot set salt over VISCA") in network.reports


def test_a_camera_that_answers_late_is_waited_for():
    network = Network(8, late_s=0.35)
    network.run(4)
    network.driver.request(GoTo("c1", Aim(20, 0, 0)), network.now_s)
    network.run(6)
    assert network.contacts() == [True]
    assert network.last().aim.pan_deg == 20.0


def test_a_camera_that_was_moved_by_another_hand_is_left_there():
    network = Network(9)
    network.run(1)
    network.driver.request(GoTo("c1", Aim(20, 0, 0)), network.now_s)
    network.run(4)
    network.head.go(network.now_s, -10.0, 0.0, 1.0, 1.0)
    network.run(6)
    assert network.last().aim.pan_deg == -10.0


def test_positions_come_often_while_travelling_and_seldom_at_rest():
    network = Network(1)
    network.run(4)
    network.reports.clear()
    network.run(2)
    resting = len([r for r in network.reports if isinstance(r, Position)])
    network.driver.request(GoTo("c1", Aim(120, 0, 0)), network.now_s)
    network.reports.clear()
    network.run(1.5)
    assert resting <= 10
    assert len([r for r in network.reports if isinstance(r, Position)]) >= 18


def test_silence_is_loss_of_contact_and_a_restarted_camera_is_taken_up_again():
    network = Network(2)
    network.run(1)
    network.silent = True
    network.run(2)
    network.silent = False
    network.answerer = Answerer(Body(network.head))
    network.run(2)
    assert network.contacts() == [True, False, True]


def test_a_camera_that_restarts_between_two_polls_is_noticed_by_its_count():
    network = Network(3)
    network.run(1)
    network.answerer = Answerer(Body(network.head))
    network.run(2)
    assert network.contacts() == [True, False, True]


def started() -> ViscaDriver:
    driver = ViscaDriver("c1", HeadModel(), 0.0)
    driver.drain()
    driver.receive(VECTORS["reset sequence, answered"], 0.01)
    driver.drain()
    return driver


def test_a_full_buffer_is_tried_again_and_a_refusal_is_told():
    driver = started()
    driver.request(GoTo("c1", Aim(1, 1, 0.5)), 0.02)
    sent = [d for d in driver.drain()[0] if d[:2] == b"\x01\x00"]
    full = bytes.fromhex("0111 0004") + sent[0][4:8] + bytes.fromhex("90 60 03 FF")
    driver.receive(full, 0.03)
    assert driver.drain()[0] == []
    driver.tick(0.1)
    again = [d for d in driver.drain()[0] if d[:2] == b"\x01\x00"]
    assert [d[8:] for d in again] == [sent[0][8:]]
    driver.receive(bytes.fromhex("0111 0004") + again[0][4:8] + bytes.fromhex("90 61 41 FF"), 0.11)
    assert driver.drain()[1] == [DeviceRefused("c1", "it cannot do this now")]


def test_a_late_reply_is_ignored():
    driver = started()
    driver.tick(0.05)
    old = bytes.fromhex("0111 000B 00000001 90 50 01 02 03 04 0F 0F 0F 0F FF")
    driver.tick(0.05 + 0.25)
    driver.drain()
    driver.receive(old, 0.31)
    driver.receive(bytes.fromhex("0111 0007 00000002 90 50 01 03 05 07 FF"), 0.31)
    assert driver.drain()[1] == []


REQUESTS = st.sampled_from(
    (
        GoTo("c1", Aim(33.0, -7.0, 0.6)),
        GoTo("c1", Aim(-12.0, 4.0, 0.2), 0.3),
        GlideTo("c1", Aim(8.0, 1.0, 0.4), 1.5),
        Drive("c1", 0.3, -0.2, 0.1),
        Drive("c1", 0.0, 0.0, 0.0),
        TurnBy("c1", 3.0, -2.0),
        Recall("c1", 3),
        Remember("c1", 4),
        GoHome("c1"),
        Adjust("c1", "tally", "lit"),
        Adjust("c1", "gain", 7),
    )
)


@given(
    st.integers(0, 10_000),
    st.floats(0, 0.3),
    st.sampled_from((None, (False, False), (True, False), (True, True))),
    st.lists(st.tuples(REQUESTS, st.floats(0, 1.5)), min_size=1, max_size=12),
)
@examples(25)
def test_whatever_is_asked_what_is_due_is_done_and_not_due_again_at_once(seed, loss, bare, asked):
    """The rig waits for the next deadline: one that passes and stays would have it turn round and round."""
    network = Network(seed, loss, dialect=Bare(*bare) if bare is not None else None)
    network.run(2)
    for request, seconds in asked:
        network.driver.request(request, network.now_s)
        network.run(seconds)


@given(st.lists(st.binary(max_size=40), max_size=30), st.integers(0, 3))
def test_hostile_bytes_do_nothing(packets, start):
    driver, now_s = started(), 0.02
    answerer = Answerer(Body(Head(BUILDS[0], 0.0)))
    answerer.hear(VECTORS["reset sequence"], 0.0)
    heads = (b"", VECTORS["ack, socket 1"][:8], VECTORS["position 4660 -1"][:9], VECTORS["zoom 0"][:11])
    for packet in packets:
        driver.receive(heads[start] + packet, now_s)
        answerer.hear(heads[start] + packet, now_s)
        now_s += 0.001
    assert not any(isinstance(r, Position) and abs(r.aim.pan_deg) > 330 for r in driver.drain()[1])


@pytest.mark.parametrize(
    "make",
    [
        lambda: wire.zoom_direct(20000),
        lambda: wire.memory_set(200),
        lambda: wire.pan_tilt_absolute(0, 0, 25, 1),
        lambda: wire.pan_tilt_absolute(70000, 0, 1, 1),
    ],
)
def test_what_does_not_fit_on_the_wire_is_refused(make):
    with pytest.raises(ValueError, match=r"outside|does not fit"):
        make()


def test_the_cameras_own_memory_brings_it_back():
    network = Network(4)
    network.run(1)
    network.driver.request(GoTo("c1", Aim(12.0, 3.0, 0.4)), network.now_s)
    network.run(3)
    network.driver.request(Remember("c1", 3), network.now_s)
    network.run(1)
    network.driver.request(GoTo("c1", Aim(-12.0, 0.0, 0.0)), network.now_s)
    network.run(3)
    network.driver.request(Recall("c1", 3), network.now_s)
    network.run(4)
    assert network.last().aim.pan_deg == pytest.approx(12.0, abs=0.011)
    assert network.last().aim.zoom == pytest.approx(0.4, abs=0.001)
    network.driver.request(Recall("c1", 9), network.now_s)
    network.run(1)
    assert DeviceRefused("c1", "it cannot do this now") in network.reports


@pytest.mark.parametrize(
    ("payload", "answer"),
    [
        ("81 01 06 02 19 14 00 00 00 00 00 00 00 00 FF", "90 60 02 FF"),  # a speed there is not
        ("81 01 04 47 05 00 00 00 FF", "90 60 02 FF"),  # a zoom beyond the lens
        ("81 01 04 47 1F 00 00 00 FF", "90 60 02 FF"),  # more than a nibble
        ("81 01 04 3F 02 05 FF", "90 60 41 FF"),  # an empty memory
        ("81 01 77 77 FF", "90 60 02 FF"),
        ("88 01 04 00 FF", "90 60 02 FF"),
    ],
)
def test_the_stand_in_refuses_as_cameras_do(payload, answer):
    answerer = Answerer(Body(Head(BUILDS[0], 0.0)))
    answerer.hear(VECTORS["reset sequence"], 0.0)
    (reply,) = answerer.hear(wire.datagram(COMMAND, 9, bytes.fromhex(payload)), 0.0)
    assert reply[8:] == bytes.fromhex(answer)


def test_a_newer_movement_cancels_the_older_and_its_end_is_told_once():
    answerer = Answerer(Body(Head(BUILDS[0], 0.0)))
    answerer.hear(VECTORS["reset sequence"], 0.0)
    answerer.hear(VECTORS["pan-tilt 0 0, speeds 24 20"], 0.0)
    replies = answerer.hear(VECTORS["pan-tilt -17000 9000, speeds 12 10"], 0.01)
    assert replies[0] == VECTORS["cancelled, socket 1"]
    ended = [reply for k in range(600) for reply in answerer.finished(0.02 + k * 0.02)]
    assert [reply[8:] for reply in ended] == [bytes.fromhex("90 51 FF")]
    stopped = Answerer(Body(Head(BUILDS[0], 0.0)))
    stopped.hear(VECTORS["reset sequence"], 0.0)
    stopped.hear(VECTORS["pan-tilt -17000 9000, speeds 12 10"], 0.0)
    assert stopped.hear(VECTORS["pan-tilt stop"], 0.5)[-1][8:] == bytes.fromhex("90 41 FF")


@pytest.mark.parametrize("dialect", [None, Bare(False)], ids=["numbered", "bare"])
def test_a_driven_camera_stops_by_itself_and_a_turn_is_from_where_it_is(dialect):
    network = Network(7, dialect=dialect)
    network.run(2)
    for _ in range(5):
        network.driver.request(Drive("c1", 0.5, -0.5, 0.3), network.now_s)
        network.run(0.1)
    moving = network.head.now(network.now_s)
    assert moving.pan_deg > 5
    assert moving.tilt_deg < -3
    assert moving.zoom > 0.01
    network.run(3)
    stood = network.head.now(network.now_s)
    network.run(1)
    assert network.head.now(network.now_s) == stood
    assert stood.pan_deg < 60
    network.driver.request(TurnBy("c1", -2.5, 1.0), network.now_s)
    network.run(2)
    now = network.head.now(network.now_s)
    assert (now.pan_deg, now.tilt_deg) == (
        pytest.approx(stood.pan_deg - 2.5, abs=0.02),
        pytest.approx(stood.tilt_deg + 1.0, abs=0.02),
    )


def test_a_live_move_zooms_slowly_and_gently_too():
    network = Network(5)
    network.run(2)
    network.driver.request(GoTo("c1", Aim(3.0, 0.0, 0.3), pace=0.15), network.now_s)
    zooms = [(network.run(0.1), network.head.now(network.now_s).zoom)[1] for _ in range(60)]
    steps = [b - a for a, b in pairwise(zooms)]
    assert max(steps) < 0.02  # a full zoom of this head takes 2.2 s; in a tenth it would go 0.045
    assert max(steps) > 2 * steps[2]
    assert all(step >= -1e-3 for step in steps)
    assert zooms[-1] == pytest.approx(0.3, abs=0.001)
    network.driver.request(GoTo("c1", Aim(3.0, 0.0, 0.9), pace=0.15), network.now_s)
    network.run(0.5)
    network.driver.request(GoTo("c1", Aim(3.0, 0.0, 0.0)), network.now_s)
    network.run(4)
    assert network.last().aim.zoom == 0.0  # a new wish ends the slow one
