"""Re-levelling: from what framings show after a knock to what the knock was, and to aims that undo it."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.aim import Aim, AimLimits
from ribalta.core.optics.bump import Bump, Offset, bumped_pose, corrected, solve_bump
from ribalta.core.optics.projection import Pose
from ribalta.standins.hall.view import Mount, View
from tests.depth import examples

AIMS = ((10.0, -5.0, 20.0), (-40.0, -10.0, 8.0), (60.0, 5.0, 40.0), (0.0, -20.0, 12.0))
SMALL = st.floats(-4, 4)


def mounts(hung: bool, pan: float, tilt: float, roll: float) -> tuple[Mount, Mount]:
    sign = -1 if hung else 1
    return Mount(1, 2, 3, 30, 0, hung), Mount(1, 2, 3, 30 + sign * pan, tilt, hung, roll)


def measured(before: Mount, after: Mount, pan: float, tilt: float, hfov: float) -> tuple[float, float, float]:
    """By the stand-ins' own projection: right and down in % of the width, and the turn."""
    one, other = (View(mount, pan, tilt, hfov, 1280, 720) for mount in (before, after))
    matrix = one.homography_to(other)
    middle, top = (matrix @ [640, y, 1] for y in (360, 359))
    at, above = middle[:2] / middle[2], top[:2] / top[2]
    return (at[0] - 640) / 12.8, (at[1] - 360) / 12.8, math.degrees(math.atan2(above[0] - at[0], at[1] - above[1]))


def offsets(before: Mount, after: Mount, noise: float = 0.0) -> list[Offset]:
    made = []
    for k, (pan, tilt, hfov) in enumerate(AIMS):
        right, down, turn = measured(before, after, pan, tilt, hfov)
        aim = Aim(pan, tilt, 0)
        made.append(Offset(f"View {k}", aim, aim, hfov, right + noise * (-1) ** k, down + noise, turn))
    return made


@examples(15)
@given(SMALL, SMALL, st.floats(-2, 2), st.booleans())
def test_after_relevelling_every_framing_shows_what_it_did(pan, tilt, roll, hung):
    before, after = mounts(hung, pan, tilt, roll)
    bump = solve_bump(offsets(before, after, 0.05), hung)
    assert not bump.disagree
    for pan_deg, tilt_deg, hfov in AIMS:
        reached = corrected(Aim(pan_deg, tilt_deg, 0), bump, AimLimits(), hung)
        if reached.limits_met:
            continue
        one = View(before, pan_deg, tilt_deg, hfov, 1280, 720)
        other = View(after, reached.aim.pan_deg, reached.aim.tilt_deg, hfov, 1280, 720)
        seen = one.homography_to(other) @ [640, 360, 1]
        assert math.hypot(*(seen[:2] / seen[2] - [640, 360])) / 12.8 < 1.0


@pytest.mark.parametrize("hung", [False, True])
def test_the_pose_after_a_bump_is_the_one_that_the_mount_has(hung):
    before, after = mounts(hung, 3.0, 1.5, 1.0)
    bump = solve_bump(offsets(before, after), hung)
    pose = bumped_pose(Pose(1, 2, 3, 30, 0, 0, hung), bump)
    assert pose.heading_deg == pytest.approx(after.heading_deg, abs=0.02)
    assert (pose.tilt_deg, pose.roll_deg) == (pytest.approx(1.5, abs=0.02), pytest.approx(1.0, abs=0.02))
    assert bump.words(hung).startswith("3.0°")


def test_a_framing_that_disagrees_is_named_and_does_not_drag_the_answer():
    before, after = mounts(False, 2.0, 0.0, 0.0)
    some = offsets(before, after)
    odd = some[1]
    some[1] = Offset("Odd", odd.aim, odd.looked, odd.hfov_deg, odd.right_percent + 12, odd.down_percent, odd.turn_deg)
    bump = solve_bump(some, False)
    assert bump.disagree == ("Odd",)
    assert bump.turn_deg[2] == pytest.approx(-2.0, abs=0.1)


def test_a_push_is_told_from_a_turn_when_the_marks_distances_are_known():
    after = Mount(0.12, 0, 1.5)
    some = []
    for k, (x, y) in enumerate(((-2.0, 4.0), (1.5, 3.0), (0.0, 8.0), (3.0, 6.0))):
        pan, away = math.degrees(math.atan2(x, y)), math.hypot(x, y)
        aim = Aim(pan, 0.0, 0.0)
        view = View(after, pan, 0.0, 20.0, 1280, 720)
        seen = view.flat(view.local(np.array([x, y, 1.5])))
        some.append(Offset(str(k), aim, aim, 20.0, (seen[0] - 640) / 12.8, (seen[1] - 360) / 12.8, 0.0, away))
    bump = solve_bump(some, False)
    assert bump.shift_m[0] == pytest.approx(0.12, abs=0.03)
    assert bump.size_deg < 0.3
    assert "pushed" in bump.words(False)


def test_one_framing_is_too_few_and_no_bump_is_said_to_be_none():
    before, after = mounts(False, 1, 0, 0)
    with pytest.raises(ValueError, match="two"):
        solve_bump(offsets(before, after)[:1], False)
    assert Bump((0, 0, 0), (0, 0, 0), (), ()).words(False) == "not at all"
