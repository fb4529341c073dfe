"""Wipes, easings, drawings, insets and keys in planes, against a reference in floats that is written here anew."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.picture.colours import ink
from ribalta.core.picture.layering import (
    Drawing,
    Frame,
    Insetter,
    Scratch,
    by_mask,
    darken,
    draw,
    key_mask,
    lay_key,
    mix,
    rounded,
)
from ribalta.core.picture.planes import Picture
from ribalta.core.picture.scaling import WHOLE
from ribalta.core.picture.wipes import SHAPES, Ease, eased, mask_of, order_of
from ribalta.core.show.document.scenes import Easing, WipeShape
from tests.pictures import furthest, grey, level

SIZE = (160, 90)
SCRATCH = Scratch(8, 8)
SIZES = st.tuples(st.integers(9, 70), st.integers(9, 50))  # odd ones too
NEAR = 2


def noise(size: tuple[int, int], seed: int, coarse: int = 1) -> Picture:
    """What may be in a picture, black and white and all between."""
    chance, made = np.random.default_rng(seed), Picture.plain(*size)
    for plane in made.planes:
        few = chance.integers(16, 236, (plane.shape[0] // coarse + 1, plane.shape[1] // coarse + 1))
        plane[:] = np.kron(few, np.ones((coarse, coarse)))[: plane.shape[0], : plane.shape[1]]
    return made


def mean(values: np.ndarray) -> np.ndarray:
    """Of each two by two, in floats; an odd side goes on as it ends."""
    values = np.pad(values, ((0, values.shape[0] % 2), (0, values.shape[1] % 2)), "edge").astype(float)
    return (values[::2, ::2] + values[1::2, ::2] + values[::2, 1::2] + values[1::2, 1::2]) / 4


def both(values: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    return values.astype(float), mean(values), mean(values)


def floats(picture: Picture) -> list[np.ndarray]:
    return [plane.astype(float) for plane in picture.planes]


def off(picture: Picture, wanted) -> float:
    return max(float(np.abs(a.astype(float) - b).max()) for a, b in zip(picture.planes, wanted, strict=True))


def mask_at(shape: str, share: float, softness: float = 0.1, backwards: bool = False, size=SIZE) -> np.ndarray:
    return mask_of(order_of(shape, *size), share, softness, backwards, np.empty((size[1], size[0]), np.uint8))


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


@given(SIZES, st.integers(0, 99), st.floats(0, 1), st.sampled_from(sorted(SHAPES)), st.booleans(), st.floats(0, 1))
def test_a_mix_a_wipe_and_a_fade_are_what_floats_say(size, seed, share, shape, backwards, softness):
    before, after = noise(size, seed), noise(size, seed + 1)
    out = Picture.plain(*size)
    mix(before, after, share, out)
    pairs = list(zip(floats(before), floats(after), strict=True))
    assert off(out, [a * (1 - share) + b * share for a, b in pairs]) <= NEAR
    mask = mask_at(shape, share, softness, backwards, size)
    by_mask(before, after, mask, out, SCRATCH)
    covers = both(mask / 255)
    assert off(out, [a + (b - a) * c for (a, b), c in zip(pairs, covers, strict=True)]) <= NEAR
    dark = before.copy()
    darken(dark, share)
    assert off(dark, [a + (k - a) * share for a, k in zip(floats(before), (16, 128, 128), strict=True)]) <= NEAR


@given(st.integers(0, 255), st.floats(0, 1), st.integers(0, 99))
def test_what_is_black_or_white_on_both_sides_stays_so(cover, share, seed):
    """Black stays 16 and white 235, at every share and under every mask: no flicker in what does not change."""
    for colour in ((16, 128, 128), (235, 128, 128)):
        plain = Picture.plain(34, 22, colour)
        out = plain.copy()
        mix(plain, plain, share, out)
        assert furthest(out, plain) == 0
        mask = np.random.default_rng(seed).integers(0, 256, (22, 34)).astype(np.uint8)
        mask[:11] = cover
        by_mask(plain, plain, mask, out, SCRATCH)
        assert furthest(out, plain) == 0
        whole = np.zeros((22, 34, 4), np.uint8)  # a drawing in that colour, with soft edges, over it
        whole[...] = np.rint(mask[..., None] * np.array([*[0 if colour[0] == 16 else 1] * 3, 1])).astype(np.uint8)
        drawing = Drawing.of(whole)
        if drawing is not None:
            draw(out, drawing, SCRATCH, share)
            assert furthest(out, plain) <= 1


def drawn(size: tuple[int, int], seed: int) -> np.ndarray:
    """A premultiplied BGRA drawing: blots of any colour and cover, with soft edges."""
    chance = np.random.default_rng(seed)
    whole = np.zeros((size[1], size[0], 4))
    for _ in range(3):
        x, y = chance.uniform(0, size[0]), chance.uniform(0, size[1])
        rows, columns = np.mgrid[: size[1], : size[0]]
        cover = np.clip(chance.uniform(2, 14) - np.hypot(columns - x, rows - y), 0, 1) * chance.uniform(0.3, 1)
        colour = np.array([*chance.uniform(0, 255, 3), 255])
        whole = cover[..., None] * colour + whole * (1 - cover[..., None])
    return np.rint(whole).astype(np.uint8)


def premultiplied(whole: np.ndarray):
    """Its planes and its covers in floats, from the standard's formulas."""
    b, g, r, a = (whole[..., k].astype(float) for k in range(4))
    y = 0.2126 * r + 0.7152 * g + 0.0722 * b
    u, v = (b - y) / 1.8556, (r - y) / 1.5748
    full = (16 * a / 255 + y * 219 / 255, 128 * a / 255 + u * 224 / 255, 128 * a / 255 + v * 224 / 255)
    return (full[0], mean(full[1]), mean(full[2])), both(a / 255)


@given(SIZES, st.integers(0, 999), st.sampled_from([1.0, 0.7, 0.2]), st.integers(-30, 30), st.integers(-20, 20))
def test_a_drawing_is_laid_as_porter_and_duff_say_wherever_it_is_moved(size, seed, opacity, right, down):
    whole, ground = drawn(size, seed), noise(size, seed, 3)
    out, drawing = ground.copy(), Drawing.of(whole)
    if drawing is None:
        return
    draw(out, drawing, SCRATCH, opacity, right, down)
    right, down = 2 * round(right / 2), 2 * round(down / 2)
    values, covers = premultiplied(whole)
    for plane, below, value, cover, step in zip(out.planes, ground.planes, values, covers, (1, 2, 2), strict=True):
        moved, hides = (np.zeros(plane.shape) for _ in range(2))
        tall, wide = plane.shape
        dx, dy = right // step, down // step
        to = np.s_[max(0, dy) : max(0, tall + min(0, dy)), max(0, dx) : max(0, wide + min(0, dx))]
        of = np.s_[max(0, -dy) : max(0, tall - max(0, dy)), max(0, -dx) : max(0, wide - max(0, dx))]
        if wide > abs(dx) and tall > abs(dy):
            moved[to], hides[to] = value[of], cover[of]
        wanted = below * (1 - opacity * hides) + opacity * moved
        inner = np.s_[: tall - 1, : wide - 1] if min(right, down) != 0 or size[0] % 2 or size[1] % 2 else np.s_[:, :]
        assert np.abs(plane - wanted)[inner].max(initial=0) <= NEAR


def test_a_drawing_is_no_larger_than_what_is_in_it_and_nothing_is_nothing():
    whole = np.zeros((90, 160, 4), np.uint8)
    whole[61:80, 21:100] = 128
    drawing = Drawing.of(whole)
    assert (drawing.left, drawing.top, drawing.picture.size) == (20, 60, (80, 20))
    assert Drawing.of(np.zeros_like(whole)) is None
    out = grey(200, *SIZE)
    draw(out, drawing, SCRATCH, 1.0, 500, 0)
    draw(out, drawing, SCRATCH, 0.0)
    assert furthest(out, grey(200, *SIZE)) == 0


@given(SIZES, st.integers(0, 999))
def test_drawings_over_each_other_look_as_one_as_they_do_one_by_one(size, seed):
    parts = [d for k in range(3) if (d := Drawing.of(drawn(size, seed + k))) is not None]
    ground = noise(size, seed, 3)
    one_by_one, at_once = ground.copy(), ground.copy()
    for part in parts:
        draw(one_by_one, part, SCRATCH)
    flat = Drawing.flattened(parts, *size)
    if flat is not None:
        draw(at_once, flat, SCRATCH)
    assert furthest(one_by_one, at_once) <= 3


def test_an_inset_is_cropped_scaled_bordered_and_rounded():
    picture = grey(50, *SIZE)
    picture.y[:, :80] = 230
    out = grey(10, *SIZE)
    frame = Frame(100, 20, 40, 30, (0.5, 0.0, 0.0, 0.0), 4, ink(9, 99, 199), 10)
    Insetter(SCRATCH).lay(out, picture, frame)
    assert level(out, 120, 35) == 50  # the left half was cut off
    assert tuple(int(plane[y, x]) for plane, y, x in zip(out.planes, (35, 17, 17), (98, 49, 49), strict=True)) == ink(
        9, 99, 199
    )
    assert level(out, 97, 17) == 10  # round outside
    half = grey(10, *SIZE)
    Insetter(SCRATCH).lay(half, picture, frame, 0.5)
    assert abs(level(half, 120, 35) - 30) <= 2
    Insetter(SCRATCH).lay(out, picture, Frame(150, 80, 40, 30, WHOLE, 0, ink(0, 0, 0), 0))
    assert out.y[85, 155] == 230
    assert Frame.evenly((0.4, 3.0, 31.2, 0.1), WHOLE, 1.2, ink(0, 0, 0), 0.5) == Frame(
        0, 4, 32, 2, WHOLE, 2, ink(0, 0, 0), 1
    )


@given(
    SIZES,
    st.integers(-10, 40),
    st.integers(-10, 30),
    st.integers(0, 2),
    st.integers(0, 12),
    st.sampled_from([1.0, 0.6, 0.3]),
)
def test_a_framed_inset_is_what_porter_and_duff_say_wherever_it_is(size, left, top, border, corner, opacity):
    """Border and picture by their covers, computed in floats, against what the fast way lays."""
    left, top, border, colour = 2 * left, 2 * top, 2 * border, ink(10, 90, 200)
    ground, picture = noise(size, 7, 3), Picture.plain(48, 28, (200, 90, 150))
    out = ground.copy()
    Insetter(SCRATCH).lay(out, picture, Frame(left, top, 48, 28, WHOLE, border, colour, corner), opacity)
    wide, tall = 48 + 2 * border, 28 + 2 * border
    outer, inner = np.ones((tall, wide)), np.zeros((tall, wide))
    inner[border : tall - border, border : wide - border] = 1.0
    if corner:
        outer = rounded(wide, tall, corner + border) / 255.0
        inner[border : tall - border, border : wide - border] = rounded(48, 28, corner) / 255.0
    outers, inners = both(outer), both(inner)
    for plane, below, ins, outs, shown, rim, step in zip(
        out.planes, ground.planes, inners, outers, (200, 90, 150), colour, (1, 2, 2), strict=True
    ):
        wanted = np.pad(below.astype(float), 100, "edge")
        y, x = 100 + (top - border) // step, 100 + (left - border) // step
        part = wanted[y : y + tall // step, x : x + wide // step]
        whole = ins * shown + np.maximum(0.0, outs - ins) * rim
        part[:] = opacity * (part * (1 - outs) + whole) + (1 - opacity) * part
        assert np.abs(plane - wanted[100 : 100 + plane.shape[0], 100 : 100 + plane.shape[1]]).max() <= 3


def test_a_key_shows_its_fill_where_the_key_is_bright():
    key = grey(0, *SIZE)
    key.y[20:40, 20:60] = 235
    key.y[40:50, 20:60] = 126
    mask = key_mask(key, 0.2, 0.4, False, False)
    assert [int(mask[y, 30]) for y in (10, 30, 45)] == [0, 255, 255]
    linear = key_mask(key, 0.0, 1.0, False, True)
    assert abs(int(linear[45, 30]) - 128) <= 1
    assert key_mask(key, 0.2, 0.4, True, False)[10, 10] == 255
    out = grey(40, *SIZE)
    lay_key(out, grey(200, *SIZE), linear, SCRATCH)
    assert [level(out, 30, y) for y in (10, 30)] == [40, 200]
    assert abs(level(out, 30, 45) - 120) <= 3
    lay_key(out, grey(200, *SIZE), np.zeros((90, 160), np.uint8), SCRATCH)
    again = grey(40, *SIZE)
    draw(again, Drawing.by(grey(200, *SIZE), linear), SCRATCH)
    assert furthest(again, out) <= 2
    assert Drawing.by(grey(200, *SIZE), np.zeros((90, 160), np.uint8)) is None


@given(SIZES, st.integers(0, 99), st.floats(0, 0.9), st.floats(0.01, 1), st.booleans(), st.booleans())
def test_a_key_is_what_floats_say(size, seed, low, width, inverted, linear):
    key, below, above = (noise(size, seed + k, 4) for k in range(3))
    high = min(1.0, low + width)
    out = below.copy()
    lay_key(out, above, key_mask(key, low, high, inverted, linear), SCRATCH)
    bright = np.clip((key.y.astype(float) - 16) / 219, 0, 1)
    seen = bright if linear else np.clip((bright - low) / max(0.004, high - low), 0, 1)
    covers = both(1 - seen if inverted else seen)
    wanted = [a + (b - a) * c for a, b, c in zip(floats(below), floats(above), covers, strict=True)]
    assert off(out, wanted) <= NEAR


def test_round_corners_are_round():
    mask = rounded(60, 40, 12)
    assert (mask[0, 0], mask[20, 0], mask[20, 30]) == (0, 255, 255)
    assert rounded(10, 10, 99).shape == (10, 10)
