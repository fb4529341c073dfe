"""What guests hear and say: program and the crew's voices, each encoded once (Opus) for all who hear it, and what they
say in return. Whoever talks does not hear the crew meanwhile: nobody hears their own voice come back."""

import asyncio
import contextlib
import logging
from collections import deque
from collections.abc import Callable, Collection, Iterable, Mapping
from fractions import Fraction
from typing import Any

import av
import numpy as np
from aiortc.mediastreams import MediaStreamError, MediaStreamTrack
from av.audio.codeccontext import AudioCodecContext

from ribalta.attach.crew_line import CrewLine, Voice
from ribalta.core.sound.blocks import BLOCK, JitterBuffer, as_16_bits
from ribalta.core.sound.levels import RATE, Samples

Packet = Any  # of PyAV
KBIT = {Voice.PROGRAM: 64, Voice.CREW: 32}
MOST_QUEUED = 12  # blocks of 20 ms
AHEAD, MOST_AHEAD = 3, 15  # of a guest's voice: so many are waited for, and kept at most
_log = logging.getLogger(__name__)


class Encoder:
    """One mix. A block in, a packet out."""

    def __init__(self, voice: Voice) -> None:
        self._codec = AudioCodecContext.create("libopus", "w")
        self._codec.sample_rate, self._codec.layout, self._codec.format = RATE, "mono", "s16"
        self._codec.bit_rate, self._codec.time_base = 1000 * KBIT[voice], Fraction(1, RATE)
        self._codec.options = {"application": "audio" if voice is Voice.PROGRAM else "voip", "frame_duration": "20"}

    def encode(self, block: Samples, number: int) -> list[Packet]:
        """The `number`th block of 20 ms."""
        whole = as_16_bits(block).reshape(1, -1)
        frame = av.AudioFrame.from_ndarray(whole, format="s16", layout="mono")
        frame.sample_rate, frame.pts, frame.time_base = RATE, number * BLOCK, Fraction(1, RATE)
        packets = list(self._codec.encode(frame))
        for packet in packets:  # the encoder's own delay is none of the listener's
            packet.pts, packet.time_base = number * BLOCK, Fraction(1, RATE)
        return packets


class Ear(MediaStreamTrack):
    """What a page hears of one mix. On the loop's thread."""

    kind = "audio"

    def __init__(self) -> None:
        super().__init__()
        self._queue: asyncio.Queue[Packet] = asyncio.Queue(MOST_QUEUED)

    def give(self, packets: Iterable[Packet]) -> None:
        """What is not taken in time is dropped, the oldest first."""
        for packet in packets:
            if self._queue.full():
                self._queue.get_nowait()
            self._queue.put_nowait(packet)

    async def recv(self) -> Any:
        """What is sent next."""
        if self.readyState != "live":
            raise MediaStreamError
        return await self._queue.get()


class Mouth:
    """What a page says. On the loop's thread."""

    def __init__(self) -> None:
        self.said = JitterBuffer(AHEAD, MOST_AHEAD)

    async def listen(self, track: MediaStreamTrack) -> None:
        """Until the line is gone."""
        with contextlib.suppress(MediaStreamError):
            while True:
                frame: Any = await track.recv()
                self._hear(frame)

    def _hear(self, frame: Any) -> None:
        if frame.sample_rate != RATE or frame.format.name != "s16":
            return  # Opus is decoded to that
        whole = frame.to_ndarray().reshape(-1, len(frame.layout.channels)).astype(np.float32).mean(axis=1) / 32768
        for k in range(0, len(whole) - BLOCK + 1, BLOCK):
            self.said.put(whole[k : k + BLOCK])


class Listener:
    """The sound of one page: an ear for each mix that it may hear, as they are offered, and a mouth."""

    def __init__(self, hears: bool, talks: bool) -> None:
        self.ears = {voice: Ear() for voice in ((Voice.PROGRAM,) if hears else ()) + (Voice.CREW,)}
        self.talks = talks
        self.mouth = Mouth()
        self._task: asyncio.Task[None] | None = None

    def follow(self, track: MediaStreamTrack) -> None:
        """The page says something from now on, or may, if its guest was given that."""
        self.close()
        if self.talks:
            self._task = asyncio.ensure_future(self.mouth.listen(track))

    def close(self) -> None:
        """It says nothing more."""
        if self._task is not None:
            self._task.cancel()
            self._task = None


class CrewSound:
    """All of it on the loop's thread. The clock is the show's sound: with each block of program one of each mix goes
    out."""

    def __init__(
        self,
        line: CrewLine,
        listeners: Callable[[], Mapping[str, Collection[Listener]]],
        talking: Callable[[], Collection[str]],
    ) -> None:
        """`listeners` are the pages with sound, by guest; `talking` the guests that talk now."""
        self._line, self._listeners, self._talking = line, listeners, talking
        self._encoders = {voice: Encoder(voice) for voice in KBIT}
        self._crew: deque[Samples] = deque(maxlen=MOST_AHEAD)
        self._number = 0

    def begin(self) -> None:
        """From now on."""
        asyncio.get_running_loop().add_reader(self._line.fileno(), self._came)

    def close(self) -> None:
        """It is over; it may have been before."""
        if self._line.fileno() >= 0:
            asyncio.get_running_loop().remove_reader(self._line.fileno())
            self._line.close()

    def _came(self) -> None:
        try:
            while (came := self._line.take()) is not None:
                voice, block = came
                if voice is Voice.CREW:
                    self._crew.append(block)
                elif voice is Voice.PROGRAM:
                    self._send(block)
        except OSError as error:
            _log.warning("the show's sound is gone: %s", error)
            self.close()

    def _send(self, program: Samples) -> None:
        self._number += 1
        listeners, talking = self._listeners(), self._talking()
        voices: list[Samples] = []
        for guest, pages in listeners.items():
            for one in pages:
                if guest not in talking:
                    one.mouth.said.clear()
                elif (block := one.mouth.said.take()) is not None:
                    voices.append(block)
        said: Samples | None = np.sum(voices, axis=0) if voices else None
        if said is not None:
            self._line.put(Voice.GUESTS, said)
        mixes: dict[Voice, Samples] = {Voice.PROGRAM: program}
        crew = self._crew.popleft() if self._crew else None
        if crew is not None and said is not None:
            mixes[Voice.CREW] = crew + said
        elif crew is not None or said is not None:
            mixes[Voice.CREW] = crew if crew is not None else said  # type: ignore[assignment]
        for voice, mix in mixes.items():
            ears = [
                one.ears[voice]
                for guest, pages in listeners.items()
                if not (voice is Voice.CREW and guest in talking)
                for one in pages
                if voice in one.ears
            ]
            if ears:
                packets = self._encoders[voice].encode(mix, self._number)
                for ear in ears:
                    ear.give(packets)
