"""What synthetic voices say. Nobody's voice was sampled.

A voice is a train of pulses (and a breath of noise) through three resonances that glide from vowel to vowel, with an
envelope of syllables.
"""

import numpy as np
from numpy.typing import NDArray

RATE, COUNT = 48000, 8
SPEECH_S = 6.0
TAIL = 2048  # samples after which a throat is quiet
PITCH_HZ = (118.0, 205.0, 132.0, 224.0, 98.0, 186.0, 145.0, 240.0)
VOWELS = ((730, 1090, 2440), (270, 2290, 3010), (300, 870, 2240), (530, 1840, 2480), (570, 840, 2410))
Sound = NDArray[np.float32]


def speeches() -> dict[str, Sound]:
    """What each of the voices says, by its number."""
    return {str(voice): speech(voice) for voice in range(COUNT)}


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
