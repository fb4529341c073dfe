"""Frames that wait for an encoder: memory is used again, and never while somebody has it."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.picture.planes import Picture
from ribalta.media.outputs.encoder import Fitter
from ribalta.media.outputs.frame_pool import KEPT, FramePool
from tests.pictures import grey

SIZES = st.sampled_from([(64, 36), (32, 18), (31, 17)])


@given(st.lists(st.tuples(st.booleans(), SIZES, st.integers(0, 20)), max_size=60))
def test_what_somebody_has_stays_as_it_is_and_what_nobody_has_is_used_again(steps):
    pool, held = FramePool(), list[tuple[Picture, int]]()
    made = 0
    for takes, size, which in steps:
        if takes or not held:
            made += 1
            picture = pool.picture(size)
            picture.fill((made % 251, made % 241, made % 239))
            assert picture.size == size
            held.append((picture, made))
            del picture
        else:
            del held[which % len(held)]
        for kept, number in held:
            assert {int(kept.y.min()), int(kept.y.max())} == {number % 251}
            assert {int(kept.v.min()), int(kept.v.max())} == {number % 239}
    wholes = [kept.whole for kept, _ in held]
    assert not any(np.shares_memory(a, b) for k, a in enumerate(wholes) for b in wholes[:k])


def test_what_was_prepared_is_enough_for_all_that_usually_wait_and_no_more_is_kept():
    pool = FramePool()
    pool.prepare((64, 36))
    ready = {id(memory) for memory in pool._of(64 * 36 * 3 // 2)}
    assert len(ready) == KEPT
    held = [pool.picture((64, 36)) for _ in range(KEPT)]
    assert {id(picture.whole.base) for picture in held} == ready
    held += [pool.picture((64, 36)) for _ in range(5)]
    held.clear()
    assert len(pool._of(64 * 36 * 3 // 2)) == KEPT


def test_a_frame_is_fitted_once_for_all_who_want_it_and_a_new_one_leaves_it_as_it_was():
    fitter = Fitter()
    first = fitter.fitted(1, "program", (64, 36), grey(100, 64, 36))
    assert fitter.fitted(1, "program", (64, 36), grey(200, 64, 36)) is first
    smaller = fitter.fitted(2, "program", (32, 18), grey(200, 64, 36))
    nothing = fitter.fitted(3, "program", (32, 18), None)
    bright = [int(picture.y.max()) for picture in (first, smaller, nothing)]
    assert bright[0] < bright[1]
    assert bright[2] == 16
