"""Levels, limiter and strips in numbers, and which microphones are open when."""

import numpy as np
import pytest

from ribalta.core.engine.program.open_microphones import channels, is_open, with_strips
from ribalta.core.show.document.sound import Microphone
from ribalta.core.sound.levels import RATE, SILENCE_DB, Meters, dbfs, gain_of
from ribalta.core.sound.limiter import AHEAD, CEILING, Limiter
from ribalta.core.sound.mixing import Strips
from tests.core.hand_wound import Hall, small_show

BLOCK = 960


def sine(db: float, seconds: float, hz: float = 1000.0) -> np.ndarray:
    return (gain_of(db) * np.sin(2 * np.pi * hz * np.arange(int(seconds * RATE)) / RATE)).astype(np.float32)


def blocks(sound: np.ndarray):
    return (sound[k : k + BLOCK] for k in range(0, len(sound), BLOCK))


@pytest.mark.parametrize("db", [0.0, -6.0, -20.0, -50.0])
def test_a_sine_reads_its_peak_and_three_less_as_rms(db):
    meter = Meters(2)
    for block in blocks(sine(db, 2.0)):
        level, half = meter.feed(np.stack([block, block / 2]))
    assert half.rms_db == pytest.approx(level.rms_db - 6.02, abs=0.01)
    assert level.rms_db == pytest.approx(db - 3.01, abs=0.1)
    assert level.peak_db == level.hold_db == pytest.approx(db, abs=0.05)


def test_a_peak_is_held_and_falls_and_silence_is_silence():
    meter, nothing = Meters(1), np.zeros((1, BLOCK), np.float32)
    assert meter.feed(nothing)[0].silent
    meter.feed(sine(-10, 0.02)[None])
    for _ in range(40):
        (level,) = meter.feed(nothing)
    assert level.hold_db == pytest.approx(-10, abs=0.1)
    assert level.peak_db < -25
    for _ in range(60):
        (level,) = meter.feed(nothing)
    assert level.silent
    assert level.rms_db < -40
    assert dbfs(0) == SILENCE_DB
    assert gain_of(SILENCE_DB) == 0


def test_nothing_passes_the_ceiling_and_what_is_below_passes_unchanged():
    chance = np.random.default_rng(3)
    for _ in range(5):
        limiter, sound = Limiter(1), chance.normal(0, 0.1, (RATE, 1)).astype(np.float32)
        sound[chance.integers(0, RATE, 9)] += chance.uniform(-4, 4, (9, 1)).astype(np.float32)
        out = np.concatenate([limiter.run(block) for block in blocks(sound)])
        assert np.abs(out).max() <= CEILING + 1e-5
    quiet, limiter = sine(-12, 0.4)[:, None], Limiter(1)
    out = np.concatenate([limiter.run(block) for block in blocks(quiet)])
    assert np.array_equal(out[AHEAD:], quiet[:-AHEAD])
    assert limiter.reduced_db == 0


def test_a_strip_moves_its_gain_without_a_click_and_delays_by_samples():
    strips, ones = Strips(2, BLOCK), np.ones((2, BLOCK), np.float32)
    only, fades, none = np.array([1.0, 0.0], np.float32), np.full(2, 0.1, np.float32), np.zeros(2, np.float32)
    first = strips.run(ones, only, fades, none)
    assert np.abs(np.diff(first)).max() < 2e-3
    assert strips.gains[0] == pytest.approx(0.2)
    for _ in range(5):
        strips.run(ones, only, fades, none)
    assert strips.gains.tolist() == [1.0, 0.0]
    for _ in range(3):
        strips.run(0 * ones, only, fades, none)
    click = np.zeros((2, BLOCK), np.float32)
    click[:, 10] = 1.0
    late = np.array([0.03, 0.0], np.float32)
    heard = [strips.run(part, only, fades, late) for part in (click, 0 * click, 0 * click)]
    assert int(np.argmax(np.concatenate(heard))) == 10 + int(0.03 * RATE)


@pytest.fixture
def hall() -> Hall:
    mics = (
        Microphone(id="q1", number=1, name="Host", gain_db=-6),
        Microphone(id="q2", number=2, name="Guest", follows=True, camera_ids=("c2",)),
        Microphone(id="q3", number=3, name="Third", muted=True),
    )
    return Hall(small_show().model_copy(update={"microphones": mics}))


def open_now(hall: Hall) -> list[int]:
    return [m.number for m in hall.state.show.microphones if is_open(hall.state, m)]


def test_a_microphone_that_follows_the_picture_opens_with_its_camera(hall):
    assert open_now(hall) == [1]
    hall.press("2", "W")
    hall.turn(5)
    hall.press("Shift+Space")
    assert open_now(hall) == [1, 2]
    hall.turn(2)
    hall.press("4", "Space")
    assert open_now(hall) == [1]


def test_faders_are_no_edits_but_are_saved_as_they_stand(hall):
    hall.act("mic.gain", mic=1, by=-4)
    hall.act("mic.mute", mic=3, on=False)
    hall.act("mic.gain", mic=2, db=-60)
    hall.act("mic.solo", mic=2)
    assert hall.state.edits.undo == ()
    assert hall.state.edits.count > 0
    rows = {c.id: c for c in channels(hall.state)}
    assert rows["q1"].gain == pytest.approx(gain_of(-10))
    assert rows["q2"].own == 0
    assert rows["q2"].solo
    saved = with_strips(hall.state)
    assert [(m.gain_db, m.muted) for m in saved.microphones] == [(-10, False), (-60, False), (0, False)]


def test_a_scene_opens_the_microphones_it_was_stored_with(hall):
    hall.act("scene.store", scene=1)
    hall.act("scene.sound", scene=1, own=True)
    hall.act("mic.mute", mic=1)
    hall.act("mic.mute", mic=3)
    hall.press("0", "Q", "Space")
    assert open_now(hall) == [1]
    hall.act("mic.gain", mic=9, by=1)
    assert "no microphone 9" in hall.sentences[-1]
    hall.act("mic.add", name="Add")
    hall.act("mic.change", mic=4, cameras=[1], follows=True)
    hall.act("mic.remove", mic=4)
    hall.press("Ctrl+Z")
    assert hall.state.show.microphones[3].camera_ids == ("c1",)
