"""Optics: what a pixel shows, and where to turn to centre it."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.aim import Aim, AimLimits
from ribalta.core.optics.lens import Lens
from ribalta.core.optics.projection import (
    HD,
    Pose,
    centre_on,
    fill_with,
    mount_to_world,
    offset_percent,
    pan_tilt_to_pixel,
    pixel_to_pan_tilt,
    point_to_pan_tilt,
    view_to_mount,
)

LENS = Lens.of(((0, 63.7), (0.5, 20.0), (1, 3.3)))
EVERYWHERE = AimLimits(-400, 400, -90, 90)
aims = st.builds(Aim, st.floats(-170, 170), st.floats(-80, 80), st.floats(0, 1))
pixels = st.tuples(st.floats(0, 1280), st.floats(0, 720))


@given(aims, pixels, st.booleans())
def test_a_pixel_comes_back_to_itself(aim, pixel, hung):
    pan, tilt = pixel_to_pan_tilt(*pixel, aim, LENS, hung)
    back = pan_tilt_to_pixel(pan, tilt, aim, LENS, hung)
    assert back is not None
    assert math.dist(back, pixel) < 0.01


@given(aims, pixels, st.booleans(), st.floats(-180, 180), st.floats(-20, 20), st.floats(-20, 20))
def test_a_pixel_comes_back_through_the_room_whatever_the_mount(aim, pixel, hung, heading, tilt, roll):
    pose = Pose(1.0, -2.0, 3.0, heading, tilt, roll, hung)
    pan, lift = pixel_to_pan_tilt(*pixel, aim, LENS, hung)
    ray = mount_to_world(pose) @ view_to_mount(Aim(pan, lift, 0), hung) @ np.array([0.0, 1.0, 0.0])
    point = np.array([pose.x_m, pose.y_m, pose.z_m]) + 7.5 * ray
    back = pan_tilt_to_pixel(*point_to_pan_tilt(pose, *point), aim, LENS, hung)
    assert back is not None
    assert math.dist(back, pixel) < 0.01


@given(aims, pixels, st.booleans())
def test_centring_a_pixel_brings_what_it_showed_to_the_centre(aim, pixel, hung):
    shown = pixel_to_pan_tilt(*pixel, aim, LENS, hung)
    reached = centre_on(*pixel, aim, LENS, EVERYWHERE, hung)
    assert reached.limits_met == ()
    there = pan_tilt_to_pixel(*shown, reached.aim, LENS, hung)
    assert there is not None
    assert math.dist(there, (640, 360)) < 0.01


@given(st.floats(-60, 60), st.floats(-60, 60), st.booleans(), st.floats(100, 500), st.floats(80, 300))
def test_a_box_fills_the_frame_and_none_of_it_is_lost(pan, tilt, hung, left, top):
    aim, box = Aim(pan, tilt, 0.1), (left, top, left + 400, top + 225)
    reached = fill_with(box, aim, LENS, EVERYWHERE, hung)
    corners = [pixel_to_pan_tilt(u, v, aim, LENS, hung) for u in box[::2] for v in box[1::2]]
    seen = np.array([pan_tilt_to_pixel(*c, reached.aim, LENS, hung) for c in corners])
    assert (seen >= -0.5).all()
    assert (seen <= [HD.width + 0.5, HD.height + 0.5]).all()
    extent = seen.max(axis=0) - seen.min(axis=0)
    assert extent[0] > HD.width - 1 or extent[1] > HD.height - 1


def test_in_the_picture_of_a_hung_camera_right_is_still_right():
    pose = Pose(0, 0, 4, 0, 0, 0, hung=True)
    pan, tilt = point_to_pan_tilt(pose, 1.0, 10.0, 5.0)
    assert pan < 0 < -tilt  # its own axes are reversed
    seen = pan_tilt_to_pixel(pan, tilt, Aim(0, 0, 0), LENS, hung=True)
    assert seen is not None
    assert seen[0] > 640  # but east is right
    assert seen[1] < 360  # and high is high


def test_a_limit_is_named_with_its_range():
    aim, met = AimLimits().clamp(Aim(181, 0, 1.2))
    assert aim == Aim(170, 0, 1)
    assert met == ("pan 181° is outside -170° to 170°", "zoom 1.2 is outside 0 to 1")


def test_a_box_too_small_for_the_lens_says_so():
    reached = fill_with((600, 340, 620, 352), Aim(0, 0, 0.9), LENS, EVERYWHERE)
    assert reached.aim.zoom == 1
    assert "narrower than 3.3°" in reached.limits_met[0]


@given(st.floats(0, 1))
def test_zoom_and_angle_are_inverse(zoom):
    assert LENS.zoom_for(LENS.hfov_deg(zoom)) == pytest.approx(zoom, abs=1e-9)


def test_one_percent_of_a_close_up_is_a_smaller_angle_than_of_a_wide():
    wide, close = Aim(10, 5, 0.0), Aim(10, 5, 1.0)
    assert offset_percent(Aim(10.3, 5, 0.0), wide, LENS) < 0.5
    assert offset_percent(Aim(10.3, 5, 1.0), close, LENS) > 8
    assert offset_percent(Aim(10, 5, 0.98), close, LENS) > 1


@pytest.mark.parametrize("rows", [[(0, 60)], [(0, 60), (1, 61)], [(0.1, 60), (1, 5)], [(0, 60), (0, 50), (1, 3)]])
def test_an_impossible_zoom_table_is_refused(rows):
    with pytest.raises(ValueError, match="zoom table"):
        Lens.of(tuple(rows))


@given(aims, aims)
def test_how_far_off_is_what_the_wanted_frame_would_show(actual, wanted):
    """Against the long way round: where the actual centre appears in the wanted frame."""
    actual = Aim(actual.pan_deg, actual.tilt_deg, wanted.zoom)
    seen = pan_tilt_to_pixel(actual.pan_deg, actual.tilt_deg, wanted, LENS)
    if seen is not None and math.dist(seen, (640, 360)) < 5000:
        expected = 100 * math.dist(seen, (640, 360)) / HD.width
        assert offset_percent(actual, wanted, LENS) == pytest.approx(expected, rel=1e-6, abs=1e-6)
