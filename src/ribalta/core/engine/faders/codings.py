"""From what a controller sends to a place between 0 and 1 or to steps, and back.

MIDI 1.0: a controller 0 to 31 has its lower seven bits in the controller 32 above it; pitch bend has 14 bits. OSC sends
the number itself.
"""

from dataclasses import dataclass
from itertools import pairwise

from ribalta.core.show.automation.faders import Coding

STEPS_OF_ALL = 128.0  # of an encoder, from one end to the other
HALVES_WITHIN_S = 0.02
MOST_7, MOST_14 = 127, 16383


@dataclass(frozen=True, slots=True)
class Turned:
    """Where a control stands, 0 to 1, or by what share of the whole it was turned. `low` and `high` are between which
    places it was meanwhile, if that is more than one."""

    place: float | None = None
    by: float = 0.0
    low: float | None = None
    high: float | None = None

    def after(self, before: "Turned") -> "Turned":
        """Both movements as one: of places the last one counts, steps add up."""
        if self.place is None or before.place is None:
            return Turned(by=before.by + self.by) if self.place is None else self
        places = [p for t in (before, self) for p in (t.place, t.low, t.high) if p is not None]
        return Turned(self.place, low=min(places), high=max(places))


def steps(coding: Coding, raw: int) -> int:
    """Of an encoder's seven bits: how many, up or down."""
    if coding is Coding.TWOS_COMPLEMENT:
        return raw if raw < 64 else raw - 128
    if coding is Coding.SIGN_BIT:
        return raw if raw < 64 else 64 - raw
    return raw - 64


def resolution(coding: Coding) -> float:
    """The smallest difference of places that a control can say."""
    return 1 / MOST_14 if coding in (Coding.BITS_14, Coding.PITCH_BEND) else 1 / MOST_7


class Decoder:
    """For one control: puts the halves of 14 bits together, in whatever order they come, and does not tremble.

    A value that goes back and forth by one is the noise of a resting fader: nothing is made of it.
    """

    def __init__(self, coding: Coding) -> None:
        self.coding = coding
        self._high = self._low = 0
        self._half_at_s, self._half_is_upper = float("-inf"), False  # the last one that came by itself
        self._upper_first, self._waits = True, False
        self._last: int | None = None
        self._way = 0

    def value(self, raw: float) -> Turned | None:
        """A whole value: 7 bits, 14 bits of pitch bend, steps, or 0 to 1. None when it says nothing new."""
        if self.coding is Coding.SHARE:
            place = max(0.0, min(1.0, raw))
            return None if self._rests(round(place * MOST_14)) else Turned(place)
        whole = int(raw)
        if self.coding.relative:
            by = steps(self.coding, max(0, min(MOST_7, whole)))
            return Turned(by=by / STEPS_OF_ALL) if by else None
        most = MOST_7 if self.coding is Coding.BITS_7 else MOST_14
        whole = max(0, min(most, whole))
        return None if self._rests(whole) else Turned(whole / most)

    def half(self, raw: int, upper: bool, now_s: float) -> Turned | None:
        """One half of 14 bits. The half that this control sends first waits a moment for the other."""
        raw = max(0, min(MOST_7, raw))
        soon = now_s - self._half_at_s <= HALVES_WITHIN_S
        paired = soon and self._half_is_upper is not upper
        if upper:
            self._high = raw
        else:
            self._low = raw
        if paired:
            self._upper_first, self._waits = not upper, False
            self._half_at_s = float("-inf")
            return self._joined()
        late = self._waits and not soon
        self._half_at_s, self._half_is_upper = now_s, upper
        self._waits = upper is self._upper_first
        return self._joined() if late or not self._waits else None

    def due(self, now_s: float) -> Turned | None:
        """A half that no other one has followed for long enough counts by itself."""
        if now_s < self.due_s:
            return None
        self._waits = False
        return self._joined()

    @property
    def due_s(self) -> float:
        """When `due` has something to say; infinite when nothing waits."""
        return self._half_at_s + HALVES_WITHIN_S if self._waits else float("inf")

    def _joined(self) -> Turned | None:
        whole = self._high << 7 | self._low
        return None if self._rests(whole) else Turned(whole / MOST_14)

    def _rests(self, whole: int) -> bool:
        last = self._last
        if last is None:
            self._last = whole
            return False
        by = whole - last
        way = (by > 0) - (by < 0)
        if by == 0 or (abs(by) == 1 and way == -self._way and 0 < whole < self._most()):
            return True
        self._last, self._way = whole, way
        return False

    def _most(self) -> int:
        return MOST_7 if self.coding is Coding.BITS_7 else MOST_14


def encoded(coding: Coding, place: float) -> int:
    """What is sent to a control so that it stands at a place, 0 to 1: 7 bits, or 14 for those that have them."""
    most = MOST_14 if coding in (Coding.BITS_14, Coding.PITCH_BEND) else MOST_7
    return round(max(0.0, min(1.0, place)) * most)


class Guess:
    """How a controller counts, from what it sends while somebody turns it both ways. Numbers of 7 bits."""

    ENOUGH = 12
    _UP, _DOWN_TWOS, _DOWN_SIGN, _AROUND = range(1, 16), range(113, 128), range(65, 80), range(52, 77)

    def __init__(self) -> None:
        self._heard: dict[str, list[int]] = {}

    def heard(self, control: str, raw: int) -> tuple[str, Coding] | None:
        """(control, coding) as soon as it can be told."""
        values = self._heard.setdefault(control, [])
        values.append(raw)
        pair = self._pair(control)
        if pair is not None and min(len(values), len(self._heard[pair])) >= 2:
            return min(control, pair, key=_number), Coding.BITS_14
        if len(values) < self.ENOUGH:
            return None
        again = sum(one == other for one, other in pairwise(values))
        if again < 2:  # a place is not said twice
            return control, Coding.BITS_7
        seen = set(values)
        if seen <= set(self._AROUND) and 64 not in seen:
            return control, Coding.AROUND_64
        if seen <= {*self._UP, *self._DOWN_SIGN} and seen & set(self._DOWN_SIGN):
            return control, Coding.SIGN_BIT
        return control, Coding.TWOS_COMPLEMENT if seen <= {*self._UP, *self._DOWN_TWOS} else Coding.BITS_7

    def _pair(self, control: str) -> str | None:
        """The other half of a controller of 14 bits, if it is heard too."""
        start, _, number = control.rpartition(" ")
        other = int(number) + (32 if int(number) < 32 else -32)
        return f"{start} {other}" if other < 64 and f"{start} {other}" in self._heard else None


def _number(control: str) -> int:
    return int(control.rpartition(" ")[2])
