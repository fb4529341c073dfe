"""Pictures and sound into one stream of H.264 and AAC, for a file or for a receiver.

Times are counted in whole frames and samples from the first picture, so that nothing drifts. A frame that was never
composed because the machine stood still is put in as the one before it, and counted.
"""

import contextlib
import os
import threading
from collections import deque
from collections.abc import Mapping
from fractions import Fraction
from threading import Condition

import av
import cv2
import numpy as np
from av.audio.stream import AudioStream
from av.container import OutputContainer
from av.video.stream import VideoStream

from ribalta.core.sound.levels import RATE, Samples
from ribalta.media.source import Image

FPS = 25
WAITING = 100  # frames that may wait for the encoder: 4 s
LONGEST_GAP = 250
NICE = 4


def give_way() -> None:
    """This thread may wait for those that compose and draw: what is late in a queue is not lost."""
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), NICE)


class Encoder:
    """One container, one picture, one sound. Raises what PyAV raises; whoever has it closes it."""

    def __init__(
        self,
        to: str,
        container: str,
        size: tuple[int, int],
        quality: Mapping[str, str],
        options: Mapping[str, str] | None = None,
        sound: bool = True,
        timeout_s: float | None = None,
    ) -> None:
        wanted = dict(options or {})
        self.container: OutputContainer = av.open(to, "w", format=container, options=wanted, timeout=timeout_s)
        self._picture: VideoStream = self.container.add_stream("libx264", rate=FPS, options=dict(quality))
        self._picture.width, self._picture.height, self._picture.pix_fmt = size[0], size[1], "yuv420p"
        self._picture.codec_context.time_base = Fraction(1, FPS)
        self._sound: AudioStream | None = None
        if sound:
            self._sound = self.container.add_stream("aac", rate=RATE, options={"aac_coder": "fast"})
            self._sound.layout = "stereo"
            self._sound.bit_rate = 160_000
        self.bytes = 0

    def picture(self, frame: int, yuv: Image) -> None:
        """The picture (I420, height * 3/2 rows) of a frame number, from 0."""
        made = av.VideoFrame.from_ndarray(yuv, "yuv420p")
        made.pts, made.time_base = frame, Fraction(1, FPS)
        for packet in self._picture.encode(made):
            self.bytes += packet.size
            self.container.mux(packet)

    def sound(self, sample: int, block: Samples) -> None:
        """(n, 2) samples that begin at a sample number, from 0."""
        if self._sound is None:
            return
        made = av.AudioFrame.from_ndarray(np.ascontiguousarray(block.T, np.float32), "fltp", "stereo")
        made.rate, made.pts, made.time_base = RATE, sample, Fraction(1, RATE)
        for packet in self._sound.encode(made):
            self.bytes += packet.size
            self.container.mux(packet)

    def close(self) -> None:
        """Write out what is still on its way, and the end."""
        try:
            for stream in (self._picture, self._sound):
                if stream is not None:
                    for packet in stream.encode(None):
                        self.container.mux(packet)
        finally:
            self.container.close()


class Converter:
    """From what is composed to what is encoded, once for all who want the same frame. For the mixer's thread."""

    def __init__(self) -> None:
        self._last: tuple[int, str, tuple[int, int]] | None = None
        self._yuv = np.zeros((0, 0), np.uint8)

    def yuv(self, tick: int, what: str, size: tuple[int, int], picture: Image | None) -> Image:
        """I420, (height * 3/2, width); nothing at all is black."""
        if self._last == (tick, what, size):
            return self._yuv
        if picture is None:
            picture = np.zeros((size[1], size[0], 4), np.uint8)
        elif picture.shape[:2] != (size[1], size[0]):
            picture = np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_LINEAR), np.uint8)
        self._last = (tick, what, size)
        self._yuv = np.asarray(cv2.cvtColor(picture, cv2.COLOR_BGRA2YUV_I420), np.uint8)
        return self._yuv


class Queue:
    """What waits between the clocks of picture and sound and whoever encodes: a tap of both.

    `what` is "program", "clean" or a camera's id. It never makes the mixer wait: what does not fit is dropped, and
    `lost` counts it together with frames that were never composed.
    """

    def __init__(self, what: str, size: tuple[int, int], converter: Converter | None = None) -> None:
        self.what, self.size = what, size
        self._converter = converter or Converter()
        self.lost = 0
        self.closed = False
        self._there = Condition()
        self._pictures: deque[tuple[int, Image]] = deque()
        self._blocks: deque[tuple[int, Samples]] = deque()
        self._first: tuple[int, float] | None = None
        self._next = 0

    @property
    def started_s(self) -> float | None:
        """When the first picture was due (CLOCK_MONOTONIC)."""
        return self._first[1] if self._first is not None else None

    def take(self, tick: int, at_s: float, picture: Image | None) -> None:
        if self.closed:
            return
        if self._first is None:
            self._first = (tick, at_s)
        yuv = self._converter.yuv(tick, self.what, self.size, picture)
        frame = tick - self._first[0]
        with self._there:
            self.lost += max(0, frame - self._next)
            self._next = frame + 1
            if len(self._pictures) >= WAITING:
                self.lost += 1
                return
            self._pictures.append((frame, yuv))
            self._there.notify()

    def hear(self, at_s: float, block: Samples) -> None:
        if self._first is None or self.closed:
            return
        with self._there:
            if len(self._blocks) < 2 * WAITING:
                self._blocks.append((round((at_s - self._first[1]) * RATE), block))

    def close(self) -> None:
        with self._there:
            self.closed = True
            self._there.notify()

    def next(self, wait_s: float) -> tuple[list[tuple[int, Image]], list[tuple[int, Samples]]]:
        """What has come, pictures and blocks; empty when nothing has in the time."""
        with self._there:
            if not self._pictures and not self.closed:
                self._there.wait(wait_s)
            found = list(self._pictures), list(self._blocks)
            self._pictures.clear()
            self._blocks.clear()
            return found


class Feeder:
    """Puts what a queue gives into an encoder, in order, with gaps closed."""

    def __init__(self, encoder: Encoder) -> None:
        self._encoder = encoder
        self._last: Image | None = None
        self.frames = 0
        self._samples = 0

    def feed(self, pictures: list[tuple[int, Image]], blocks: list[tuple[int, Samples]]) -> None:
        for frame, yuv in pictures:
            if self._last is not None:
                for missing in range(self.frames, min(frame, self.frames + LONGEST_GAP)):
                    self._encoder.picture(missing, self._last)
            self._encoder.picture(frame, yuv)
            self._last, self.frames = yuv, frame + 1
        for start, block in blocks:
            begin = start
            if abs(start - self._samples) < RATE // 100:
                begin = self._samples  # the clock's own unevenness
            skip = max(0, self._samples - begin, -begin)
            if skip >= len(block):
                continue
            begin, left = begin + skip, block[skip:]
            if begin > self._samples:  # silence where nothing was heard
                missing = min(begin - self._samples, 10 * RATE)
                self._encoder.sound(begin - missing, np.zeros((missing, 2), np.float32))
            self._encoder.sound(begin, left)
            self._samples = begin + len(left)
