"""A stream's receiver may do anything: program, recording and keys go on, and what happened is said soon."""

import json
import os
import re
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import numpy as np
import pytest

from ribalta.core.base.frames import USUAL
from ribalta.core.picture.planes import Picture, bytes_of
from ribalta.media.outputs import sender, streamer
from ribalta.media.outputs.encoder import Quality
from ribalta.media.outputs.encoding import Encoding
from ribalta.media.outputs.streamer import Streaming
from ribalta.standins.bad_receiver import BadReceiver
from ribalta.standins.receiver import Receiver
from tests.core.hand_wound import Hall, small_show
from tests.media.test_recording import until
from tests.media.test_streams import free_port

pytestmark = pytest.mark.real_time

SIZE = (640, 360)
SAID_WITHIN_S = 8.0


class Busy:
    """Feeds an encoding with pictures that are hard to encode, and notices when it is kept from it."""

    def __init__(self) -> None:
        self.encoding = Encoding("program", SIZE, USUAL, Quality(23, 6000), sound=True)
        self.encoding.start()
        self.longest_s = 0.0
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name="feeding")
        self._thread.start()

    def _run(self) -> None:
        noise = np.random.default_rng(1).integers(0, 255, (8, bytes_of(*SIZE)), np.uint8)
        tick, start_s = 0, time.monotonic()
        while not self._stopping.wait(max(0.0, start_s + tick * 0.04 - time.monotonic())):
            self.longest_s = max(self.longest_s, time.monotonic() - (start_s + tick * 0.04))
            self.encoding.take(tick, start_s + tick * 0.04, Picture.over(noise[tick % 8], *SIZE))
            self.encoding.hear(start_s + tick * 0.04, np.zeros((1920, 2), np.float32))
            tick += 1

    def stop(self) -> None:
        self._stopping.set()
        self._thread.join()
        self.encoding.close()
        self.encoding.join()


@pytest.fixture
def busy():
    made = Busy()
    yield made
    made.stop()


@pytest.mark.parametrize(
    ("way", "scheme", "trouble"),
    [
        ("says nothing", "rtmp://127.0.0.1:{}/live/show", "nothing answers there"),
        ("stops reading", "tcp://127.0.0.1:{}", "takes nothing any more|timed out"),
        ("resets", "tcp://127.0.0.1:{}", "pipe|reset"),
        ("drops calls", "tcp://127.0.0.1:{}", "nothing answers there|timed out"),
        ("refuses", "rtmp://127.0.0.1:{}/live/show", "refused|Input/output"),
        ("hangs up", "rtmp://127.0.0.1:{}/live/show", "."),
    ],
)
def test_a_receiver_that_does_wrong_is_lost_soon_and_holds_nobody_up(busy, monkeypatch, way, scheme, trouble):
    """One that never answered froze the whole application; one that stopped reading was “on” for ever."""
    monkeypatch.setattr(streamer, "FIRST_PAUSE_S", 0.3)
    bad = BadReceiver(way)
    if way == "refuses":
        bad.close()
    made = Streaming(scheme.format(bad.port), busy.encoding)
    began_s = time.monotonic()
    made.start()
    try:
        if way in ("stops reading", "resets"):
            until(lambda: made.status.word == "on")
            began_s = time.monotonic()
        until(lambda: made.status.word == "lost", 2 * SAID_WITHIN_S)
        took_s = time.monotonic() - began_s
        assert took_s < SAID_WITHIN_S + 0.5
        assert re.search(trouble, made.status.trouble), made.status.trouble
        until(lambda: made.status.dropped > 0)
        again = made.status.again
        if way in ("refuses", "resets", "hangs up"):
            until(lambda: made.status.again > again)
    finally:
        made.stop()
        stopped_s = time.monotonic()
        made.join()
        if way != "refuses":
            bad.close()
    assert time.monotonic() - stopped_s < streamer.JOIN_S
    assert busy.longest_s < 0.5
    assert made.status.word == "off"


def test_a_sender_that_is_killed_is_made_anew(busy, monkeypatch):
    monkeypatch.setattr(streamer, "FIRST_PAUSE_S", 0.1)
    address = f"tcp://127.0.0.1:{free_port()}"
    receiver = Receiver(address, look=False)
    made = Streaming(address, busy.encoding)
    made.start()
    try:
        until(lambda: made.status.word == "on")
        task = made._worker._thread.native_id
        children = Path(f"/proc/{os.getpid()}/task/{task}/children").read_text().split()
        os.kill(int(children[-1]), signal.SIGKILL)
        until(lambda: made.status.word == "lost")
        until(lambda: made.status.word == "on", 20)
        assert made.status.dropped > 0
    finally:
        made.stop()
        made.join()
        receiver.close()


def test_a_sender_ends_with_its_input_and_says_why_it_cannot_open():
    command = [sys.executable, "-m", "ribalta.media.outputs.sender"]
    assert subprocess.run(command, input=b"", check=False, timeout=60).returncode == 0
    like = {"container": "mpegts", "width": 64, "height": 64, "rate": "25", "sound": True}
    hello = json.dumps({"address": "tcp://127.0.0.1:1", **like})
    data = sender.header(sender.KIND_HELLO, hello.encode()) + hello.encode()
    ran = subprocess.run(command, input=data, check=False, timeout=60, capture_output=True)
    assert "refused" in json.loads(ran.stdout.splitlines()[-1])["error"]
    assert ran.returncode == 1


def test_the_address_is_entered_and_the_stream_runs_while_it_is_recorded():
    """It was refused, and what was typed was thrown away."""
    hall = Hall(small_show())
    hall.press("Ctrl+R")
    hall.act("outputs.change", stream_to="rtmp://127.0.0.1/live", stream_kbit_s=3000)
    assert hall.state.show.outputs.stream_to == "rtmp://127.0.0.1/live"
    hall.act("stream", on=True)
    assert hall.state.output("stream").on
    hall.act("outputs.change", stream_to="rtmp://127.0.0.1/other")
    assert "The stream that runs goes on as it began" in hall.sentences[-1]
    hall.act("stream", on=False)
    assert hall.state.output("recording").on
