"""Sound devices of the machine, by a library that only pretends: what comes in, what is listened to, and none."""

from types import SimpleNamespace

import numpy as np
import pytest

from ribalta.media import devices_of_sound
from ribalta.media.devices_of_sound import DeviceSound, Headphones, names
from ribalta.media.sound import open_source


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
    monkeypatch.setattr(devices_of_sound, "_library", lambda: made)
    return made


def block(count: int, level: float) -> np.ndarray:
    return np.full((count, 2), level, np.float32)


def test_devices_are_named_by_what_they_can_do(library):
    assert (names(True), names(False)) == (["Desk in"], ["Phones"])


def test_what_a_device_hears_is_read_in_blocks_of_any_size(library):
    source = open_source("device:Desk in")
    assert isinstance(source, DeviceSound)
    assert source.read(960) is None
    assert "nothing has come" in source.trouble
    hear = Stream.opened[-1].callback
    hear(block(700, 0.1), 700, None, None)
    hear(block(700, 0.2), 700, None, None)
    first, second = source.read(960), source.read(960)
    assert source.trouble == ""
    assert (first[0, 0], first[-1, 0]) == (np.float32(0.1), np.float32(0.2))
    assert second.shape == (960, 2)
    assert (second[439, 0], second[440, 0]) == (np.float32(0.2), 0.0)  # what is missing is silence
    for _ in range(100):
        hear(block(960, 0.3), 960, None, None)
    assert len(source._heard) == devices_of_sound.KEPT  # nobody reads: the oldest are dropped
    source.stop()
    source.join()
    assert not Stream.opened[-1].running


def test_headphones_take_what_there_is_room_for(library):
    phones = Headphones("Phones")
    phones.play(block(960, 0.5))
    Stream.opened[-1].room = 100
    phones.play(block(960, 0.5))
    assert len(Stream.opened[-1].written) == 1
    phones.stop()


def test_a_device_that_cannot_be_opened_and_a_machine_without_any_say_so(library, monkeypatch):
    assert "cannot be opened" in DeviceSound("broken").trouble
    assert "cannot be opened" in Headphones("broken").trouble
    monkeypatch.setattr(devices_of_sound, "_library", lambda: None)
    assert names(True) == []
    source, phones = DeviceSound("Desk in"), Headphones("Phones")
    assert "no sound devices" in source.trouble
    assert "no sound devices" in phones.trouble
    assert source.read(960) is None
    source.stop()
    phones.play(block(10, 0.0))
    phones.stop()
