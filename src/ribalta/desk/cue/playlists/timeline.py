"""Where a moment of a playlist's round lies across the page: the same for the strip of pictures and the chart below.

Width is time; but nothing becomes too narrow to be pressed, and where that asks for more room than there is, what lies
beside it is scrolled to.
"""

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

LEAST_S = 10.0  # a shorter round does not fill the page


@dataclass(frozen=True, slots=True)
class Timescale:
    """Knots of seconds and pixels, both rising; behind the last one `per_s` pixels a second."""

    knots_s: tuple[float, ...]
    knots_px: tuple[float, ...]
    per_s: float

    def x_of(self, seconds: float) -> float:
        """Pixels from the left; where something without length lies, what is right of it."""
        k = bisect_right(self.knots_s, seconds)
        if k == 0:
            return self.knots_px[0]
        if k == len(self.knots_s):
            return self.knots_px[-1] + (seconds - self.knots_s[-1]) * self.per_s
        from_s, to_s = self.knots_s[k - 1], self.knots_s[k]
        from_px, to_px = self.knots_px[k - 1], self.knots_px[k]
        return from_px + (seconds - from_s) / (to_s - from_s) * (to_px - from_px)

    @property
    def wide(self) -> float:
        """Pixels up to the last knot."""
        return self.knots_px[-1]


def fitting(spans: Sequence[tuple[float, float]], room: float, least: float) -> float:
    """How many pixels a second has so that spans (from, to) in seconds, in their order, fill `room` pixels, each being
    `least` pixels wide or more. Where that cannot be, they are wider than the room."""
    whole_s, gaps_s = max([LEAST_S, *(to for _, to in spans)]), sum(_gaps(spans))
    most = max(1.0, room) / whole_s

    def wide(per_s: float) -> float:
        return sum(max(least, (to - start) * per_s) for start, to in spans) + gaps_s * per_s

    if wide(most) <= room + 0.5:
        return most
    low, high = 0.0, most
    for _ in range(40):
        middle = (low + high) / 2
        low, high = (middle, high) if wide(middle) <= room else (low, middle)
    return low if low > most / 4 else most


def _gaps(spans: Sequence[tuple[float, float]]) -> list[float]:
    """What lies before each span, in seconds."""
    return [start - before for (start, _), before in zip(spans, [0.0, *(to for _, to in spans)], strict=False)]


def laid(spans: Sequence[tuple[float, float]], per_s: float, least: float) -> tuple[Timescale, list[float]]:
    """The scale of spans at so many pixels a second, and the left of each."""
    knots_s, knots_px, lefts = [0.0], [0.0], []
    for (start, to), gap_s in zip(spans, _gaps(spans), strict=True):
        left = knots_px[-1] + gap_s * per_s
        lefts.append(left)
        knots_s += [start, to]
        knots_px += [left, left + max(least, (to - start) * per_s)]
    return Timescale(tuple(knots_s), tuple(knots_px), per_s), lefts


class Timeline(QObject):
    """One scale, and how far it is scrolled, for all that lies above and below each other."""

    changed = Signal()

    def __init__(self, least: float = 0.0) -> None:
        super().__init__()
        self._least = least
        self._spans: tuple[tuple[float, float], ...] = ()
        self.room = 600.0
        self.offset = 0.0
        self.held = False
        self.scale, self.lefts = laid((), self.room / LEAST_S, least)

    def show_spans(self, spans: Sequence[tuple[float, float]], held: bool = False) -> None:
        """`held`: a second stays as wide as it is, because something of it is being dragged."""
        if tuple(spans) != self._spans or (not held and self.held):
            self._spans, self.held = tuple(spans), held
            self._measure()

    def show_room(self, room: float) -> None:
        """How many pixels are seen at once."""
        if room != self.room:
            self.room = room
            self._measure()

    def scroll_to(self, offset: float) -> None:
        offset = min(max(0.0, offset), self.hidden)
        if offset != self.offset:
            self.offset = offset
            self.changed.emit()

    @property
    def hidden(self) -> float:
        """How many pixels there is no room for."""
        return max(0.0, self.scale.wide - self.room)

    def x_of(self, seconds: float) -> float:
        """Pixels from the left of what is seen."""
        return self.scale.x_of(seconds) - self.offset

    def _measure(self) -> None:
        per_s = self.scale.per_s if self.held else fitting(self._spans, self.room, self._least)
        self.scale, self.lefts = laid(self._spans, per_s, self._least)
        self.offset = min(self.offset, self.hidden)
        self.changed.emit()
