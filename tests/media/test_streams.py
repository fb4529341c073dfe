"""Streams: they arrive whole, come back, and what is no address is refused."""

import socket

import pytest

from ribalta.core.sound.levels import RATE
from ribalta.media.outputs.encoder import Quality
from ribalta.media.outputs.streamer import Streaming, refused
from ribalta.standins.receiver import Receiver
from tests.media.test_recording import SIZE, Clock, started, until


def free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return one.getsockname()[1]


@pytest.mark.parametrize("address", ["tcp://127.0.0.1:{}", "rtmp://127.0.0.1:{}/live/show"])
def test_a_stream_arrives_whole_and_comes_back_when_its_receiver_was_gone(address):
    address = address.format(free_port())
    receiver = Receiver(address)
    encoding = started("program", Quality(21, 800))
    made = Streaming(address, encoding)
    made.start()
    clock = Clock(encoding)
    try:
        until(lambda: receiver.received.pictures > 10)
        assert receiver.received.size == SIZE
        assert set(receiver.received.codecs) == {"h264", "aac"}
        until(lambda: receiver.received.sounds > RATE // 4)
        assert receiver.received.backwards == 0
        assert made.status.word == "on"
        receiver.close()
        until(lambda: made.status.word == "lost")
        assert "tried again" in made.status.trouble
        receiver = Receiver(address)
        until(lambda: receiver.received.pictures > 5)
        until(lambda: made.status.word == "on" and made.status.kbit_s > 0)
        assert made.status.again >= 1
    finally:
        clock.stop()
        made.stop()
        made.join()
        encoding.close()
        encoding.join()
        receiver.close()
    assert made.status.word == "off"


@pytest.mark.parametrize("address", ["", "http://a", "rtmp://", "tcp://a:99999", "srt://127.0.0.1:9", "udp://h:0"])
def test_an_address_that_is_none_is_refused_before_anything_is_opened(address):
    assert refused(address) is not None
