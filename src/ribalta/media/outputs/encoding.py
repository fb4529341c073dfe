"""One encoding for all who take it away: a file and the stream are carried the same pictures and sounds.

A frame that was never composed because the machine stood still is put in as the one before it, and counted.
"""

import logging
from collections import deque
from collections.abc import Iterator
from fractions import Fraction
from threading import Condition

import numpy as np

from ribalta.core.base.frames import samples_before
from ribalta.core.picture.planes import Picture, bytes_of
from ribalta.core.sound.levels import RATE, Samples
from ribalta.media.outputs.encoder import Encoder, Fitter, Quality
from ribalta.media.outputs.muxer import PRIMING, Packet
from ribalta.workers.crew import Crew
from ribalta.workers.priorities import catch_up, give_way

WAITING_S, WAITING_BYTES = 4, 160_000_000  # of frames that may wait for the encoder: no more than either
AT_ONCE, BEHIND = 4, 8  # frames that are taken in one turn; that wait until the encoder does not give way any more
LONGEST_GAP_S = 10  # of frames that are put in again
PACKETS = 1000  # encoded pictures and sounds that may wait for a slow line: some 14 s
_log = logging.getLogger(__name__)


class PacketConsumer:
    """One who takes packets away, from the first frame due at `from_s` or later to the one at which it is ended."""

    def __init__(self, rate: Fraction, from_s: float = 0.0) -> None:
        self.rate, self.from_s = rate, from_s
        self.began: tuple[int, float] | None = None
        """The first frame, and when it was due (CLOCK_MONOTONIC)."""
        self.lost = 0
        self.last: int | None = None
        self._there = Condition()
        self._packets: deque[Packet] = deque()
        self._done = False
        self._waits_for_key = True

    @property
    def first(self) -> int:
        """The number of its first frame in the encoding."""
        return self.began[0] if self.began is not None else 0

    def put(self, packet: Packet) -> None:
        """For the encoding's thread. What a slow line has no room for is lost, up to the next picture that can be
        begun with."""
        first = self.first if packet.picture else samples_before(self.first, self.rate, RATE) - PRIMING
        if packet.at < first:
            return
        with self._there:
            if packet.picture:
                if self.last is not None and packet.at > self.last:
                    return
                self._waits_for_key &= not packet.key
                if self._waits_for_key or len(self._packets) >= PACKETS:
                    self._waits_for_key = True
                    self.lost += 1
                    return
            if len(self._packets) < 2 * PACKETS:
                self._packets.append(packet)
                self._there.notify()

    def finish(self) -> None:
        """Nothing more comes."""
        with self._there:
            self._done = True
            self._there.notify()

    def next(self, wait_s: float) -> tuple[list[Packet], bool]:
        """What has come, and whether that was all there will ever be."""
        with self._there:
            if not self._packets and not self._done:
                self._there.wait(wait_s)
            found = list(self._packets)
            self._packets.clear()
            return found, self._done


class Encoding:
    """One encoder at work for any number of lines: a tap of picture and sound.

    `what` is "program", "clean" or a camera's id. It never makes the mixer wait: what does not fit is dropped, and its
    lines count it as lost together with frames that were never composed. It ends when it is closed; `trouble` says why
    it did by itself.
    """

    def __init__(
        self,
        what: str,
        size: tuple[int, int],
        rate: Fraction,
        quality: Quality,
        sound: bool,
        fitter: Fitter | None = None,
        crew: Crew | None = None,
    ) -> None:
        self.what, self.size, self.rate, self.quality, self.sound = what, size, rate, quality, sound
        self._most_waiting = min(round(WAITING_S * rate), WAITING_BYTES // bytes_of(*size))
        self._longest_gap = round(LONGEST_GAP_S * rate)
        self.trouble = ""
        self.encoder = Encoder(size, rate, quality, sound)
        self._fitter = fitter or Fitter()
        self._there = Condition()
        self._pictures: deque[tuple[int, Picture, bool]] = deque()
        self._blocks: deque[tuple[int, Samples]] = deque()
        self._first: tuple[int, float] | None = None
        self._next = 0
        self._closed = False
        self._coming: list[PacketConsumer] = []
        self._lines: tuple[PacketConsumer, ...] = ()
        self._last: Picture | None = None
        self._frames = self._samples = 0
        self._hurries = False
        self._worker = (crew or Crew()).worker("encoding", self._run, again=False)

    def start(self) -> None:
        """Begin, on a thread of its own."""
        self._worker.start()

    def close(self) -> None:
        """It goes on by itself until all that was taken is with its lines."""
        with self._there:
            self._closed = True
            self._there.notify()

    def join(self) -> None:
        """Wait for the end of its thread."""
        self._worker.join()

    @property
    def closed(self) -> bool:
        """Has it ended?"""
        return self._closed

    def open_line(self, from_s: float = 0.0) -> PacketConsumer:
        """From the next frame that is due at a time (CLOCK_MONOTONIC) or later."""
        line = PacketConsumer(self.rate, from_s)
        with self._there:
            if self._closed:
                line.finish()
            self._coming.append(line)
        return line

    def end_line(self, line: PacketConsumer) -> None:
        """After what was taken up to now."""
        with self._there:
            line.last = self._next - 1
            if line in self._coming:
                self._coming.remove(line)
                line.finish()
            self._there.notify()

    # What the mixer and the sound give

    def take(self, tick: int, at_s: float, picture: Picture | None) -> None:
        """See `FrameConsumer`."""
        if self._closed:
            return
        if self._first is None:
            self._first = (tick, at_s)
        fitted = self._fitter.fitted(tick, self.what, self.size, picture)
        frame = tick - self._first[0]
        with self._there:
            missed = max(0, frame - self._next)
            self._next = frame + 1
            full = len(self._pictures) >= self._most_waiting
            for line in self._lines:
                line.lost += missed + full
            if full:
                return
            coming = [line for line in self._coming if line.from_s <= at_s]
            for line in coming:
                line.began = (frame, at_s)
                self._coming.remove(line)
            self._pictures.append((frame, fitted, bool(coming)))
            self._lines += tuple(coming)
            self._there.notify()

    def hear(self, at_s: float, block: Samples) -> None:
        """See `SoundConsumer`."""
        if self._first is None or self._closed:
            return
        with self._there:
            if len(self._blocks) < 2 * self._most_waiting:
                self._blocks.append((round((at_s - self._first[1]) * RATE), block))

    # Its thread

    def _run(self) -> None:
        try:
            self._fitter.pool.prepare(self.size)
            give_way()
            while not self._encode_some(None):
                self._keep_up()
        except Exception as error:  # the show must go on
            _log.exception("an encoder met something it did not expect")
            self.trouble = f"the encoder ended ({type(error).__name__})"
        with self._there:
            self._closed = True
            lines, self._lines = (*self._lines, *self._coming), ()
        for line in lines:
            line.finish()

    def _keep_up(self) -> None:
        """What waits is not late, and what waits too long is lost: it gives way until many do, and again after them."""
        hurries = len(self._pictures) > (0 if self._hurries else BEHIND)
        if hurries != self._hurries:
            self._hurries = hurries
            (catch_up if hurries else give_way)()

    def turn(self) -> bool:
        """Encode what has come, for whoever has no thread for it; True when that was all there will be."""
        ended = self._encode_some(0.0)
        while self._pictures and not ended:
            ended = self._encode_some(0.0)
        return ended

    def _encode_some(self, wait_s: float | None) -> bool:
        """A few of the frames that have come, once some have (None: wait as long as it takes); True after the last."""
        with self._there:
            while wait_s is None and not (self._pictures or self._closed or self._ended_lines()):
                self._there.wait()
            pictures = [self._pictures.popleft() for _ in range(min(AT_ONCE, len(self._pictures)))]
            left = len(self._pictures)
            heard_to = samples_before(pictures[-1][0] + 1, self.rate, RATE) if left else None
            blocks = list[tuple[int, Samples]]()
            while self._blocks and (heard_to is None or self._blocks[0][0] < heard_to):
                blocks.append(self._blocks.popleft())
            closed = self._closed and not left
        for frame, picture, key in pictures:
            self._picture(frame, picture, key)
        for start, block in blocks:
            self._sound(start, block)
        if closed:
            self._give(self.encoder.rest())
        with self._there:
            ended = self._ended_lines()
            self._lines = tuple(line for line in self._lines if line not in ended)
        for line in ended:
            line.finish()
        return closed

    def _ended_lines(self) -> list[PacketConsumer]:
        return [line for line in self._lines if line.last is not None and self._frames > line.last]

    def _give(self, packets: Iterator[Packet]) -> None:
        for packet in packets:
            for line in self._lines:
                line.put(packet)

    def _picture(self, frame: int, picture: Picture, key: bool) -> None:
        if self._last is not None:
            for missing in range(self._frames, min(frame, self._frames + self._longest_gap)):
                self._give(self.encoder.picture(missing, self._last))
        self._give(self.encoder.picture(frame, picture, key))
        self._last, self._frames = picture, frame + 1

    def _sound(self, start: int, block: Samples) -> None:
        begin = start
        if abs(start - self._samples) < RATE // 100:
            begin = self._samples  # the clock's own unevenness
        skip = max(0, self._samples - begin, -begin)
        if skip >= len(block):
            return
        begin, left = begin + skip, block[skip:]
        if begin > self._samples:  # silence where nothing was heard
            missing = min(begin - self._samples, 10 * RATE)
            self._give(self.encoder.sound(begin - missing, np.zeros((missing, 2), np.float32)))
        self._give(self.encoder.sound(begin, left))
        self._samples = begin + len(left)
