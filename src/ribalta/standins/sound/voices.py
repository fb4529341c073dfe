"""Eight microphones: synthetic voices that speak in turns, heard in each other's microphones too.

What each says is made once (`speech`); who speaks when is a script that is the same for the same seed, or one that is
given (`Script.read`). Sent as RTP (L16, 48 kHz, eight channels, 20 ms a packet; RFC 3550 and 3551).
"""

import math
import random
import socket
import struct
import threading
import time
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from ribalta.standins.kept import kept
from ribalta.standins.sound import speech
from ribalta.standins.sound.speech import COUNT, RATE, Sound, speeches
from ribalta.workers.crew import Crew

PACKET = 960
PORT = 5004
LOOKS_S = 0.2
HOUR_S = 3600.0
BLEED_DB, FLOOR_DB = (-24.0, -36.0), -64.0  # of the neighbours to each side, and of the room itself
USUAL_DB, APPLAUSE_DB = -24.0, -32.0  # of what is spoken from a script that is given


@dataclass(frozen=True)
class Turn:
    """Who speaks (from 0; EVERYBODY claps), from when to when, in seconds since the beginning of the script. Without a
    level (of the mean square, in dBFS) a voice speaks as it was made."""

    voice: int
    start_s: float
    end_s: float
    level_db: float | None = None


EVERYBODY = -1


def script(seed: int, length_s: float) -> tuple[Turn, ...]:
    """Turns of two to seven seconds with short pauses; now and then somebody puts a word in."""
    chance = random.Random(seed)
    turns: list[Turn] = []
    now_s, last = 0.6, -1
    while now_s < length_s:
        voice = chance.choice([v for v in range(COUNT) if v != last])
        end_s = now_s + chance.uniform(2.0, 7.0)
        turns.append(Turn(voice, now_s, end_s))
        if chance.random() < 0.2:
            other = chance.choice([v for v in range(COUNT) if v != voice])
            at_s = chance.uniform(now_s + 0.8, end_s - 0.6)
            turns.append(Turn(other, at_s, at_s + 0.5))
        last, now_s = voice, end_s + chance.uniform(0.15, 0.9)
    return tuple(turns)


@dataclass(frozen=True)
class Script:
    """Who speaks when, and how it is heard: (microphones, voices), and the room's own noise. Repeated if it is told to
    be, else only the room is heard after it."""

    turns: tuple[Turn, ...]
    bleed: Sound
    floor: float
    again_after_s: float = math.inf

    @staticmethod
    def read(told: Mapping[str, Any]) -> "Script":
        """From {"turns": [{"from_s", "to_s", "who": [1], "level_db"} or with "applause" or "silence"], "bleed_db",
        "noise_db", "levels_db": {"1": -24}}. Raises ValueError for what cannot be spoken."""
        turns: list[Turn] = []
        try:
            levels = {int(number): _level(db) for number, db in dict(told.get("levels_db", {})).items()}
            for row in told["turns"]:
                start_s, end_s, level = float(row["from_s"]), float(row["to_s"]), row.get("level_db")
                if row.get("applause"):
                    turns.append(Turn(EVERYBODY, start_s, end_s, _level(APPLAUSE_DB if level is None else level)))
                for number in row.get("who", ()):
                    if not 1 <= int(number) <= COUNT:
                        raise ValueError(f"there are voices 1 to {COUNT}")
                    usual = levels.get(int(number), USUAL_DB)
                    turns.append(Turn(int(number) - 1, start_s, end_s, _level(usual if level is None else level)))
            between = np.full((COUNT, COUNT), _times(_level(told.get("bleed_db", -12.0))))
            floor = _times(_level(told.get("noise_db", FLOOR_DB)))
        except (KeyError, TypeError, OverflowError) as error:
            raise ValueError(f"that is no conversation: {error}") from None
        np.fill_diagonal(between, 1.0)
        return Script(tuple(sorted(turns, key=lambda t: t.start_s)), np.asarray(between, np.float32), floor)


def _level(db: Any) -> float:
    if not -120.0 <= (level := float(db)) <= 0.0:
        raise ValueError(f"a level is between -120 and 0 dB, not {level}")
    return level


def _times(db: float) -> float:
    return float(10 ** (db / 20))


def bleed() -> Sound:
    """(microphones, voices): how loud each voice is in each microphone."""
    found = np.eye(COUNT)
    for k in range(COUNT):
        for away, db in enumerate(BLEED_DB, 1):
            for other in (k - away, k + away):
                if 0 <= other < COUNT:
                    found[k, other] = 10 ** (db / 20)
    return np.asarray(found, np.float32)


class Voices:
    """Sends to an address of loopback until it is closed. Where nobody listens, most of it is only counted: the next
    packet that could be heard comes LOOKS_S later."""

    def __init__(self, host: str, port: int = PORT, seed: int = 1) -> None:
        self._speech = list(kept("speech", (speech,), speeches).values())
        self._loudness = [float(np.sqrt(np.mean(sound**2))) for sound in self._speech]
        self._chance = np.random.default_rng(seed)
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.bind(("127.0.0.1", 0))  # on all addresses it could take a port that a camera wants
        self._socket.connect((host, port))
        self._stopping = threading.Event()
        self.started_s = time.monotonic()
        self._spoken = Script(script(seed, HOUR_S), bleed(), _times(FLOOR_DB), HOUR_S), self.started_s
        self._thread = Crew().worker("voices", self._run)
        self._thread.start()

    def speaking(self, now_s: float) -> tuple[int, ...]:
        """Who speaks at a time (CLOCK_MONOTONIC), from 0."""
        spoken, begun_s = self._spoken
        at_s = (now_s - begun_s) % spoken.again_after_s
        return tuple(sorted({t.voice for t in spoken.turns if t.start_s <= at_s < t.end_s}))

    def speak(self, given: Script) -> float:
        """From now on these, instead of what was spoken until now; when they began (CLOCK_MONOTONIC)."""
        self._spoken = given, time.monotonic()
        return self._spoken[1]

    def close(self) -> None:
        self._stopping.set()
        self._thread.join()
        self._socket.close()

    def _run(self) -> None:
        number = 0
        while not self._stopping.wait(max(0.0, self.started_s + number * PACKET / RATE - time.monotonic())):
            stamp = number * PACKET
            spoken, begun_s = self._spoken
            heard = self._heard(spoken, self.started_s + stamp / RATE - begun_s)
            samples = np.clip(heard * 32767, -32768, 32767).astype(">i2")
            header = struct.pack(">BBHII", 0x80, 96, number & 0xFFFF, stamp & 0xFFFFFFFF, 0x52494241)
            number += 1
            try:
                self._socket.send(header + samples.tobytes())
            except ConnectionRefusedError:  # to the packet before this one: nobody listens
                number += round(LOOKS_S * RATE / PACKET)
            except OSError:  # there is no room: that packet is lost
                continue

    def _heard(self, script: Script, since_s: float) -> Sound:
        """(PACKET, COUNT): what the microphones hear from `since_s` on."""
        own, loud = np.zeros((PACKET, COUNT), np.float32), script.floor
        at_s = max(0.0, since_s) % script.again_after_s
        for turn in script.turns:
            if turn.start_s > at_s + PACKET / RATE:
                break
            if turn.end_s <= at_s:
                continue
            if turn.voice == EVERYBODY:
                loud = math.hypot(loud, _times(turn.level_db or 0.0))
                continue
            begin = int((at_s - turn.start_s) * RATE)
            places = np.arange(begin, begin + PACKET)
            known = (places >= 0) & (places < int((turn.end_s - turn.start_s) * RATE))
            sound = self._speech[turn.voice]
            gain = 1.0 if turn.level_db is None else _times(turn.level_db) / self._loudness[turn.voice]
            own[known, turn.voice] += gain * sound[places[known] % len(sound)]
        noise = self._chance.standard_normal((PACKET, COUNT), np.float32)
        return np.asarray(own @ script.bleed.T + loud * noise, np.float32)
