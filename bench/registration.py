"""Comparing a stored picture with a live one: how near, how sure, and at what cost against plain phase correlation."""

import random
import sys
import time
from collections.abc import Callable
from typing import TypeVar

import cv2
import numpy as np
from skimage.registration import phase_cross_correlation

from bench.common.hall import percentile
from bench.pairs import pairs
from ribalta.core.picture.comparison import SURE, compare
from ribalta.media.quiet_cv import quiet_cv

T = TypeVar("T")
NEAR = 0.4  # % of the width
STEPS = 20  # a pixel, of the plain method: as fine as what ours is found to be on the median


def run(takes: int) -> dict[str, float | int]:
    quiet_cv()
    errors, sures, ratios, small_ratios, plain_errors = [], [], [], [], []
    confident_wrong = 0
    for k, pair in enumerate(pairs(takes)):
        stored, live = (cv2.cvtColor(p, cv2.COLOR_BGR2GRAY).astype(np.float32) / 255 for p in (pair.stored, pair.live))
        found, ours_s = _timed(lambda s=stored, w=live, p=pair: compare(s, w, p.hfov_deg))
        (shift, _, _), plain_s = _timed(lambda s=stored, w=live: phase_cross_correlation(s, w, upsample_factor=STEPS))
        ratios.append(ours_s / plain_s)
        half = [cv2.resize(p, (480, 270), interpolation=cv2.INTER_AREA) for p in (stored, live)]
        _, ours_s = _timed(lambda h=half, p=pair: compare(h[0], h[1], p.hfov_deg))
        _, plain_s = _timed(lambda h=half: phase_cross_correlation(h[0], h[1], upsample_factor=STEPS))
        small_ratios.append(ours_s / plain_s)
        width = stored.shape[1]
        error = float(np.hypot(found.right - pair.right, found.down - pair.down))
        plain = np.hypot(-100 * shift[1] / width - pair.right, -100 * shift[0] / width - pair.down)
        errors.append(error)
        plain_errors.append(float(plain))
        sures.append(found.sure)
        confident_wrong += found.sure >= SURE and error > NEAR
        if k % 50 == 49:
            print(f"{k + 1} of {takes} pairs", file=sys.stderr)
    unlike = _unlike(takes // 10)
    return {
        "pairs": len(errors),
        "within_0_4_percent": round(100 * sum(e <= NEAR for e in errors) / len(errors), 1),
        "error_percent_p50": round(percentile(errors, 0.5), 3),
        "sure_percent": round(100 * sum(s >= SURE for s in sures) / len(sures), 1),
        "confident_wrong": int(confident_wrong),
        "unlike_pairs": len(unlike),
        "unlike_confident": sum(s >= SURE for s in unlike),
        "cost_ratio": round(percentile(ratios, 0.5), 2),
        "cost_ratio_480x270": round(percentile(small_ratios, 0.5), 2),
        "plain_within_0_4_percent": round(100 * sum(e <= NEAR for e in plain_errors) / len(plain_errors), 1),
    }


def _timed(work: Callable[[], T]) -> tuple[T, float]:
    start_s = time.perf_counter()
    return work(), time.perf_counter() - start_s


def _unlike(count: int) -> list[float]:
    """How sure a comparison is of two pictures that have nothing to do with each other."""
    rng = random.Random(9)
    some = list(pairs(max(8, count // 2), seed=11))
    sures = []
    for _ in range(count):
        one, other = rng.sample(some, 2)
        if abs(one.hfov_deg - other.hfov_deg) < 0.01:
            continue
        wide = cv2.flip(other.live, 1)
        both = (cv2.cvtColor(p, cv2.COLOR_BGR2GRAY).astype(np.float32) / 255 for p in (one.stored, wide))
        sures.append(compare(*both, one.hfov_deg).sure)
    return sures
