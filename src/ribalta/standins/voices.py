"""Eight microphones: synthetic voices that speak in turns, heard in each other's microphones too.

A voice is a train of pulses (and a breath of noise) through three resonances that glide from vowel to vowel, with an
envelope of syllables. Nobody's voice was sampled. What each says is made once; who speaks when is a script that is the
same for the same seed. Sent as RTP (L16, 48 kHz, eight channels, 20 ms a packet; RFC 3550 and 3551).
"""

import contextlib
import random
import socket
import struct
import threading
import time
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

RATE, PACKET = 48000, 960
COUNT = 8
PORT = 5004
SPEECH_S = 6.0
TAIL = 2048  # samples after which a throat is quiet
BLEED_DB, FLOOR_DB = (-24.0, -36.0), -64.0  # of the neighbours to each side, and of the room itself
PITCH_HZ = (118.0, 205.0, 132.0, 224.0, 98.0, 186.0, 145.0, 240.0)
VOWELS = ((730, 1090, 2440), (270, 2290, 3010), (300, 870, 2240), (530, 1840, 2480), (570, 840, 2410))
Sound = NDArray[np.float32]


@dataclass(frozen=True)
class Turn:
    """Who speaks (from 0), from when to when, in seconds since the beginning of the script."""

    voice: int
    start_s: float
    end_s: float


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


def speech(voice: int, seconds: float = SPEECH_S) -> Sound:
    """What a voice has to say; it can be repeated. Peaks at about -6 dBFS."""
    chance = np.random.default_rng(100 + voice)
    count = int(seconds * RATE)
    at = np.arange(count) / RATE
    pitch = PITCH_HZ[voice] * (1 + 0.09 * np.sin(2 * np.pi * 0.7 * at + voice) + 0.03 * np.sin(2 * np.pi * 5.1 * at))
    turned = np.cumsum(pitch) / RATE
    pulses = 2.0 * (turned % 1.0) ** 3 - 0.5
    source = pulses + 0.05 * chance.standard_normal(count)
    syllable = int(RATE * (0.17 + 0.02 * (voice % 3)))
    out = np.zeros(count + TAIL)
    order = chance.integers(0, len(VOWELS), count // syllable + 1)
    stretch = 1.0 if PITCH_HZ[voice] < 170 else 1.16  # a shorter throat
    size = 1 << (syllable + TAIL).bit_length()
    throats = [np.fft.rfft(_ringing([hz * stretch for hz in vowel]), size) for vowel in VOWELS]
    for k, start in enumerate(range(0, count, syllable)):
        part = source[start : start + syllable]
        found = np.fft.irfft(np.fft.rfft(part, size) * throats[order[k]], size)
        out[start : start + len(part) + TAIL] += found[: len(part) + TAIL]
    out = out[:count]
    beat = np.abs(np.sin(np.pi * np.arange(count) / syllable)) ** 0.6
    words = np.repeat(chance.random(count // (4 * syllable) + 2) > 0.15, 4 * syllable)[:count]
    summed = np.cumsum(np.pad(words, (480, 480), "edge"), dtype=float)
    out *= beat * (summed[960:] - summed[:-960]) / 960
    edge = RATE // 50
    out[:edge] *= np.linspace(0, 1, edge)
    out[-edge:] *= np.linspace(1, 0, edge)
    return np.asarray(0.5 * out / np.abs(out).max(), np.float32)


def _ringing(formants_hz: list[float]) -> NDArray[np.float64]:
    """How a throat rings after one pulse: two poles for each formant (Klatt 1980), TAIL samples."""
    at, ring = np.arange(TAIL), np.zeros(TAIL)
    for n, hz in enumerate(formants_hz):
        r, turn = np.exp(-np.pi * (70 + 30 * n) / RATE), 2 * np.pi * hz / RATE
        ring += (1 - r) * r**at * np.sin(turn * (at + 1)) / np.sin(turn) / (1 + n)
    return ring


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
    """Sends to an address of loopback until it is closed, whether anybody listens or not."""

    def __init__(self, host: str, port: int = PORT, seed: int = 1) -> None:
        self._to = (host, port)
        self._turns = script(seed, 3600.0)
        self._speech = [speech(voice) for voice in range(COUNT)]
        self._bleed = bleed()
        self._chance = np.random.default_rng(seed)
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.bind(("127.0.0.1", 0))  # on all addresses it could take a port that a camera wants
        self._stopping = threading.Event()
        self.started_s = time.monotonic()
        self._thread = threading.Thread(target=self._run, name="voices", daemon=True)
        self._thread.start()

    def speaking(self, now_s: float) -> tuple[int, ...]:
        """Who speaks at a time (CLOCK_MONOTONIC), from 0."""
        at_s = (now_s - self.started_s) % 3600.0
        return tuple(sorted({t.voice for t in self._turns if t.start_s <= at_s < t.end_s}))

    def close(self) -> None:
        self._stopping.set()
        self._thread.join()
        self._socket.close()

    def _run(self) -> None:
        number, stamp = 0, 0
        floor = np.float32(10 ** (FLOOR_DB / 20))
        while not self._stopping.wait(max(0.0, self.started_s + stamp / RATE - time.monotonic())):
            own = self._said(stamp)
            heard = own @ self._bleed.T + floor * self._chance.standard_normal((PACKET, COUNT), np.float32)
            samples = np.clip(heard * 32767, -32768, 32767).astype(">i2")
            header = struct.pack(">BBHII", 0x80, 96, number & 0xFFFF, stamp & 0xFFFFFFFF, 0x52494241)
            with contextlib.suppress(OSError):  # nobody listens, or there is no room: that packet is lost
                self._socket.sendto(header + samples.tobytes(), self._to)
            number, stamp = number + 1, stamp + PACKET

    def _said(self, stamp: int) -> Sound:
        """(PACKET, COUNT): each voice by itself."""
        out = np.zeros((PACKET, COUNT), np.float32)
        at_s = (stamp / RATE) % 3600.0
        for turn in self._turns:
            if turn.start_s > at_s + PACKET / RATE:
                break
            if turn.end_s > at_s:
                begin = int((at_s - turn.start_s) * RATE)
                places = np.arange(begin, begin + PACKET)
                known = (places >= 0) & (places < int((turn.end_s - turn.start_s) * RATE))
                sound = self._speech[turn.voice]
                out[known, turn.voice] += sound[places[known] % len(sound)]
        return out
