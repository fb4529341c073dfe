"""A camera of program's own rate is shown frame by frame, and one of another rate is not held up."""

import random

import av
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.frames import RATES
from ribalta.core.show.document.model import PictureKind, PictureSource
from ribalta.media.sources import network_stream
from ribalta.media.sources.network_stream import StreamPicture
from ribalta.media.sources.pace import Pace
from tests.depth import examples

FRAME_S = 0.04
TICKS = 500


def shown(
    seed: int, rate: float, uneven_s: float, phase_s: float, ticks: int = TICKS, frame_s: float = FRAME_S
) -> tuple[list[int], list[float]]:
    """What is shown at frames of program, and how old it is, of frames that come unevenly."""
    chance, pace = random.Random(seed), Pace()
    came = sorted(
        phase_s + k / rate + chance.uniform(0, uneven_s) for k in range(int((1 + ticks * frame_s) * rate) + 2)
    )
    numbers, ages, newest = [], [], 0
    for tick in range(ticks):
        now_s = 1.0 + tick * frame_s
        while newest < len(came) and came[newest] <= now_s:
            newest += 1
        if newest == 0:
            continue
        pace.see(newest, came[newest - 1])
        pace.step(now_s, frame_s)
        numbers.append(pace.number)
        ages.append(now_s - came[pace.number - 1])
    return numbers, ages


@examples(30)
@given(st.integers(0, 10**6), st.floats(0, 0.035), st.floats(0, 0.04))
def test_what_comes_unevenly_is_shown_evenly(seed, uneven_s, phase_s):
    """Of five hundred frames seven came twice and six did not come, on the picture's own count."""
    numbers, ages = shown(seed, 25.0, uneven_s, phase_s)
    steps = np.diff(numbers)
    assert steps.min() >= 0
    assert steps.max() == 1  # none is lost
    assert (steps == 0).sum() <= 2  # while it is found how uneven they are
    assert max(ages) <= 2 * FRAME_S


@pytest.mark.parametrize("drift", [1.001, 0.999])
def test_a_clock_that_runs_away_costs_one_frame_now_and_then(drift):
    numbers, ages = shown(1, 25.0 * drift, 0.01, 0.01, 5000)
    steps = np.diff(numbers)
    assert (steps != 1).sum() <= 8  # five that must be, and some while it is found
    assert max(ages) <= 3 * FRAME_S


@pytest.mark.parametrize(("camera", "program"), [(60.0, "59.94"), (60000 / 1001, "60"), (30.0, "29.97"), (50.0, "50")])
def test_a_camera_that_is_a_thousandth_off_is_shown_frame_by_frame(camera, program):
    frame_s = float(1 / RATES[program])
    numbers, ages = shown(3, camera, 0.004, 0.003, 5000, frame_s)
    steps = np.diff(numbers)
    assert (steps != 1).sum() <= 12  # five that must be, and some while it is found
    assert max(ages) <= 3 * frame_s


@pytest.mark.parametrize("rate", [30.0, 29.97, 50.0, 60.0, 15.0])
def test_another_rate_is_not_held_up(rate):
    numbers, ages = shown(2, rate, 0.005, 0.01)
    assert max(ages[60:]) <= 1 / rate + 0.006
    assert sorted(numbers) == numbers


def test_a_camera_that_leaves_and_comes_back_shows_its_newest_at_once():
    pace = Pace()
    for k in range(1, 40):
        pace.see(k + 1, 0.04 * k)
        pace.step(0.04 * k + 0.001, FRAME_S)
    pace.leave()
    assert pace.number is None
    pace.see(60, 0.04 * 59)
    pace.step(0.04 * 59, FRAME_S)
    assert pace.number == 60
    pace.see(3, 9.0)  # its writer began anew
    pace.step(9.0, FRAME_S)
    assert pace.number == 3


def test_a_stream_on_air_keeps_what_came_early_for_its_turn(monkeypatch):
    class Clock:
        now_s = 10.0

        def monotonic(self) -> float:
            return self.now_s

    monkeypatch.setattr(network_stream, "time", clock := Clock())
    source = StreamPicture(PictureSource(kind=PictureKind.FILE, name=""))  # its thread never starts
    seen = []
    for came in (1, 2, 0, 1, 2, 0, 1, 1, 2, 0):  # two come within one frame of program, and then none
        for _ in range(came):
            level = np.full((16, 16, 3), 100, np.uint8)
            source._keep(av.VideoFrame.from_ndarray(level, format="rgb24"))
        clock.now_s += FRAME_S
        source.step(clock.now_s, FRAME_S)
        seen.append(source.best().number)
    assert list(np.diff(seen)) == [1] * (len(seen) - 1)
    source.step(clock.now_s, None)
    assert source.best().number == source._frame.number
