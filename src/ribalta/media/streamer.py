"""Streaming program to a receiver over RTMP or MPEG-TS, opened again by itself when the line breaks."""

import logging
import threading
import time
from dataclasses import dataclass, replace
from urllib.parse import urlsplit

import av.error

from ribalta.media.encoder import Carrier
from ribalta.media.encoding import Encoding, Line
from ribalta.media.threads import give_way

SCHEMES = {"rtmp": "flv", "rtmps": "flv", "udp": "mpegts", "tcp": "mpegts", "srt": "mpegts"}
FIRST_PAUSE_S, LONGEST_PAUSE_S = 1.0, 10.0
OPEN_WITHIN_S = 5.0
LOOK_S = 0.1
_log = logging.getLogger(__name__)


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

    def __init__(self, address: str, encoding: Encoding) -> None:
        self.status = StreamStatus("opening", time.monotonic())
        self.encoding = encoding
        self._address = address
        self._dropped = 0
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name="stream", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._stopping.set()

    def join(self) -> None:
        self._thread.join(OPEN_WITHIN_S + 2)

    @property
    def stopped(self) -> bool:
        return self._stopping.is_set()

    def _run(self) -> None:
        give_way()
        pause_s = FIRST_PAUSE_S
        while not self._stopping.is_set():
            trouble = ""
            try:
                self._send()
                trouble = self.encoding.trouble
            except (OSError, ValueError, av.error.FFmpegError) as error:
                trouble = f"{getattr(error, 'strerror', None) or type(error).__name__}"
            except Exception as error:  # it is tried again
                _log.exception("the stream met something it did not expect")
                trouble = type(error).__name__
            if self._stopping.is_set():
                break
            was_on = self.status.word == "on"
            pause_s = FIRST_PAUSE_S if was_on else min(LONGEST_PAUSE_S, 2 * pause_s)
            self.status = replace(
                self.status,
                word="lost",
                since_s=time.monotonic(),
                kbit_s=0.0,
                again=self.status.again + 1,
                trouble=f"The line to {urlsplit(self._address).hostname} is not open ({trouble}): it is tried again.",
            )
            self._stopping.wait(pause_s)
        self.status = replace(self.status, word="off", kbit_s=0.0)

    def _send(self) -> None:
        """Until it is stopped, or the line breaks."""
        kind = SCHEMES[urlsplit(self._address).scheme]
        to = Carrier(self._address, kind, self.encoding.encoder, timeout_s=OPEN_WITHIN_S)
        line = self.encoding.open_line()
        try:
            self._carry(to, line)
        finally:
            self._dropped += line.lost
            self.encoding.end_line(line)
            to.close()

    def _carry(self, to: Carrier, line: Line) -> None:
        began_s, measured_s, measured, over = time.monotonic(), time.monotonic(), 0, False
        while not (over or self._stopping.is_set()):
            pieces, over = line.next(LOOK_S)
            for piece in pieces:
                to.carry(piece, line.first)
            now_s = time.monotonic()
            if self.status.word != "on" and to.frames:
                self.status = replace(self.status, word="on", since_s=began_s, trouble="")
            if now_s - measured_s >= 1:
                rate = 8 * (to.bytes - measured) / 1000 / (now_s - measured_s)
                self.status = replace(self.status, kbit_s=rate, dropped=self._dropped + line.lost)
                measured_s, measured = now_s, to.bytes
