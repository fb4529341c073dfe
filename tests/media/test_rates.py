"""A recording at each rate that a show may have: each frame in its time, sound where its picture is, right timecode."""

import pytest
from bench.rates import counted_by_another, looked_at, recorded, sound_of, sound_off_s

from ribalta.core.base.frames import RATES
from ribalta.core.sound.levels import RATE
from ribalta.media.outputs.recorder import timecode

MILLISECOND = 0.001


@pytest.mark.parametrize("name", sorted(RATES))
def test_every_frame_is_in_its_time_and_its_sound_beside_it(tmp_path, name):
    rate, path, seconds = RATES[name], tmp_path / "a.mkv", 12
    frames, noise, _ = recorded(path, rate, seconds)
    count, off_s, wrong = looked_at(path, rate)
    assert (count, wrong) == (frames, 0)
    assert off_s <= MILLISECOND / 2 + 1e-9  # the file counts in milliseconds
    heard = sound_of(path)
    for begin in (RATE, (seconds - 2) * RATE):
        assert abs(sound_off_s(heard, noise, begin)) <= MILLISECOND
    other, said = counted_by_another(path)
    assert other == frames
    assert said == pytest.approx(float(rate), abs=0.01)


def test_timecode_is_the_time_of_day():
    for rate in RATES.values():
        said = timecode(rate)
        assert (";" in said) == (rate.denominator != 1)
        assert int(said[-2:]) < round(rate)
