"""A recording at each rate that a show may have: each frame in its time, sound where its picture is, right timecode."""

from fractions import Fraction

import av
import cv2
import numpy as np
import pytest

from ribalta.core.base.frames import RATES, frames_to_s
from ribalta.core.picture.planes import Picture
from ribalta.core.sound.levels import RATE
from ribalta.media.outputs.encoding import Encoding
from ribalta.media.outputs.muxer import Muxer
from ribalta.media.outputs.recorder import OPTIONS, Quality, timecode

SIZE = (64, 36)
BLOCK = RATE // 50
MILLISECOND = 0.001


def recorded(path, rate: Fraction, seconds: int) -> tuple[int, np.ndarray]:
    """A file of pictures whose brightness counts frames, with noise as its sound; how many frames, and the sound."""
    encoding = Encoding("program", SIZE, rate, Quality(10), sound=True)
    line = encoding.open_line()
    file = Muxer(str(path), "matroska", SIZE, rate, encoding.encoder.sound_like, OPTIONS)
    noise = np.random.default_rng(1).normal(0, 0.1, seconds * RATE).astype(np.float32)
    noise = np.convolve(noise, np.ones(6, np.float32) / 3, "same")
    frames, heard = int(seconds * rate), 0
    for tick in range(frames):
        encoding.take(tick, 100 + frames_to_s(tick, rate), Picture.plain(*SIZE, (20 + 7 * (tick % 30), 128, 128)))
        while heard < len(noise) and heard / RATE <= frames_to_s(tick + 1, rate):
            block = noise[heard : heard + BLOCK, None].repeat(2, axis=1)
            encoding.hear(100 + heard / RATE, block)
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
    return frames, noise


def sound_off_s(heard: np.ndarray, noise: np.ndarray, begin: int) -> float:
    """By how much the sound at a sample of the noise comes later than it should."""
    wide, reach = RATE // 2, RATE // 20
    one, other = noise[begin : begin + wide], heard[begin - reach : begin + wide + reach]
    return float(np.argmax(np.correlate(other, one)) - reach) / RATE


@pytest.mark.parametrize("name", sorted(RATES))
def test_every_frame_is_in_its_time_and_its_sound_beside_it(tmp_path, name):
    rate, path, seconds = RATES[name], tmp_path / "a.mkv", 12
    frames, noise = recorded(path, rate, seconds)
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        assert abs(float(stream.average_rate / rate) - 1) < 1e-4
        seen = [(float(f.pts * f.time_base), int(f.to_ndarray()[9, 9])) for f in container.decode(video=0)]
    assert len(seen) == frames
    for tick, (at_s, bright) in enumerate(seen):
        assert abs(at_s - frames_to_s(tick, rate)) <= MILLISECOND / 2 + 1e-9  # the file counts in milliseconds
        assert abs(bright - (20 + 7 * (tick % 30))) <= 3
    with av.open(str(path)) as container:
        parts = [(f.pts * f.time_base, f.to_ndarray()[0]) for f in container.decode(audio=0)]
    heard = np.concatenate([part for _, part in parts])
    if parts[0][0] < 0:
        heard = heard[round(-parts[0][0] * RATE) :]
    for begin in (RATE, (seconds - 2) * RATE):
        assert abs(sound_off_s(heard, noise, begin)) <= MILLISECOND
    reader = cv2.VideoCapture(str(path))  # another reader than wrote it
    assert abs(reader.get(cv2.CAP_PROP_FPS) - float(rate)) < 0.01
    assert sum(1 for _ in iter(lambda: reader.read()[0], False)) == frames
    reader.release()


def test_timecode_is_the_time_of_day():
    for rate in RATES.values():
        said = timecode(rate)
        assert (";" in said) == (rate.denominator != 1)
        assert int(said[-2:]) < round(rate)
