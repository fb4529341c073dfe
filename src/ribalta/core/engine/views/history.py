"""What ran lately, and why: the list behind “what made this camera move?”."""

from collections import deque
from collections.abc import Callable
from dataclasses import replace

from ribalta.core.ports.causes import ActionRan, By

KEPT = 5000
TOGETHER_S = 1.0
CALLED = {
    By.HAND: "by hand",
    By.KEY: "key",
    By.GAMEPAD: "gamepad",
    By.PAD: "pad",
    By.MACRO: "macro",
    By.TRIGGER: "trigger",
    By.PLAYLIST: "playlist",
    By.VOICE: "voice follow",
    By.GUEST: "guest",
    By.FADER: "fader",
}


class History:
    """One thread adds to it, and any may read meanwhile. A movement by hand that goes on and on is one line."""

    def __init__(self, is_continuous: Callable[[str], bool] = lambda _: False) -> None:
        """`is_continuous` says of an action, by its id, that what comes many times of it counts as one."""
        self._is_continuous = is_continuous
        self._lines: deque[ActionRan] = deque(maxlen=KEPT)
        self._by_number: dict[int, ActionRan] = {}

    def add(self, ran: ActionRan) -> None:
        """What has just run. What is continuous and goes on is one line."""
        last = self._lines[-1] if self._lines else None
        if last is not None and self._goes_on(last, ran):
            ran = replace(ran, times=last.times + 1)
            self._lines[-1] = ran
        else:
            if len(self._lines) == KEPT:
                self._by_number.pop(self._lines[0].number, None)
            self._lines.append(ran)
        self._by_number[ran.number] = ran
        if len(self._by_number) > 4 * KEPT:
            self._by_number = {line.number: line for line in self._lines}

    def _goes_on(self, last: ActionRan, ran: ActionRan) -> bool:
        same = (last.action, last.cause, last.refused, last.cameras) == (
            ran.action,
            ran.cause,
            ran.refused,
            ran.cameras,
        )
        goes_on = self._is_continuous(ran.action) or ran.cause.by is By.FADER
        return same and goes_on and ran.at_s - last.at_s < TOGETHER_S

    @property
    def lines(self) -> tuple[ActionRan, ...]:
        """The oldest first."""
        return tuple(self._lines)

    def find(self, number: int) -> ActionRan | None:
        """What ran under a number, if it is still known."""
        return self._by_number.get(number)

    def chain(self, number: int) -> tuple[ActionRan, ...]:
        """What ran under a number and all that led to it, the first cause first."""
        found: list[ActionRan] = []
        ran = self.find(number)
        while ran is not None and ran not in found:
            found.append(ran)
            ran = self.find(ran.cause.parent) if ran.cause.parent is not None else None
        return tuple(reversed(found))

    def chain_words(self, number: int | None) -> str:
        """The chain in words, the first cause first; empty when nothing is known."""
        return " → ".join(f"{cause_words(ran)}: {ran.words}" for ran in self.chain(number or 0))


def cause_words(ran: ActionRan) -> str:
    """Who or what asked for it."""
    by = CALLED.get(ran.cause.by, str(ran.cause.by))
    at = f" at desk {ran.cause.desk}" if ran.cause.desk else ""
    return f"{by} {ran.cause.words}".strip() + at
