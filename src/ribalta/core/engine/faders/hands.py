"""Hands on faders and knobs: pick-up, steps, fine and coarse, and what goes back to the control.

A control that counts places and cannot move by itself does nothing until it has reached or passed the value: nothing
jumps. One that moves, or shows a value, is sent it whenever somebody else changes it, but not while a hand is on it.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from ribalta.core.engine.faders.codings import Turned, resolution
from ribalta.core.engine.faders.numbers import Number, number_of
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.faders import STAYS, FaderGiven, Quantity

FINE = 0.125  # of what a movement is otherwise
REACHED = 0.012  # so near, a fader has picked the value up
HAND_ON_S = 0.4  # so long after it moved, a control is not moved
ENDS = 0.004


@dataclass
class _Hand:
    """One given control. `wanted` is the value it has set, not rounded; `picked_at`: it has the value, and stood there
    when it was moved last; `sent` is where it stands by what it or we said last. `from_above`: it stood at its upper
    end when the transition began, and goes down."""

    wanted: float | None = None
    picked_at: float | None = None
    moved_s: float = float("-inf")
    sent: float | None = None
    from_above: bool = False


@dataclass(frozen=True, slots=True)
class Back:
    """What a control is to be told: where its value stands, and in words."""

    fader: FaderGiven
    place: float
    words: str


class FaderHands:
    """For one show that runs; called with the time, on one thread."""

    def __init__(self) -> None:
        self._hands: dict[str, _Hand] = {}
        self._stands: dict[tuple[str, str], float] = {}  # controls, whichever bank they are in: where each stands

    @staticmethod
    def in_hand(state: LiveState, bank: int) -> Iterator[FaderGiven]:
        """Those that are in force: of this bank, and those that stay."""
        return (f for f in state.show.faders if f.bank in (STAYS, bank))

    def turned(self, state: LiveState, fader: FaderGiven, turned: Turned, fine: bool, now_s: float) -> Call | None:
        """What a movement of a control comes to; None when it does nothing (yet)."""
        number = number_of(state, fader, now_s)
        hand, control = self._hands.setdefault(fader.id, _Hand()), (fader.port, fader.control)
        before = self._stands.get(control)
        if turned.place is not None:
            self._stands[control] = hand.sent = turned.place
        resting, hand.moved_s = now_s - hand.moved_s > HAND_ON_S, now_s
        if number is None:
            hand.picked_at = None
            return None
        if turned.place is None:
            place = self._from(hand, number, resting) + turned.by * (FINE if fine else 1.0)
        elif fader.quantity is Quantity.TRANSITION:
            return self._by_hand(state, hand, number, before, turned.place)
        elif fine and before is not None:
            hand.picked_at = None
            place = self._from(hand, number, resting) + (turned.place - before) * FINE
        elif fader.motor or self._picks_up(fader, hand, number, before, turned):
            place = turned.place
        else:
            return None
        place = max(0.0, min(1.0, place))
        hand.wanted = place
        return number.call(place) if self._is_other(number, place) else None

    @staticmethod
    def _from(hand: _Hand, number: Number, resting: bool) -> float:
        """Where steps begin: small ones add up although the value is rounded."""
        if hand.wanted is None or resting or abs(hand.wanted - number.place) > _width(number):
            return number.place
        return hand.wanted

    @staticmethod
    def _is_other(number: Number, place: float) -> bool:
        return number.whole is None or round(place * number.whole) != round(number.place * number.whole)

    @staticmethod
    def _picks_up(fader: FaderGiven, hand: _Hand, number: Number, before: float | None, turned: Turned) -> bool:
        """Has it the value, or does it reach or pass it now? In another bank it may have been moved meanwhile."""
        own = hand.wanted is not None and abs(hand.wanted - number.place) <= _width(number)
        near = max(REACHED, resolution(fader.coding))
        place = turned.place if turned.place is not None else number.place
        seen = [p for p in (before, place, turned.low, turned.high) if p is not None]
        passed = len(seen) > 1 and min(seen) <= number.place <= max(seen)
        kept = own and before is not None and hand.picked_at == before
        hand.picked_at = place if kept or passed or abs(place - number.place) <= near else None
        return hand.picked_at is not None

    @staticmethod
    def _by_hand(state: LiveState, hand: _Hand, number: Number, before: float | None, place: float) -> Call | None:
        """A transition goes from the end where its control stands to the other one, whichever that is."""
        if state.program.in_transition is None:
            at = before if before is not None else place
            if at >= 1 - ENDS:
                hand.from_above = True
            elif at <= ENDS:
                hand.from_above = False
            else:
                return None
        share = 1 - place if hand.from_above else place
        share = 0.0 if share < ENDS else 1.0 if share > 1 - ENDS else share
        return number.call(share)

    def back(self, state: LiveState, bank: int, now_s: float) -> list[Back]:
        """What has to be sent to controls that move or show: those whose value is not where they were sent to."""
        found = []
        for fader in self.in_hand(state, bank):
            hand = self._hands.setdefault(fader.id, _Hand())
            held = not fader.coding.relative and now_s - hand.moved_s < HAND_ON_S
            if not fader.motor or held:
                continue
            number = number_of(state, fader, now_s)
            if number is None or fader.quantity is Quantity.TRANSITION:
                continue
            if hand.sent is None or abs(hand.sent - number.place) > resolution(fader.coding) / 2:
                hand.sent = self._stands[fader.port, fader.control] = number.place
                found.append(Back(fader, number.place, number.words))
        return found

    def forget(self, fader_ids: frozenset[str]) -> None:
        """These controls are gone, or do something else now: where any stands is not known."""
        for fader_id in fader_ids:
            self._hands.pop(fader_id, None)
        self._stands.clear()

    def held_until_s(self, state: LiveState, bank: int) -> float:
        """When the last hand is off the controls that move, in clock time."""
        moved = (self._hands[f.id].moved_s for f in self.in_hand(state, bank) if f.motor and f.id in self._hands)
        return max(moved, default=float("-inf")) + HAND_ON_S


def _width(number: Number) -> float:
    """So far from what was asked a value may be, and still be it."""
    return 0.51 / number.whole if number.whole else 0.002
