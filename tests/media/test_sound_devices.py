"""Sound devices of the machine, by a library that only pretends: what comes in, what is listened to, and none."""

import threading
import time
from types import SimpleNamespace

import numpy as np
import pytest

from ribalta.media.sound import sound_devices
from ribalta.media.sound.sound_desk import open_source
from ribalta.media.sound.sound_devices import DeviceSound, Headphones, names
from ribalta.workers.crew import Crew

pytestmark = pytest.mark.real_time


class Refused(Exception):
    pass


class Stream:
    """Either way round; `room` is how many samples can be written."""

    opened: list["Stream"] = []  # noqa: RUF012 - emptied by the fixture

    def __init__(self, rate, device=None, dtype=None, callback=None, channels=None) -> None:
        if device == "broken":
            raise Refused("no such device")
        assert (rate, dtype) == (48000, "float32")
        self.callback, self.room, self.written, self.running = callback, 960, [], False
        Stream.opened.append(self)

    @property
    def write_available(self) -> int:
        return self.room

    def start(self) -> None:
        self.running = True

    @property
    def active(self) -> bool:
        return self.running

    def abort(self) -> None:
        self.running = False

    def close(self) -> None: ...

    def write(self, block) -> None:
        self.written.append(block)


@pytest.fixture
def library(monkeypatch):
    Stream.opened.clear()
    rows = [
        {"name": "Desk in", "max_input_channels": 2, "max_output_channels": 0},
        {"name": "Phones", "max_input_channels": 0, "max_output_channels": 2},
    ]
    made = SimpleNamespace(InputStream=Stream, OutputStream=Stream, PortAudioError=Refused, query_devices=lambda: rows)
    monkeypatch.setattr(sound_devices, "_library", lambda: made)
    return made


def block(count: int, level: float) -> np.ndarray:
    return np.full((count, 2), level, np.float32)


def test_devices_are_named_by_what_they_can_do(library):
    assert (names(True), names(False)) == (["Desk in"], ["Phones"])


def until(true, limit_s: float = 5.0) -> None:
    pause, end_s = threading.Event(), time.monotonic() + limit_s
    while not true():
        assert time.monotonic() < end_s
        pause.wait(0.005)


@pytest.fixture
def kept():
    """What is opened is stopped in the end."""
    made = []
    yield lambda one: made.append(one) or one
    for one in made:
        one.stop()
    for one in made:
        one.join()


def opened(count: int) -> Stream:
    until(lambda: len(Stream.opened) == count and Stream.opened[-1].running)
    return Stream.opened[-1]


def test_what_a_device_hears_is_read_in_blocks_of_any_size(library, kept):
    source = kept(open_source("device:Desk in"))
    assert isinstance(source, DeviceSound)
    assert source.read(960) is None
    hear = opened(1).callback
    until(lambda: "nothing has come" in source.trouble)
    hear(block(700, 0.1), 700, None, None)
    hear(block(700, 0.2), 700, None, None)
    first, second = source.read(960), source.read(960)
    assert source.trouble == ""
    assert (first[0, 0], first[-1, 0]) == (np.float32(0.1), np.float32(0.2))
    assert second.shape == (960, 2)
    assert (second[439, 0], second[440, 0]) == (np.float32(0.2), 0.0)  # what is missing is silence
    for _ in range(100):
        hear(block(960, 0.3), 960, None, None)
    assert len(source._heard) == sound_devices.KEPT  # nobody reads: the oldest are dropped
    source.stop()
    source.join()
    assert not Stream.opened[-1].running


def test_headphones_take_what_there_is_room_for(library, kept):
    phones = kept(Headphones("Phones"))
    stream = opened(1)
    phones.play(block(960, 0.5))
    until(lambda: len(stream.written) == 1)
    stream.room = 100
    phones.play(block(960, 0.5))
    until(lambda: not phones._blocks)
    assert len(stream.written) == 1


def test_a_device_that_goes_is_said_and_opened_again(library, kept, monkeypatch):
    """Headphones that were pulled out raised on the sound's thread at every block, and stayed silent for ever."""
    monkeypatch.setattr(sound_devices, "FIRST_PAUSE_S", 0.01)
    said: list[str] = []
    phones, source = kept(Headphones("Phones", Crew(said.append))), kept(DeviceSound("Desk in", Crew(said.append)))
    until(lambda: len(Stream.opened) == 2)
    until(lambda: phones.trouble == "" and all(stream.running for stream in Stream.opened))

    def gone(_):
        raise Refused("unplugged")

    for stream in Stream.opened[:2]:
        stream.write = gone
        stream.running = False
    phones.play(block(960, 0.5))
    until(lambda: len(Stream.opened) == 4)
    until(lambda: len([s for s in said if s.endswith("” is back.")]) == 2)
    assert [s for s in said if "“Phones” has gone" in s]
    assert [s for s in said if "“Desk in” has gone" in s]
    assert source.read(960) is None


def test_a_device_that_cannot_be_opened_and_a_machine_without_any_say_so(library, kept, monkeypatch):
    broken = [kept(DeviceSound("broken")), kept(Headphones("broken"))]
    until(lambda: all("cannot be opened" in one.trouble for one in broken))
    monkeypatch.setattr(sound_devices, "_library", lambda: None)
    assert names(True) == []
    source, phones = kept(DeviceSound("Desk in")), kept(Headphones("Phones"))
    until(lambda: "no sound devices" in source.trouble and "no sound devices" in phones.trouble)
    assert source.read(960) is None
    phones.play(block(10, 0.0))
