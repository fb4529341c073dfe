"""The loudness of tones against the filter that ITU-R BS.1770-4 prints, at 48 kHz."""

import cmath
import math

import numpy as np
import pytest

from ribalta.core.sound.blocks import BLOCK
from ribalta.core.sound.levels import RATE
from ribalta.media.sound.loudness import SILENT_LUFS, Loudness

WEIGHTING = (
    ((1.53512485958697, -2.69169618940638, 1.19839281085285), (1.0, -1.69065929318241, 0.73248077421585)),
    ((1.0, -2.0, 1.0), (1.0, -1.99004745483398, 0.99007225036621)),
)


def weighted_db(hz: float) -> float:
    back = cmath.exp(-2j * math.pi * hz / RATE)
    parts = (sum(c * back**k for k, c in enumerate(part)) for filter_ in WEIGHTING for part in filter_)
    above, below, above_2, below_2 = parts
    return 20 * math.log10(abs(above * above_2 / (below * below_2)))


@pytest.mark.parametrize("hz", [40, 100, 1000, 4000, 12_000])
@pytest.mark.parametrize("peak_db", [-6.0, -23.0, -45.0])
def test_a_tone_is_as_loud_as_the_standard_says_for_three_seconds(hz, peak_db):
    meter = Loudness()
    meter.feed(np.full((BLOCK, 2), np.nan, np.float32))  # a clip that is damaged
    tone = 10 ** (peak_db / 20) * np.sin(2 * np.pi * hz * np.arange(4 * RATE) / RATE)
    for block in np.repeat(tone[:, None], 2, axis=1).astype(np.float32).reshape(-1, BLOCK, 2):
        meter.feed(block)
    assert meter.lufs == pytest.approx(-0.691 + peak_db + weighted_db(hz), abs=0.05)
    for _ in range(RATE // BLOCK * 33 // 10):
        meter.feed(np.zeros((BLOCK, 2), np.float32))
    assert meter.lufs == SILENT_LUFS
