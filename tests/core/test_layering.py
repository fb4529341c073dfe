"""Wipes, easings, drawings, insets and keys, pixel by pixel."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.picture.layering import (
    Drawing,
    Frame,
    Insetter,
    Scratch,
    by_mask,
    draw,
    key_mask,
    keyed,
    lay_key,
    rounded,
)
from ribalta.core.picture.wipes import SHAPES, Ease, eased, mask_of, order_of
from ribalta.core.show.document.scenes import Easing, WipeShape

SIZE = (160, 90)
SCRATCH = Scratch(8, 8)


def grey(level: int, size=SIZE) -> np.ndarray:
    picture = np.full((size[1], size[0], 4), level, np.uint8)
    picture[..., 3] = 255
    return picture


def mask_at(shape: str, share: float, softness: float = 0.1, backwards: bool = False) -> np.ndarray:
    return mask_of(order_of(shape, *SIZE), share, softness, backwards, np.empty((SIZE[1], SIZE[0]), np.uint8))


def test_the_show_names_every_shape_and_easing_that_there_is():
    assert set(SHAPES) == {shape.value for shape in WipeShape}
    assert {e.value for e in Ease} == {e.value for e in Easing}


@pytest.mark.parametrize("shape", sorted(SHAPES))
@pytest.mark.parametrize("backwards", [False, True])
@pytest.mark.parametrize("softness", [0.0, 0.3, 1.0])
def test_a_wipe_begins_with_nothing_ends_with_all_and_never_goes_back(shape, backwards, softness):
    masks = [mask_at(shape, k / 20, softness, backwards).astype(int) for k in range(21)]
    assert masks[0].max() == 0
    assert masks[-1].min() == 255
    assert all((b >= a - 1).all() for a, b in pairwise(masks))
    assert 20 < masks[10].mean() < 235


def test_a_wipe_goes_where_it_says():
    across, back = mask_at("across", 0.5, 0.0), mask_at("across", 0.5, 0.0, True)
    assert (across[45, 10], across[45, 150]) == (255, 0)
    assert (back[45, 10], back[45, 150]) == (0, 255)
    circle = mask_at("circle", 0.3, 0.0)
    assert (circle[45, 80], circle[2, 2]) == (255, 0)
    clock = mask_at("clock", 0.25, 0.0)
    assert (clock[10, 100], clock[80, 60]) == (255, 0)


@given(st.sampled_from(list(Ease)), st.floats(0, 1), st.floats(0, 1))
def test_an_easing_starts_at_0_ends_at_1_and_never_goes_back(how, one, other):
    assert eased(0, how) == 0
    assert eased(1, how) == 1
    a, b = sorted((one, other))
    assert eased(a, how) <= eased(b, how) + 1e-12


@given(st.integers(0, 255), st.integers(0, 255), st.integers(0, 255))
def test_a_mask_mixes_to_within_two_levels(before, after, share):
    out = np.empty_like(grey(0))
    by_mask(grey(before), grey(after), np.full((SIZE[1], SIZE[0]), share, np.uint8), out, SCRATCH)
    wanted = before + (after - before) * share / 255
    assert np.abs(out[..., 0].astype(float) - wanted).max() <= 2


def test_a_drawing_covers_as_much_as_it_says_and_is_cut_at_the_edge():
    whole = np.zeros((90, 160, 4), np.uint8)
    whole[60:80, 20:100] = (100, 100, 100, 128)  # half see-through, colours multiplied already
    drawing = Drawing.of(whole)
    assert (drawing.left, drawing.top, drawing.pixels.shape) == (20, 60, (20, 80, 4))
    out = grey(200)
    draw(out, drawing)
    assert abs(int(out[70, 50, 0]) - (100 + 200 * 127 / 255)) <= 2
    assert out[50, 50, 0] == 200
    half = grey(200)
    draw(half, drawing, 0.5)
    assert abs(int(half[70, 50, 0]) - (int(out[70, 50, 0]) + 200) / 2) <= 2
    moved = grey(200)
    draw(moved, drawing, 1.0, 100, 25)
    assert moved[88, 130, 0] == out[70, 50, 0]
    draw(moved, drawing, 1.0, 500, 0)
    assert Drawing.of(np.zeros_like(whole)) is None


def test_an_inset_is_cropped_scaled_bordered_and_rounded():
    picture = grey(50)
    picture[:, :80] = 250
    out = grey(10)
    frame = Frame(100, 20, 40, 30, (0.5, 0.0, 0.0, 0.0), 3, (9, 99, 199), 10)
    Insetter(SCRATCH).lay(out, picture, frame)
    assert tuple(out[35, 120, :3]) == (50, 50, 50)  # the left half was cut off
    assert tuple(out[35, 98, :3]) == (9, 99, 199)
    assert tuple(out[18, 98, :3]) == (10, 10, 10)  # round outside
    assert abs(int(out[21, 101, 1]) - 99) < 12  # and inside, where the border shows
    half = grey(10)
    Insetter(SCRATCH).lay(half, picture, frame, 0.5)
    assert abs(int(half[35, 120, 0]) - 30) <= 2
    Insetter(SCRATCH).lay(out, picture, Frame(150, 80, 40, 30, (0, 0, 0, 0), 0, (0, 0, 0), 0))
    assert out[85, 155, 0] == 250


def test_a_key_shows_its_fill_where_the_key_is_bright():
    key = grey(0)
    key[20:40, 20:60, :3] = 255
    key[40:50, 20:60, :3] = 128
    mask = key_mask(key, 0.2, 0.4, False, False)
    assert [int(mask[y, 30]) for y in (10, 30, 45)] == [0, 255, 255]
    linear = key_mask(key, 0.0, 1.0, False, True)
    assert abs(int(linear[45, 30]) - 128) <= 1
    assert key_mask(key, 0.2, 0.4, True, False)[10, 10] == 255
    out = grey(40)
    lay_key(out, grey(200), linear, SCRATCH)
    assert [int(out[y, 30, 0]) for y in (10, 30)] == [40, 200]
    assert abs(int(out[45, 30, 0]) - 120) <= 3
    lay_key(out, grey(200), np.zeros((90, 160), np.uint8), SCRATCH)
    again = grey(40)
    draw(again, keyed(grey(200), linear))
    assert np.abs(again[..., :3].astype(int) - out[..., :3]).max() <= 3
    assert keyed(grey(200), np.zeros((90, 160), np.uint8)) is None


def test_round_corners_are_round():
    mask = rounded(60, 40, 12)
    assert (mask[0, 0], mask[20, 0], mask[20, 30]) == (0, 255, 255)
    assert rounded(10, 10, 99).shape == (10, 10)


@given(
    st.integers(-20, 150), st.integers(-20, 80), st.integers(0, 4), st.integers(0, 20), st.sampled_from([1.0, 0.6, 0.3])
)
def test_a_framed_inset_is_what_porter_and_duff_say_wherever_it_is(left, top, border, corner, opacity):
    """Border and picture by their covers, computed in floats, against what the fast way lays."""
    frame = Frame(left, top, 48, 27, (0, 0, 0, 0), border, (10, 90, 200), corner)
    out, picture = grey(60), grey(220, (48, 27))
    Insetter(SCRATCH).lay(out, picture, frame, opacity)
    wide, tall = 48 + 2 * border, 27 + 2 * border
    if corner:
        outer = rounded(wide, tall, corner + border) / 255.0
        inner = np.zeros((tall, wide))
        inner[border : tall - border, border : wide - border] = rounded(48, 27, corner) / 255.0
    else:
        outer, inner = np.ones((tall, wide)), np.zeros((tall, wide))
        inner[border : tall - border, border : wide - border] = 1.0
    ring = np.maximum(0.0, outer - inner)[..., None]
    whole = inner[..., None] * 220 + ring * np.array(frame.colour)
    rest = (1 - outer)[..., None]
    expected = np.full((SIZE[1] + 200, SIZE[0] + 200, 3), 60.0)
    part = expected[100 + top - border : 100 + top - border + tall, 100 + left - border : 100 + left - border + wide]
    part[:] = opacity * (part * rest + whole) + (1 - opacity) * part
    expected = expected[100 : 100 + SIZE[1], 100 : 100 + SIZE[0]]
    assert np.abs(out[..., :3] - expected).max() <= 3
