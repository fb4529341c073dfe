"""A receiver of streams that checks what arrives: pictures, sound, and that their times go on.

It listens for one line after another, over RTMP, or MPEG-TS on TCP or UDP; which, its own address says.
"""

import contextlib
import time
from dataclasses import dataclass, replace

import av
import av.error
import numpy as np

from ribalta.core.base.faults import LocalFault
from ribalta.workers.crew import Crew

SILENT_AFTER_S = 3.0
SCHEMES = ("rtmp", "tcp", "udp")


@dataclass(frozen=True)
class Received:
    """What has come over all lines so far. `backwards`: times that went back; `brightness` of the last picture."""

    lines: int = 0
    pictures: int = 0
    sounds: int = 0
    backwards: int = 0
    size: tuple[int, int] = (0, 0)
    brightness: float = 0.0
    codecs: tuple[str, ...] = ()


class Receiver:
    """`address` as a sender writes it, for instance "rtmp://127.0.0.1:1935/live/show" or "tcp://127.0.0.1:9000".

    Not to `look` is to count pictures without decoding them.
    """

    def __init__(self, address: str, look: bool = True) -> None:
        self._address, self._look = address, look
        self.received = Received()
        self._stopping = False
        self._thread = Crew().worker("receiver", self._run)
        self._thread.start()

    def close(self) -> None:
        """A line that is open is dropped."""
        self._stopping = True
        self._thread.join()

    def _run(self) -> None:
        scheme = self._address.partition(":")[0]
        options = {"rtmp": {"listen": "1", "timeout": "1"}, "tcp": {"listen": "1", "listen_timeout": "500"}}
        patience = None if scheme == "rtmp" else SILENT_AFTER_S  # with both, listening over RTMP hangs
        while not self._stopping:
            with contextlib.suppress(av.error.FFmpegError, OSError, ValueError):
                kind = "flv" if scheme == "rtmp" else "mpegts"
                with av.open(
                    self._address, "r", format=kind, options=options.get(scheme, {}), timeout=patience
                ) as container:
                    self._read(container)
            time.sleep(0.05)

    def _read(self, container: "av.container.InputContainer") -> None:
        codecs = tuple(stream.codec_context.name for stream in container.streams)
        self.received = replace(self.received, lines=self.received.lines + 1, codecs=codecs)
        last: dict[int, int] = {}
        for packet in container.demux():
            if self._stopping:
                return
            if packet.dts is not None:
                back = packet.dts < last.get(packet.stream_index, packet.dts)
                last[packet.stream_index] = packet.dts
                self.received = replace(self.received, backwards=self.received.backwards + back)
            if not self._look:
                seen = packet.stream.type == "video" and packet.size > 0
                self.received = replace(self.received, pictures=self.received.pictures + seen)
                continue
            for frame in packet.decode():
                if isinstance(frame, av.VideoFrame):
                    bright = float(np.asarray(frame.to_ndarray(format="gray")).mean())
                    size = (frame.width, frame.height)
                    count = self.received.pictures + 1
                    self.received = replace(self.received, pictures=count, size=size, brightness=bright)
                elif isinstance(frame, av.AudioFrame):
                    self.received = replace(self.received, sounds=self.received.sounds + frame.samples)


def watch(address: str) -> int:
    """Say each second what arrives, until it is interrupted. Raises LocalFault for an address that is none."""
    if address.partition("://")[0] not in SCHEMES:
        raise LocalFault(f"{address} is not an address to receive at: it begins with rtmp, tcp or udp and ://.")
    receiver, before = Receiver(address), Received()
    print(f"Waiting for a stream at {address}. Ctrl+C ends it.", flush=True)
    try:
        while True:
            time.sleep(1)
            now = receiver.received
            came = f"{now.pictures - before.pictures} pictures, {now.sounds - before.sounds} samples of sound"
            wrong = f", {now.backwards} times that went back" if now.backwards else ""
            print(f"{'x'.join(map(str, now.size))}: {came}, brightness {now.brightness:.0f}{wrong}", flush=True)
            before = now
    finally:
        receiver.close()
