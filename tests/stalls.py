"""A measurement in real time is made again only when the machine itself was measured to be taken away meanwhile."""

import time
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

T = TypeVar("T")
LONGEST_LOOK_S = 0.1
TICKS = 2  # of ten milliseconds each, of either core: what a hypervisor took


def taken_away() -> int:
    """Ticks that somebody else has had of this machine's cores since it was started (`steal`)."""
    return int(Path("/proc/stat").read_text().split("\n")[0].split()[8])


def steady(measure: Callable[[], T], is_good: Callable[[T], bool], tries: int = 3) -> T:
    """What `measure` finds, once that is good; it is made again only if the machine was taken away as it was not."""
    for left in reversed(range(tries)):
        before = taken_away()
        found = measure()
        lost = taken_away() - before
        if is_good(found) or lost < TICKS or not left:
            return found
        print(f"measured again: this machine was taken away for {10 * lost} ms meanwhile")
    raise AssertionError("never reached")


def attempted(attempt: Callable[[], None], between: Callable[[], object] = lambda: None, tries: int = 3) -> None:
    """`attempt` asserts something; it is made again, after `between`, only if the machine was taken away as it failed.
    What fails the last time has failed: nothing is skipped."""
    for left in reversed(range(tries)):
        before = taken_away()
        try:
            attempt()
            return
        except AssertionError:
            lost = taken_away() - before
            if lost < TICKS or not left:
                raise
            print(f"tried again: this machine was taken away for {10 * lost} ms meanwhile")
            between()


class Lived:
    """Time in which somebody looks every few milliseconds: between two looks counts for LONGEST_LOOK_S at the most, so
    that a machine that stands still uses nothing of it up."""

    def __init__(self, limit_s: float) -> None:
        self._limit_s, self._lived_s, self._looked_s = limit_s, 0.0, time.monotonic()

    def is_over(self) -> bool:
        """Asked at each look."""
        now_s = time.monotonic()
        self._lived_s += min(LONGEST_LOOK_S, now_s - self._looked_s)
        self._looked_s = now_s
        return self._lived_s > self._limit_s
