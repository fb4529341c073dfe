"""A measurement in real time is made again only when the machine itself was measured to be taken away meanwhile."""

from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

T = TypeVar("T")
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
