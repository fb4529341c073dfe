"""Least squares by SciPy, which takes a second to load and is needed seldom: it is loaded when it is."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from scipy.optimize import OptimizeResult

Vector = NDArray[np.float64]


def least_squares(misses: Callable[[Vector], Vector], start: Vector, **options: Any) -> "OptimizeResult":
    """`scipy.optimize.least_squares`: the vector near `start` that makes what `misses` returns smallest."""
    from scipy import optimize

    return optimize.least_squares(misses, start, **options)
