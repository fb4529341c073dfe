"""Measuring a camera: what is learned is how it really is, though nothing of that is known to the desk."""

import random

import numpy as np
import pytest

from ribalta.core.base.aim import Aim
from ribalta.core.engine.program.landing import NEVER_S, set_at_s
from ribalta.core.motion.learning import AxisMove, Timed, errors, fit_axis, profile, settled
from ribalta.core.motion.travel import AxisMotion, HeadMotion
from ribalta.core.optics.lens import Lens
from ribalta.core.picture.registration import grey, shift_between
from ribalta.core.ports.messages import Contact
from ribalta.core.ports.shots import Shot
from ribalta.core.survey.field_of_view import fit_hfov
from ribalta.core.survey.measuring import Failed, Measuring
from ribalta.core.survey.surveyor import Stopped
from ribalta.standins.cameras import BUILDS
from tests.survey.wound import World, seen


def test_after_measuring_the_seconds_and_the_angles_are_right():
    """Of the one that hangs upside down; `bench travel` says the same of all four."""
    number = 4
    world, name = World(number), f"c{number}"
    before = world.state.live(name).aim
    start_s = world.now_s()
    result = Measuring(world, name).run()
    assert world.now_s() - start_s < 100
    world.act(
        "camera.learn",
        camera=number,
        head=result.head.model_dump(),
        zoom_table=result.zoom_table,
        delay_s=result.delay_s,
        measured=result.measured.model_dump(),
    )
    lens, build = Lens.of(result.zoom_table), BUILDS[number - 1]
    for k in range(41):
        assert lens.hfov_deg(k / 40) == pytest.approx(build.hfov_deg(k / 40), rel=0.01)
    assert result.delay_s == pytest.approx(build.picture_delay_s + 0.04, abs=0.02)
    assert result.head.pan.speed == pytest.approx(build.pan.speed, rel=0.06)
    assert result.head.zoom.speed == pytest.approx(build.zoom.speed, rel=0.06)
    world.wait(5)
    assert abs(world.state.live(name).aim.pan_deg - before.pan_deg) < 0.02  # it was brought back
    assert world.shares == sorted(world.shares)
    off_s, off_share = fresh_moves(world, number, 50)
    assert np.median(off_share) <= 0.04
    assert np.percentile(off_s, 95) <= 0.150
    assert result.measured.p95_error_ms < 150


def fresh_moves(world: World, number: int, count: int) -> tuple[list[float], list[float]]:
    rng, name, off_s, off_share = random.Random(number), f"c{number}", [], []
    for _ in range(count):
        goal = {"pan_deg": rng.uniform(-100, 100), "tilt_deg": rng.uniform(-20, 40), "zoom": rng.uniform(0, 1)}
        asked_s = world.now_s()
        world.act("camera.aim", camera=number, **goal)
        predicted_s = world.state.live(name).asked_travel_s
        shot = Shot(name)

        def there(state, asked_s=asked_s, shot=shot):
            return state.live(name).sampled_s > asked_s + 0.15 and set_at_s(state, shot) < NEVER_S

        assert world.wait(20, there)
        actual_s = set_at_s(world.state, shot) - asked_s
        off_s.append(abs(predicted_s - actual_s))
        off_share.append(abs(predicted_s - actual_s) / actual_s)
        world.wait(rng.uniform(0.1, 0.5))
    return off_s, off_share


def test_a_stuck_axis_a_lost_camera_and_one_on_air_end_it_with_a_sentence_and_bring_it_back():
    world = World(1)
    world.lines["c1"].body.head.stuck = "tilt"
    with pytest.raises(Failed, match=r"did not get to pan .*: is something in its way, or an axis stuck\?"):
        Measuring(world, "c1").run()
    world.lines["c1"].body.head.stuck = ""
    world.engine.report(Contact("c1", False), world.now_s())
    with pytest.raises(Failed, match="Camera 1 does not answer: check it first"):
        Measuring(world, "c1").run()
    world.act("ready.camera", camera=1)
    with pytest.raises(Failed, match="Camera 1 is on air or Next"):
        Measuring(world, "c1").run()
    world.act("ready.camera", camera=5)
    world.act("take")
    world.act("ready.camera", camera=1)
    world.wait(0.1)
    with pytest.raises(Failed, match="The camera was removed"):
        Measuring(world, "c9").run()


def test_a_camera_that_is_lost_for_a_moment_is_waited_for_and_its_move_tells_nothing():
    world = World(4)
    tell, silenced = world.tell, []

    def unplug(share, sentence, *findings):
        tell(share, sentence, *findings)
        if sentence in ("Timing move 6 of 15", "Fresh move 3 of 8") and sentence not in silenced:
            silenced.append(sentence)
            world.fault(4, silence=True)
            world.wait(1.6)
            world.fault(4, silence=False)

    world.tell = unplug
    result = Measuring(world, "c4").run()
    assert len(silenced) == 2
    assert result.head.pan.speed == pytest.approx(BUILDS[3].pan.speed, rel=0.06)
    assert result.measured.p95_error_ms < 150


def test_it_can_be_stopped_and_then_goes_back_to_where_it_was():
    world = World(2)
    world.stop_at = 0.2
    with pytest.raises(Stopped):
        Measuring(world, "c2").run()
    world.stop_at = 2.0
    world.wait(5)
    aim = world.state.live("c2").aim
    assert abs(aim.pan_deg) < 0.02
    assert world.state.show.camera("c2").measured is None


# The pieces by themselves


def test_an_axis_is_fitted_although_some_reports_lie():
    true, rng = AxisMotion(62.0, 140.0), np.random.default_rng(1)
    moves = []
    for start, end in ((0, 4), (4, -10), (-10, 30), (30, -60), (-60, 70)):
        times = np.arange(0, 3, 0.05)
        way = end - start
        values = start + way * profile(times, abs(way), true.speed, true.acceleration, 0.07)
        values = values + rng.normal(0, 0.01, len(times))
        values[rng.integers(0, len(times), 3)] += rng.uniform(-20, 20, 3)
        moves.append(AxisMove(times, values, start, end))
    found, late_s, _ = fit_axis(moves, AxisMotion(90.0, 60.0), 0.02)
    assert found.speed == pytest.approx(62.0, rel=0.02)
    assert found.acceleration == pytest.approx(140.0, rel=0.06)
    assert late_s == pytest.approx(0.07, abs=0.01)
    with pytest.raises(ValueError, match="too few positions"):
        fit_axis(moves[:1], true, 0.0)


def test_an_axis_that_never_reached_its_full_speed_is_not_said_to_be_endlessly_fast():
    times = np.arange(0, 1, 0.02)
    moves = [AxisMove(times, w * profile(times, abs(w), 62.0, 140.0, 0.05), 0.0, w) for w in (3.0, -2.0, 4.0)]
    found, _, _ = fit_axis(moves, AxisMotion(80.0, 100.0), 0.05)
    assert found.speed < 120


def test_settling_is_learned_as_a_constant_and_a_part_that_goes_with_the_zoom():
    true, rng = HeadMotion(settle_s=0.1, tele_settle_s=0.25), random.Random(2)
    moves = []
    for _ in range(30):
        start, end = (Aim(rng.uniform(-90, 90), rng.uniform(-20, 40), rng.random()) for _ in range(2))
        moves.append(Timed(start, end, true.travel_s(start, end) + rng.gauss(0, 0.01)))
    moves[4] = Timed(moves[4].start, moves[4].end, moves[4].actual_s + 3)
    found = settled(HeadMotion(), moves)
    assert (found.settle_s, found.tele_settle_s) == (pytest.approx(0.1, abs=0.03), pytest.approx(0.25, abs=0.04))
    median, p95_s = errors(found, moves[5:])
    assert median < 0.02
    assert p95_s < 0.05


@pytest.mark.parametrize("shift", [(0.0, 0.0), (0.3, -0.7), (12.45, 3.1), (-40.2, 17.6)])
def test_a_shift_is_found_to_a_tenth_of_a_pixel_through_noise_and_a_change_of_light(shift):
    rng = np.random.default_rng(7)
    big = seen(Aim(0, 0, 0), 40.0, False)
    wide = np.fft.fft2(big)
    fy, fx = np.fft.fftfreq(big.shape[0])[:, None], np.fft.fftfreq(big.shape[1])[None, :]
    moved = np.fft.ifft2(wide * np.exp(-2j * np.pi * (fx * shift[0] + fy * shift[1]))).real.astype(np.float32)
    first = big + rng.normal(0, 0.01, big.shape).astype(np.float32)
    second = 0.7 * moved + 0.1 + rng.normal(0, 0.01, big.shape).astype(np.float32)
    found = shift_between(first, second)
    assert (found.right, found.down) == (pytest.approx(shift[0], abs=0.1), pytest.approx(shift[1], abs=0.1))
    assert found.sure > 0.05
    noise = rng.random(big.shape).astype(np.float32)
    assert shift_between(first, noise).sure < 0.05
    with pytest.raises(ValueError, match="different sizes"):
        shift_between(first, noise[:100])


@pytest.mark.parametrize("hung", [False, True])
@pytest.mark.parametrize("hfov", [63.0, 20.0, 4.5])
def test_field_of_view_from_one_known_turn_and_a_poor_guess(hfov, hung):
    before, after = Aim(5.0, 12.0, 0.3), Aim(5.0 + 0.12 * hfov, 12.0, 0.3)
    pictures = (seen(before, hfov, hung), seen(after, hfov, hung))
    assert fit_hfov(*pictures, before, after, hung, 1.12 * hfov) == pytest.approx(hfov, rel=0.005)
    flat = np.full_like(pictures[0], 0.5)
    assert fit_hfov(flat, flat, before, after, hung, hfov) is None


def test_a_picture_of_any_size_becomes_a_grey_one():
    pixels = np.zeros((720, 1280, 4), np.uint8)
    pixels[:, 640:] = (0, 255, 0, 255)
    for source in (pixels, pixels[:, :1000], pixels[::8, ::8]):
        made = grey(np.ascontiguousarray(source))
        assert made.shape == (270, 480)
        assert (made[100, 5], made[100, -5]) == (0.0, pytest.approx(0.7152, abs=0.01))
