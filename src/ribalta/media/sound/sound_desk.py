"""The sound of program: a thread on an absolute clock of 20 ms that mixes what the microphones give.

Like the picture it never waits for a source, a device or the desk. Levels and gains are what they are, not what was
asked for.
"""

import contextlib
import threading
import time
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Protocol
from urllib.parse import urlsplit

import numpy as np

from ribalta.core.engine.program.open_microphones import Channel
from ribalta.core.sound.blocks import BLOCK
from ribalta.core.sound.gates import Gates, GateView, Gating
from ribalta.core.sound.levels import RATE, Level, Meters, Samples
from ribalta.core.sound.limiter import Limiter
from ribalta.core.sound.mixing import Strips
from ribalta.media.sound.loudness import SILENT_LUFS, Loudness
from ribalta.media.sound.rtp import RtpSound
from ribalta.media.sound.sound_devices import DeviceSound, Headphones
from ribalta.workers.crew import Crew
from ribalta.workers.priorities import go_first

BLOCK_S = BLOCK / RATE
MASTER_FADE_S = 0.05
NUMBERS = ("gain", "fade_s", "delay_s")
STANDS_STILL_S = 1.0
DUCKED = 0.4  # program in the headphones while a guest talks


@dataclass(frozen=True)
class SoundPlan:
    """What is heard: channels, the master's factor, which output headphones are and how loud,
    and how gates work. `talking` is the channel with which the director talks to the guests now."""

    channels: tuple[Channel, ...] = ()
    master: float = 1.0
    headphones: str = ""
    monitor: float = 1.0
    gating: Gating = field(default_factory=Gating)
    talking: str = ""


@dataclass(frozen=True)
class SoundStatus:
    """What there is now: levels before the fader and real gains by microphone, and of the whole.

    `gates` say who speaks, whatever the faders do; `loudness` is in LUFS over the last three seconds; `reduced_db`
    by how much the limiter holds down.
    """

    levels: Mapping[str, Level] = field(default_factory=dict)
    gains: Mapping[str, float] = field(default_factory=dict)
    troubles: Mapping[str, str] = field(default_factory=dict)
    master: Level = field(default_factory=Level)
    loudness: float = SILENT_LUFS
    reduced_db: float = 0.0
    gates: Mapping[str, GateView] = field(default_factory=dict)


class SoundSource(Protocol):
    """Where sound comes from; `trouble` says as a phrase why none does."""

    trouble: str

    def read(self, count: int) -> Samples | None:
        """So many samples, full scale 1, shape (samples, channels); None when they are not there. Never waits."""
        ...

    def stop(self) -> None:
        """End soon; `join` waits for it."""
        ...

    def join(self) -> None:
        """Wait for the end of its thread."""
        ...


class SoundConsumer(Protocol):
    """Somebody who wants the sound of program, such as a recorder."""

    def hear(self, at_s: float, block: Samples) -> None:
        """(n, 2) samples, and when the first of them was due (CLOCK_MONOTONIC); on the sound's thread, quickly."""
        ...


class GuestsEar(Protocol):
    """The guests of a show. Blocks are mono, on the sound's thread; nothing of it waits."""

    def tell(self, program: Samples, talk: Samples | None) -> None:
        """What they hear: program, and the director's voice while there is any."""
        ...

    def said(self) -> Samples | None:
        """The next block of what they say, if somebody talks."""
        ...


def open_source(address: str, crew: Crew | None = None) -> SoundSource | None:
    """None for an address that is not one. Returns at once: it is opened on a thread of its own."""
    if address.startswith("device:"):
        return DeviceSound(address.removeprefix("device:"), crew)
    with contextlib.suppress(ValueError):
        parts = urlsplit(address)
        if parts.scheme == "rtp" and parts.hostname and parts.port:
            return RtpSound(parts.hostname, parts.port, crew)
    return None


class SoundDesk:
    """`follow` comes from the engine's thread; `heard` may be read by any."""

    def __init__(
        self,
        clips: Callable[[float, int], Samples | None] = lambda at_s, count: None,
        speaking: Callable[[tuple[str, ...]], None] = lambda mic_ids: None,
        crew: Crew | None = None,
    ) -> None:
        """`clips` gives the sound of those that play, from a time on, that many samples. `speaking` is told into which
        microphones somebody speaks, whenever that changes, on the sound's thread."""
        self._clips, self._speaking = clips, speaking
        self._plan = SoundPlan()
        self._sources: dict[str, SoundSource | None] = {}
        self._closing: deque[SoundSource | Headphones] = deque(maxlen=32)
        self._ids: tuple[str, ...] = ()
        self._strips, self._meters, self._gates = Strips(0, BLOCK), Meters(0), Gates(0)
        self._master = 0.0
        self._meter, self._limiter = Meters(1), Limiter()
        self._loudness = Loudness()
        self._headphones: Headphones | None = None
        self._listening_to = ""
        self.heard = SoundStatus()
        self.taps: tuple[SoundConsumer, ...] = ()
        self.guests: GuestsEar | None = None
        self._stopping = threading.Event()
        self._crew = crew or Crew()
        self._worker = self._crew.worker("sound", self._run, limit_s=STANDS_STILL_S)

    def start(self) -> None:
        """Begin, on a thread of its own."""
        self._worker.start()

    def stop(self) -> None:
        """End, and wait for its thread and all that it has opened."""
        self._stopping.set()
        self._worker.stop()
        self._worker.join()
        opened = [one for one in (*self._sources.values(), self._headphones) if one is not None]
        for one in opened:
            with self._crew.guarded("closing a sound device", "It was left alone."):
                one.stop()
        for gone in (*self._closing, *opened):
            with self._crew.guarded("closing a sound device", "It was left alone."):
                gone.join()

    def follow(self, plan: SoundPlan) -> None:
        """What is to be heard from now on; from any thread, without waiting."""
        self._plan = plan

    def _run(self) -> None:
        go_first()
        start_s, tick = time.monotonic(), 0
        while not self._stopping.wait(max(0.0, start_s + tick * BLOCK_S - time.monotonic())):
            self.round(start_s + tick * BLOCK_S)
            tick += 1
            behind_s = time.monotonic() - (start_s + tick * BLOCK_S)
            if behind_s > 1.0:  # the machine stood still: what is lost is lost
                tick += int(behind_s / BLOCK_S)

    def round(self, at_s: float) -> None:
        """One block, due at a time, and all that goes with it; whatever of that fails, the rest goes on."""
        with self._crew.guarded("the sound of program", "It goes on."):
            self._block(at_s)
            self._worker.beat()

    def _block(self, at_s: float) -> None:
        plan = self._plan
        self._follow_sources(plan)
        channels = plan.channels
        ids = tuple(channel.id for channel in channels)
        if ids != self._ids:
            self._keep_strips(ids)
        sound = self._read(channels)
        levels = self._meters.feed(sound) if channels else []
        self._listen_for_voices(plan, ids, sound)
        gains, fades, delays = (np.array([getattr(c, name) for c in channels], np.float32) for name in NUMBERS)
        mix = self._strips.run(sound, gains, fades, delays) if channels else np.zeros(BLOCK, np.float32)
        played: Samples | None = None
        with self._crew.guarded("the sound of clips", "All other sound goes on."):
            played = self._clips(at_s, BLOCK)
        if played is not None:
            mix = mix + played
        most = BLOCK_S / MASTER_FADE_S
        master = self._master + min(most, max(-most, plan.master - self._master))
        mix *= np.linspace(self._master, master, BLOCK, endpoint=False, dtype=np.float32)
        self._master = master
        out = self._limiter.run(np.repeat(mix[:, None], 2, axis=1))
        with self._crew.guarded("measuring how loud program is", "It is heard as it is."):
            self._loudness.feed(out)
        for tap in self.taps:
            with self._crew.guarded("what takes the sound away", "The sound goes on."):
                tap.hear(at_s, out)
        said = self._talk(plan, sound, out)
        if plan.headphones or self._listening_to:
            own = np.array([c.own if c.solo else 0.0 for c in channels], np.float32)
            solo = np.repeat((own @ sound)[:, None], 2, axis=1) if own.any() else out
            heard = solo if said is None else solo * np.float32(DUCKED) + said[:, None]
            with self._crew.guarded("listening by headphones", "Program's sound goes on."):
                self._listen(plan.headphones, heard * np.float32(plan.monitor))
        self.heard = SoundStatus(
            dict(zip(ids, levels, strict=True)),
            dict(zip(ids, self._strips.gains.tolist(), strict=True)),
            self._troubles(plan),
            self._meter.feed(out[:, :1].T)[0],
            self._loudness.lufs,
            self._limiter.reduced_db,
            dict(zip(ids, self._gates.views(), strict=True)),
        )

    def _talk(self, plan: SoundPlan, sound: Samples, out: Samples) -> Samples | None:
        """Guests get program and the director's voice; what they say, which program never has."""
        guests = self.guests
        if guests is None:
            return None
        with self._crew.guarded("the sound of guests", "Program's sound goes on."):
            ids = [channel.id for channel in plan.channels]
            k = ids.index(plan.talking) if plan.talking in ids else None
            guests.tell(out[:, 0], sound[k] * np.float32(plan.channels[k].own) if k is not None else None)
            return guests.said()
        return None

    def _listen_for_voices(self, plan: SoundPlan, ids: tuple[str, ...], sound: Samples) -> None:
        """Before the faders: a microphone that follows the picture is closed until its speaker is seen."""
        if plan.gating != self._gates.gating:
            self._gates = Gates(len(ids), plan.gating)
            self._speaking(())  # the new ones begin closed
        if self._gates.feed(np.einsum("ij,ij->i", sound, sound, dtype=np.float64) / BLOCK, BLOCK_S):
            self._speaking(tuple(one for one, on in zip(ids, self._gates.open, strict=True) if on))

    def _keep_strips(self, ids: tuple[str, ...]) -> None:
        """Microphones have come or gone: those that stay keep their gains."""
        gains = dict(zip(self._ids, self._strips.gains.tolist(), strict=True))
        self._ids, self._strips, self._meters = ids, Strips(len(ids), BLOCK), Meters(len(ids))
        self._gates = Gates(len(ids), self._gates.gating)
        self._speaking(())
        self._strips.gains = np.array([gains.get(one, 0.0) for one in ids], np.float32)

    def _read(self, channels: Sequence[Channel]) -> Samples:
        """(channels, BLOCK): what each microphone gives; silence where nothing comes."""
        read = {address: self._read_one(address, source) for address, source in self._sources.items()}
        sound = np.zeros((len(channels), BLOCK), np.float32)
        for k, channel in enumerate(channels):
            block = read.get(channel.address)
            if block is not None and channel.channel <= block.shape[1]:
                sound[k] = block[:, channel.channel - 1]
        return sound

    def _read_one(self, address: str, source: SoundSource | None) -> Samples | None:
        with self._crew.guarded(f"the sound from {address}", "All other sound goes on."):
            return source.read(BLOCK) if source is not None else None
        return None

    def _troubles(self, plan: SoundPlan) -> Mapping[str, str]:
        said = {}
        for channel in plan.channels:
            source = self._sources.get(channel.address)
            if source is None:
                said[channel.id] = "no address is given" if not channel.address else "its address is none"
                continue
            with self._crew.guarded(f"the sound from {channel.address}", "All other sound goes on."):
                if source.trouble:
                    said[channel.id] = source.trouble
        return MappingProxyType(said)

    def _follow_sources(self, plan: SoundPlan) -> None:
        wanted = {channel.address for channel in plan.channels}
        if wanted == self._sources.keys():
            return
        for address in self._sources.keys() - wanted:
            source = self._sources.pop(address)
            if source is not None:
                self._closing.append(source)
                with self._crew.guarded(f"closing the sound from {address}", "It was left alone."):
                    source.stop()
        for address in wanted - self._sources.keys():
            with self._crew.guarded(f"opening the sound from {address}", "All other sound goes on."):
                self._sources[address] = open_source(address, self._crew) if address else None

    def _listen(self, name: str, block: Samples) -> None:
        if name != self._listening_to:
            before, self._headphones = self._headphones, None
            if before is not None:
                self._closing.append(before)
                with self._crew.guarded("letting headphones go", "They were left alone."):
                    before.stop()
            self._headphones = Headphones(name, self._crew) if name else None
            self._listening_to = name
        if self._headphones is not None:
            self._headphones.play(block)
