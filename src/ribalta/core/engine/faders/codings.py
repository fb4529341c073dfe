"""From what a controller sends to a place between 0 and 1 or to steps, and back.

MIDI 1.0: a controller 0 to 31 has its lower seven bits in the controller 32 above it; pitch bend has 14 bits. OSC sends
the number itself.
"""

from dataclasses import dataclass

from ribalta.core.show.automation.faders import Coding

STEPS_OF_ALL = 128.0  # of an encoder, from one end to the other
HALVES_WITHIN_S = 0.02
MOST_7, MOST_14 = 127, 16383


@dataclass(frozen=True, slots=True)
class Turned:
    """Where a control stands, 0 to 1, or by what share of the whole it was turned."""

    place: float | None = None
    by: float = 0.0


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
