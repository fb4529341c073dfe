"""Recordings of ten minutes at every rate that a show may have, made on a clock that is wound by hand: how many frames
are missing, how far their times are from what they should be, and their sound from its picture at the end.

`takes` is how many seconds each is long. Two readers open each: PyAV, and OpenCV's own build of FFmpeg.
"""

import tempfile
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from bench.common.where import steal_percent
from ribalta.core.base.frames import RATES, frames_to_s
from ribalta.core.handover.timecodes import frames_of
from ribalta.core.picture.planes import Picture
from ribalta.core.sound.levels import RATE
from ribalta.media.outputs.encoding import Encoding
from ribalta.media.outputs.muxer import Muxer
from ribalta.media.outputs.recorder import OPTIONS, Quality, timecode

SIZE = (64, 36)
BLOCK = RATE // 50
Sound = NDArray[np.float32]


def bright(tick: int) -> int:
    """How bright a frame is made, so that it is known again."""
    return 20 + 7 * (tick % 30)


def recorded(path: Path, rate: Fraction, seconds: int) -> tuple[int, Sound, str]:
    """How many frames were given, the sound beside them, and the timecode of the first."""
    encoding = Encoding("program", SIZE, rate, Quality(10), sound=True)
    line = encoding.open_line()
    file = Muxer(str(path), "matroska", SIZE, rate, encoding.encoder.sound_like, OPTIONS)
    began = file.container.metadata["timecode"] = timecode(rate)
    noise = np.random.default_rng(1).normal(0, 0.1, seconds * RATE).astype(np.float32)
    noise = np.convolve(noise, np.ones(6, np.float32) / 3, "same")
    frames, heard = int(seconds * rate), 0
    for tick in range(frames):
        encoding.take(tick, 100 + frames_to_s(tick, rate), Picture.plain(*SIZE, (bright(tick), 128, 128)))
        while heard < len(noise) and heard / RATE <= frames_to_s(tick + 1, rate):
            encoding.hear(100 + heard / RATE, noise[heard : heard + BLOCK, None].repeat(2, axis=1))
            heard += BLOCK
        if tick % 20 == 19:
            encoding.turn()
            for packet in line.next(0)[0]:
                file.mux(packet, line.first)
    encoding.close()
    encoding.turn()
    for packet in line.next(0)[0]:
        file.mux(packet, line.first)
    file.close()
    return frames, noise, began


def sound_of(path: Path) -> Sound:
    """What is heard from the first frame on, one channel."""
    with av.open(str(path)) as container:
        parts = [(frame.pts * frame.time_base, frame.to_ndarray()[0]) for frame in container.decode(audio=0)]
    whole = np.concatenate([part for _, part in parts])
    return np.asarray(whole[max(0, round(-parts[0][0] * RATE)) :], np.float32)


def sound_off_s(heard: Sound, noise: Sound, begin: int) -> float:
    """By how much the sound at a sample of the noise comes later than it should."""
    wide, reach = RATE // 2, RATE // 20
    one, other = noise[begin : begin + wide], heard[begin - reach : begin + wide + reach]
    return float(np.argmax(np.correlate(other, one)) - reach) / RATE


def looked_at(path: Path, rate: Fraction) -> tuple[int, float, int]:
    """How many frames there are, how far the worst time is off (s), and how many are not the picture of their place."""
    with av.open(str(path)) as container:
        seen = [(float(f.pts * f.time_base), int(f.to_ndarray()[9, 9])) for f in container.decode(video=0)]
    off_s = max(abs(at_s - frames_to_s(tick, rate)) for tick, (at_s, _) in enumerate(seen))
    wrong = sum(abs(level - bright(tick)) > 3 for tick, (_, level) in enumerate(seen))
    return len(seen), off_s, wrong


def counted_by_another(path: Path) -> tuple[int, float]:
    """Frames, and their rate, by a reader that is not the one that wrote it."""
    reader = cv2.VideoCapture(str(path))
    rate, count = reader.get(cv2.CAP_PROP_FPS), sum(1 for _ in iter(lambda: reader.read()[0], False))
    reader.release()
    return count, rate


def run(seconds: int) -> dict[str, object]:
    steal, result = steal_percent(), dict[str, object]()
    with tempfile.TemporaryDirectory(prefix="ribalta-rates-") as folder:
        for name, rate in RATES.items():
            path = Path(folder) / f"{name}.mkv"
            frames, noise, began = recorded(path, rate, seconds)
            count, off_s, wrong = looked_at(path, rate)
            other, said = counted_by_another(path)
            sound_s = sound_off_s(sound_of(path), noise, (seconds - 2) * RATE)
            with av.open(str(path)) as container:
                tag = {key.lower(): value for key, value in container.metadata.items()}["timecode"]
            result[name] = (
                f"{frames} frames, {frames - count} and {frames - other} missing, {wrong} wrong, "
                f"times {1000 * off_s:.2f} ms off, sound {1000 * sound_s:.2f} ms, rate {said:.3f}, "
                f"timecode {tag} {'kept' if frames_of(tag, rate) == frames_of(began, rate) else 'lost'}"
            )
            path.unlink()
    return {**result, "steal_percent": steal()}
