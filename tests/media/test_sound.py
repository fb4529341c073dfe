"""Sound over a real socket: what is said is heard, metered, mixed and late by no more than it may be."""

import socket
import struct
import threading
import time
from dataclasses import replace

import numpy as np
import pytest

from ribalta.core.engine.program.open_microphones import Channel
from ribalta.media.sound.rtp import LATENCY, RtpSound, payload_of
from ribalta.media.sound.sound_desk import BLOCK, DUCKED, SoundDesk, SoundPlan, open_source
from ribalta.standins.sound.speech import COUNT, speech
from ribalta.standins.sound.voices import Script, Voices, bleed, script

pytestmark = pytest.mark.alone


def free_port() -> int:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as one:
        one.bind(("127.0.0.1", 0))
        return one.getsockname()[1]


def until(true, limit_s: float = 10.0) -> None:
    pause, end_s = threading.Event(), time.monotonic() + limit_s
    while not true():
        assert time.monotonic() < end_s
        pause.wait(0.005)


def packet(number: int, stamp: int, samples: np.ndarray) -> bytes:
    header = struct.pack(">BBHII", 0x80, 96, number & 0xFFFF, stamp & 0xFFFFFFFF, 7)
    return header + (samples * 32767).astype(">i2").tobytes()


@pytest.fixture
def receiver():
    made = RtpSound("127.0.0.1", free_port())
    yield made
    made.stop()
    made.join()


def test_packets_are_put_in_order_by_their_time_and_losses_are_silence(receiver):
    ramp = np.linspace(0, 0.9, 480 * 20, dtype=np.float32).reshape(20, 480, 1).repeat(2, axis=2)
    start = 0xFFFFFFFF - 900  # the time stamp wraps
    order = [0, 1, 2, 4, 3, 5, 6, 8, *range(9, 20)]  # 3 comes late, 7 never
    for k in order:
        receiver._take(packet(k, start + 480 * k, ramp[k]))
    got = np.concatenate([receiver.read(480) for _ in range(6)])
    first = len(ramp) * 480 - LATENCY  # it starts so far behind the newest
    assert got.shape == (2880, 2)
    assert np.allclose(got[:, 0], ramp.reshape(-1, 2)[first : first + 2880, 0], atol=1e-3)


@pytest.mark.parametrize("bad", [b"", b"\x80" * 11, b"\x00" * 40, b"\x8f" + b"\0" * 30, b"\xb0" + b"\xff" * 30])
def test_a_packet_that_is_none_is_ignored(receiver, bad):
    payload_of(bad)
    receiver._take(bad)
    assert receiver.read(480) is None


def test_an_address_that_is_none_opens_nothing():
    assert open_source("rtp://nowhere") is None
    assert open_source("rtp://127.0.0.1:99999") is None
    assert open_source("hum") is None


def test_voices_speak_in_turns_by_a_script_and_bleed_into_neighbours():
    turns = script(1, 600)
    assert turns == script(1, 600)
    assert {t.voice for t in turns} == set(range(COUNT))
    said = speech(0, 2.0)
    assert 0.3 < np.abs(said).max() <= 0.51
    assert np.array_equal(said, speech(0, 2.0))
    assert bleed()[3, 4] == pytest.approx(10 ** (-24 / 20))


def test_a_conversation_that_is_given_is_spoken_and_heard_as_it_says():
    turns = [{"from_s": 0, "to_s": 60, "who": [2]}, {"from_s": 0, "to_s": 60, "who": [5], "level_db": -36}]
    told: list[tuple[str, ...]] = []
    port = free_port()
    desk, voices = SoundDesk(speaking=told.append), Voices("127.0.0.1", port)
    address = f"rtp://127.0.0.1:{port}"
    desk.follow(SoundPlan(tuple(Channel(f"q{k}", address, k, 0, 1.0, False, 0.2, 0.0) for k in range(1, COUNT + 1))))
    desk.start()
    try:
        voices.speak(Script.read({"turns": []}))
        until(lambda: len(desk.heard.gates) == COUNT and all(g.level_db < -55 for g in desk.heard.gates.values()))
        begun_s = voices.speak(Script.read({"turns": turns, "bleed_db": -20, "noise_db": -70}))
        assert voices.speaking(begun_s + 1) == (1, 4)
        until(lambda: bool(told) and told[-1] == ("q2", "q5"))
        peaks = dict.fromkeys(desk.heard.gates, -90.0)

        def louder() -> bool:
            for name, gate in desk.heard.gates.items():
                peaks[name] = max(peaks[name], gate.level_db)
            return peaks["q5"] > -40 and peaks["q2"] > -28

        until(louder)
        assert peaks["q2"] - peaks["q7"] == pytest.approx(20, abs=4)  # what is left of it in another's microphone
        clapping = [{"from_s": 0, "to_s": 60, "applause": True}]
        voices.speak(Script.read({"turns": clapping}))
        until(lambda: all(gate.open for gate in desk.heard.gates.values()))
    finally:
        desk.stop()
        voices.close()


@pytest.mark.parametrize(
    "bad",
    [
        {},
        {"turns": [{}]},
        {"turns": [{"from_s": 0, "to_s": 1, "who": [9]}]},
        {"turns": [{"from_s": 0, "to_s": 1, "who": [1], "level_db": "loud"}]},
        {"turns": [], "noise_db": float("nan")},
        {"turns": [], "bleed_db": 1e9},
        {"turns": 3},
        {"turns": [], "levels_db": 3},
    ],
)
def test_a_conversation_that_cannot_be_spoken_is_refused(bad):
    with pytest.raises(ValueError, match=r"."):
        Script.read(bad)


def test_the_desk_hears_who_speaks_and_a_fader_is_what_is_not_what_was_asked():
    port = free_port()
    address = f"rtp://127.0.0.1:{port}"
    told: list[tuple[str, ...]] = []
    desk, voices = SoundDesk(speaking=told.append), Voices("127.0.0.1", port)

    def now_speaking() -> tuple[str, ...]:
        return tuple(f"q{v + 1}" for v in voices.speaking(time.monotonic()))

    def rows(gain: float) -> SoundPlan:
        return SoundPlan(tuple(Channel(f"q{k}", address, k, gain, 1.0, False, 0.2, 0.0) for k in range(1, COUNT + 1)))

    heard: list[float] = []

    class Tap:
        def hear(self, at_s, block):
            heard.append(at_s)
            assert block.shape == (BLOCK, 2)

    desk.taps = (Tap(),)
    desk.follow(rows(0.0))
    desk.start()
    try:
        until(lambda: any(level.peak_db > -30 for level in desk.heard.levels.values()))
        assert desk.heard.master.silent
        loudest = max(desk.heard.levels, key=lambda name: desk.heard.levels[name].rms_db)
        assert f"q{voices.speaking(time.monotonic())[0] + 1}" == loudest
        until(lambda: bool(told) and told[-1] == now_speaking() != ())  # the fader is down, and yet it is heard
        speakers = {f"q{turn.voice + 1}" for turn in script(1, 12.0)}
        assert {mic for who in told for mic in who} <= speakers  # nobody's neighbour
        until(lambda: any(gate.open for gate in desk.heard.gates.values()))
        desk.follow(rows(1.0))
        gains: list[float] = []
        until(lambda: gains.append(desk.heard.gains["q1"]) or desk.heard.gains["q1"] == 1.0)
        assert any(0 < gain < 1 for gain in gains)  # on its way
        until(lambda: desk.heard.master.peak_db > -30)
        until(lambda: desk.heard.loudness > -45)
        steps = np.diff(heard)
        assert np.allclose(steps, 0.02, atol=1e-6)  # whole blocks, none lost
    finally:
        desk.stop()
        voices.close()


def test_a_source_that_goes_is_silence_and_says_so_and_a_wrong_address_too():
    desk = SoundDesk()
    rows = (("q1", f"rtp://127.0.0.1:{free_port()}"), ("q2", ""))
    desk.follow(SoundPlan(tuple(Channel(name, address, 1, 1, 1, False, 0.1, 0) for name, address in rows)))
    desk.start()
    try:
        until(lambda: len(desk.heard.troubles) == 2)
        assert "nothing has come" in desk.heard.troubles["q1"]
        assert "no address" in desk.heard.troubles["q2"]
        assert desk.heard.levels["q1"].silent
    finally:
        desk.stop()


def test_guests_hear_program_and_the_director_and_are_heard_in_the_headphones_alone(monkeypatch):
    """Turned by hand: a microphone in program, one to talk with, and a guest who says 0.2."""

    class Steady:
        trouble = ""

        def __init__(self, level: float) -> None:
            self._level = level

        def read(self, count):
            return np.full((count, 1), self._level, np.float32)

        def stop(self):
            pass

        join = stop

    class Guests:
        told, said_now = [], np.full(BLOCK, 0.2, np.float32)

        def tell(self, program, talk):
            self.told.append((float(program[-1]), None if talk is None else float(talk[-1])))

        def said(self):
            return self.said_now

    class Phones:
        def __init__(self, name, crew):
            self.played = []
            made.append(self)

        def play(self, block):
            self.played.append(float(block[-1, 0]))

        stop = join = lambda self: None

    made: list[Phones] = []
    monkeypatch.setattr("ribalta.media.sound.sound_desk.Headphones", Phones)
    monkeypatch.setattr("ribalta.media.sound.sound_desk.open_source", lambda address, crew: Steady(float(address)))
    rows = Channel("q1", "0.25", 1, 1, 1, False, 0.01, 0), Channel("q2", "0.5", 1, 0, 1, False, 0.01, 0)
    desk, guests = SoundDesk(), Guests()
    desk.guests = guests
    plan = SoundPlan(rows, headphones="Phones")
    for change in ({}, {"talking": "q2"}, {"talking": "gone"}):
        desk.follow(replace(plan, **change))
        for k in range(30):
            desk.round(k * 0.02)
        program, talk = guests.told[-1]
        assert program == pytest.approx(0.25, abs=0.01)  # the guest is not in it, and the director neither
        assert talk == (0.5 if change == {"talking": "q2"} else None)
        assert made[0].played[-1] == pytest.approx(DUCKED * 0.25 + 0.2, abs=0.01)
    guests.said_now = None
    desk.round(1.0)
    assert made[0].played[-1] == pytest.approx(0.25, abs=0.01)
    desk.guests = None
    desk.round(1.02)
    desk.stop()
