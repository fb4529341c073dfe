"""Zoom position to horizontal field of view, from a camera profile's table.

Between the table's rows the focal length (the cotangent of half the angle) grows geometrically with the
zoom position, which is how zoom drives are geared; at the rows the table is met exactly.
"""

import functools
import math
from bisect import bisect_right
from dataclasses import dataclass, field
from itertools import pairwise


def _log_half_tan(hfov_deg: float) -> float:
    return math.log(math.tan(math.radians(hfov_deg) / 2))


@dataclass(frozen=True, slots=True)
class Lens:
    """`table` holds (zoom 0..1, hfov in degrees) rows: zoom rising from 0 to 1, angle falling, 0 < hfov < 170.

    Raises ValueError when the table breaks one of these rules.
    """

    table: tuple[tuple[float, float], ...]
    _zooms: tuple[float, ...] = field(init=False, repr=False, compare=False)
    _logs: tuple[float, ...] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        zooms = [z for z, _ in self.table]
        angles = [a for _, a in self.table]
        if len(self.table) < 2 or zooms[0] != 0 or zooms[-1] != 1:
            raise ValueError("a zoom table runs from zoom 0 to zoom 1")
        if any(b <= a for a, b in pairwise(zooms)):
            raise ValueError("a zoom table's zoom positions rise")
        if any(b >= a for a, b in pairwise(angles)):
            raise ValueError("a zoom table's angles fall")
        if not (angles[-1] > 0 and angles[0] < 170):
            raise ValueError(f"a zoom table's angles lie between 0° and 170°, not {angles[0]}° to {angles[-1]}°")
        object.__setattr__(self, "_zooms", tuple(zooms))
        object.__setattr__(self, "_logs", tuple(map(_log_half_tan, angles)))

    @staticmethod
    @functools.cache
    def of(rows: tuple[tuple[float, float], ...]) -> "Lens":
        """The lens of a table; asked for many times a frame, so each table is checked once."""
        return Lens(rows)

    @property
    def widest_deg(self) -> float:
        """The horizontal field of view at zoom 0, in degrees."""
        return self.table[0][1]

    @property
    def narrowest_deg(self) -> float:
        """The horizontal field of view at zoom 1, in degrees."""
        return self.table[-1][1]

    def hfov_deg(self, zoom: float) -> float:
        """Horizontal field of view in degrees at `zoom`; positions outside 0..1 are clamped."""
        zoom = min(1.0, max(0.0, zoom))
        i = min(len(self._zooms) - 2, bisect_right(self._zooms, zoom) - 1)
        share = (zoom - self._zooms[i]) / (self._zooms[i + 1] - self._zooms[i])
        log_tan = self._logs[i] * (1 - share) + self._logs[i + 1] * share
        return math.degrees(2 * math.atan(math.exp(log_tan)))

    def zoom_for(self, hfov_deg: float) -> float:
        """The zoom position 0..1 whose field of view is `hfov_deg`; the nearest end when it is out of range."""
        if hfov_deg >= self.widest_deg:
            return 0.0
        if hfov_deg <= self.narrowest_deg:
            return 1.0
        wanted = _log_half_tan(hfov_deg)
        for (z0, a0), (z1, a1) in pairwise(self.table):
            if hfov_deg >= a1:
                low, high = _log_half_tan(a0), _log_half_tan(a1)
                return z0 + (z1 - z0) * (wanted - low) / (high - low)
        return 1.0
