"""Streaming program to a receiver over RTMP or MPEG-TS, opened again by itself when the line breaks.

A process of its own does the sending (see `sender.py`): it may hang, and is then ended. Here it is only given what was
encoded, as much as it takes, and looked at: a line on which nothing goes on is lost, however open it seems.
"""

import contextlib
import json
import os
import select
import subprocess
import sys
import time
from collections import deque
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from threading import Event
from urllib.parse import urlsplit

from ribalta.core.base.back_off import BackOff
from ribalta.media.outputs import sender
from ribalta.media.outputs.encoding import Encoding, PacketConsumer
from ribalta.media.outputs.muxer import Packet
from ribalta.workers.crew import Crew
from ribalta.workers.priorities import give_way

SCHEMES = {"rtmp": "flv", "rtmps": "flv", "udp": "mpegts", "tcp": "mpegts", "srt": "mpegts"}
FIRST_PAUSE_S, LONGEST_PAUSE_S = 1.0, 10.0
STARTED_WITHIN_S, OPEN_WITHIN_S, STALLED_AFTER_S, JOIN_S = 7.0, 5.0, 4.0, 3.0
LOOK_S, CLOSE_WITHIN_S = 0.05, 1.0
MOST_WAITING_S = 2  # of pictures that were given and are not confirmed
PIPE = 1 << 20


class Lost(Exception):
    """Why the line is not open any more, as a phrase."""


@dataclass(frozen=True)
class StreamStatus:
    """`word` is "opening", "on", "lost" or "off"; `kbit_s` over the last seconds; `again` how often it was reopened."""

    word: str = "off"
    since_s: float = 0.0
    kbit_s: float = 0.0
    dropped: int = 0
    again: int = 0
    trouble: str = ""


def refused(address: str) -> str | None:
    """Why this cannot be streamed to, as a sentence; None when it can."""
    try:
        parts = urlsplit(address)
        port = parts.port
    except ValueError:
        return f"{address} is not an address: its port must be 1 to 65535."
    if parts.scheme == "srt":
        return "SRT is not built in here: use rtmp, udp or tcp."
    if parts.scheme not in SCHEMES or not parts.hostname or port == 0:
        return f"{address} is not an address to stream to: it begins with rtmp, udp or tcp and ://"
    return None


class Streaming:
    """One stream, from its start to its stop, however often its line breaks."""

    def __init__(
        self, address: str, encoding: Encoding, crew: Crew | None = None, whole: Callable[[], str] | None = None
    ) -> None:
        """`whole` gives the address with its secrets, on the stream's thread: it may wait for a keyring."""
        self._whole = whole or (lambda: address)
        self.status = StreamStatus("opening", time.monotonic())
        self.encoding = encoding
        self._address = address
        self._dropped = 0
        self._stopping = Event()
        self._worker = (crew or Crew()).worker("stream", self._run)

    def start(self) -> None:
        """Begin, on a thread of its own."""
        self._worker.start()

    def stop(self) -> None:
        """End soon; `join` waits for it."""
        self._stopping.set()
        self._worker.stop()

    def join(self) -> None:
        """Wait for the end of its thread, a few seconds at most."""
        self._worker.join(JOIN_S)

    @property
    def stopped(self) -> bool:
        """Was it told to end?"""
        return self._stopping.is_set()

    def _run(self) -> None:
        give_way()
        back_off = BackOff(FIRST_PAUSE_S, LONGEST_PAUSE_S)
        while not self._stopping.is_set():
            trouble = ""
            try:
                self._send()
                trouble = self.encoding.trouble or "it was ended there"
            except Lost as lost:
                trouble = str(lost)
            except OSError as error:
                trouble = error.strerror or type(error).__name__
            if self._stopping.is_set():
                break
            was_on, lost_s = self.status.word == "on", time.monotonic()
            if was_on:
                back_off.worked()
            self.status = replace(
                self.status,
                word="lost",
                since_s=lost_s if was_on else self.status.since_s,
                kbit_s=0.0,
                dropped=self._dropped,
                again=self.status.again + 1,
                trouble=f"The line to {urlsplit(self._address).hostname} is not open ({trouble}): it is tried again.",
            )
            self._stopping.wait(back_off.pause_s())
            self._drop(round((time.monotonic() - lost_s) * self.encoding.rate))
        self.status = replace(self.status, word="off", kbit_s=0.0)

    def _drop(self, frames: int) -> None:
        self._dropped += max(0, frames)
        self.status = replace(self.status, dropped=self._dropped)

    def _send(self) -> None:
        """Until it is stopped, or the line breaks. Raises Lost."""
        began_s = time.monotonic()
        with _Child(self._whole(), self.encoding) as child:
            try:
                child.wait_until_open(self._stopping)
            finally:
                if not child.open:
                    self._drop(round((time.monotonic() - began_s) * self.encoding.rate))
            line = self.encoding.open_line()
            try:
                self._carry(child, line)
            finally:
                self.encoding.end_line(line)
                waiting = sum(packet.picture for packet in line.next(0)[0])
                self._drop(line.lost + child.unconfirmed + waiting)

    def _carry(self, child: "_Child", line: PacketConsumer) -> None:
        began_s = measured_s = time.monotonic()
        measured, over = 0, False
        while not (over or self._stopping.is_set()):
            if child.has_room:
                packets, over = line.next(LOOK_S)
                for packet in packets:
                    child.give(packet, line.first)
            child.turn(0.0 if child.has_room else LOOK_S)
            now_s = time.monotonic()
            if self.status.word != "on" and child.frames:
                self.status = replace(self.status, word="on", since_s=began_s, trouble="")
            if now_s - measured_s >= 1:
                rate = 8 * (child.bytes - measured) / 1000 / (now_s - measured_s)
                self.status = replace(self.status, kbit_s=rate, dropped=self._dropped + line.lost)
                measured_s, measured = now_s, child.bytes


class _Child:
    """The process that sends. Nothing here waits for it longer than it says."""

    def __init__(self, address: str, encoding: Encoding) -> None:
        width, height = encoding.size
        sound = encoding.encoder.sound_like is not None
        container = SCHEMES[urlsplit(address).scheme]
        self._rate = encoding.rate
        picture = {"width": width, "height": height, "rate": str(encoding.rate)}
        hello = {"address": address, "container": container, **picture, "sound": sound}
        self.frames = self.bytes = 0
        self.started = self.open = False
        self._given: deque[int] = deque()  # frames that were given and are not confirmed
        self._out: deque[memoryview] = deque()
        self._said = b""
        self._went_on_s = time.monotonic()
        self._process = subprocess.Popen(
            [sys.executable, "-m", "ribalta.media.outputs.sender"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        self._in, self._answers = self._process.stdin.fileno(), self._process.stdout.fileno()
        os.set_blocking(self._in, False)
        os.set_blocking(self._answers, False)
        with contextlib.suppress(OSError):
            import fcntl

            fcntl.fcntl(self._in, fcntl.F_SETPIPE_SZ, PIPE)
        data = json.dumps(hello).encode()
        self._put(sender.header(sender.KIND_HELLO, data), data)

    def __enter__(self) -> "_Child":
        return self

    def __exit__(self, *_: object) -> None:
        """It may close its line in its own time, but not in ours."""
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        with contextlib.suppress(OSError, subprocess.TimeoutExpired):
            self._process.stdin.close()
            if self.open and self.unconfirmed < self._rate:
                self._process.wait(CLOSE_WITHIN_S)
        self._process.kill()
        self._process.wait()
        self._process.stdout.close()

    @property
    def unconfirmed(self) -> int:
        return len(self._given)

    @property
    def has_room(self) -> bool:
        return len(self._given) < MOST_WAITING_S * self._rate

    def wait_until_open(self, stopping: Event) -> None:
        """Raises Lost when nobody answers in time."""
        end_s, started = time.monotonic() + STARTED_WITHIN_S, False
        while not self.open and not stopping.is_set():
            self.turn(LOOK_S)
            if self.started and not started:
                started, end_s = True, time.monotonic() + OPEN_WITHIN_S
            if time.monotonic() > end_s:
                raise Lost("nothing answers there" if started else "this machine is too busy to send")
        self._went_on_s = time.monotonic()

    def give(self, packet: Packet, first: int) -> None:
        if not self._given:
            self._went_on_s = time.monotonic()
        kind = sender.KIND_PICTURE if packet.picture else sender.KIND_SOUND
        self._put(sender.header(kind, packet.data, packet.key, packet.at, first), packet.data)
        if packet.picture:
            self._given.append(packet.at - first + 1)

    def _put(self, head: bytes, data: bytes) -> None:
        self._out += (memoryview(head), memoryview(data))

    def turn(self, wait_s: float) -> None:
        """Give it what it takes, and hear what it says. Raises Lost when the line is, or when nothing goes on."""
        poll = select.poll()
        poll.register(self._answers, select.POLLIN)
        if self._out:
            poll.register(self._in, select.POLLOUT)
        ready = dict(poll.poll(1000 * wait_s))
        if self._in in ready:
            self._write()
        if self._answers in ready:
            for said in self._hear():
                self._take(said)
        if self._given and time.monotonic() - self._went_on_s > STALLED_AFTER_S:
            raise Lost("it takes nothing any more")

    def _write(self) -> None:
        with contextlib.suppress(BlockingIOError, BrokenPipeError):
            while self._out:
                count = os.write(self._in, self._out[0])
                if count < len(self._out[0]):
                    self._out[0] = self._out[0][count:]
                    return
                self._out.popleft()

    def _hear(self) -> Iterator[dict[str, object]]:
        data = b""
        with contextlib.suppress(BlockingIOError):
            data = os.read(self._answers, 65536)
            if not data:
                raise Lost("it was ended there" if self.open else "it could not be opened")
        *lines, self._said = (self._said + data).split(b"\n")
        for line in lines:
            with contextlib.suppress(ValueError):
                yield json.loads(line)

    def _take(self, said: dict[str, object]) -> None:
        if "error" in said:
            raise Lost(str(said["error"]))
        self.started |= "started" in said
        self.open |= "open" in said
        if "frames" in said:
            self.frames, self.bytes = int(str(said["frames"])), int(str(said["bytes"]))
            self._went_on_s = time.monotonic()
            while self._given and self._given[0] <= self.frames:
                self._given.popleft()
