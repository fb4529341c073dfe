"""Timecode at every rate that a show may have."""

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.frames import RATES, samples_before
from ribalta.core.handover.timecodes import caption_time, frames_of, timecode_of

BY_NAME = st.sampled_from(sorted(RATES)).map(RATES.__getitem__)


@pytest.mark.parametrize(
    ("name", "frame", "timecode"),
    [
        ("25", 1500, "00:01:00:00"),
        ("30", 1799, "00:00:59:29"),
        ("29.97", 1799, "00:00:59;29"),  # the numbers of SMPTE 12M: two are dropped in nine minutes of ten
        ("29.97", 1800, "00:01:00;02"),
        ("29.97", 17981, "00:09:59;29"),
        ("29.97", 17982, "00:10:00;00"),
        ("29.97", 107892, "01:00:00;00"),
        ("50", 3600 * 50 + 7, "01:00:00:07"),
        ("59.94", 3599, "00:00:59;59"),
        ("59.94", 3600, "00:01:00;04"),
        ("59.94", 35964, "00:10:00;00"),
        ("60", 3600, "00:01:00:00"),
    ],
)
def test_a_frame_has_the_number_that_the_standard_gives_it(name, frame, timecode):
    assert timecode_of(frame, RATES[name]) == timecode
    assert frames_of(timecode, RATES[name]) == frame


@given(BY_NAME, st.integers(0, 24 * 3600 * 59))
def test_timecode_and_frames_are_the_same_and_keep_the_time_of_day(rate, frame):
    frame %= int(24 * 3600 * rate)
    timecode = timecode_of(frame, rate)
    assert frames_of(timecode, rate) == frame
    hours, minutes, seconds, number = map(int, timecode.replace(";", ":").split(":"))
    said = timedelta(hours=hours, minutes=minutes, seconds=seconds + number / round(rate))
    assert abs(said.total_seconds() - float(frame / rate)) < 0.09  # a day of dropped numbers is right to two frames
    assert timecode_of(frame + 1, rate) > timecode or frame + 1 >= int(24 * 3600 * rate)


@given(BY_NAME, st.integers(0, 10**6))
def test_sound_comes_in_whole_samples_and_never_drifts(rate, frame):
    assert abs(samples_before(frame, rate, 48000) - frame * 48000 / rate) <= 0.5
    step = samples_before(frame + 1, rate, 48000) - samples_before(frame, rate, 48000)
    assert abs(step - 48000 / rate) < 1


def test_captions_are_in_thousandths():
    assert caption_time(30, RATES["29.97"]) == "00:00:01.001"
    assert caption_time(90000, RATES["25"]) == "01:00:00.000"
