"""What is in real time is tried again only when the machine itself was measured to be taken away meanwhile."""

import time
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

import pytest
from _pytest.runner import runtestprotocol

T = TypeVar("T")
LONGEST_LOOK_S = 0.1
AGAIN = "tried again"
TRIES, TICKS = 3, 2  # of ten milliseconds each, of either core: what a hypervisor took


def taken_away() -> int:
    """Ticks that somebody else has had of this machine's cores since it was started (`steal`)."""
    return int(Path("/proc/stat").read_text().split("\n")[0].split()[8])


def steady(measure: Callable[[], T], is_good: Callable[[T], bool], tries: int = TRIES) -> T:
    """What `measure` finds, once that is good; it is made again only if the machine was taken away as it was not."""
    for left in reversed(range(tries)):
        before = taken_away()
        found = measure()
        lost = taken_away() - before
        if is_good(found) or lost < TICKS or not left:
            return found
        print(f"measured again: this machine was taken away for {10 * lost} ms meanwhile")
    raise AssertionError("never reached")


def attempted(attempt: Callable[[], None], between: Callable[[], object] = lambda: None, tries: int = TRIES) -> None:
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


def is_in_real_time(item: pytest.Item) -> bool:
    """Does it speak with stand-ins over sockets, or is it marked to be?"""
    marked = item.get_closest_marker("alone") or item.get_closest_marker("real_time")
    return marked is not None or "standins" in getattr(item, "fixturenames", ())


def pytest_runtest_protocol(item: pytest.Item, nextitem: pytest.Item | None) -> bool | None:
    """Pytest's hook: a whole test in real time is tried again, only if the machine was taken away as it failed."""
    if not is_in_real_time(item):
        return None
    item.ihook.pytest_runtest_logstart(nodeid=item.nodeid, location=item.location)
    for left in reversed(range(TRIES)):
        before = taken_away()
        reports = runtestprotocol(item, log=False, nextitem=nextitem)
        lost = taken_away() - before
        if not any(one.failed for one in reports) or lost < TICKS or not left:
            break
        item.user_properties.append((AGAIN, f"this machine was taken away for {10 * lost} ms meanwhile"))
        item._initrequest()  # type: ignore[attr-defined]
    for one in reports:
        item.ihook.pytest_runtest_logreport(report=one)
    item.ihook.pytest_runtest_logfinish(nodeid=item.nodeid, location=item.location)
    return True


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    """Pytest's hook: what was tried again is said, also when it came right."""
    for reports in terminalreporter.stats.values():
        for one in reports:
            if getattr(one, "when", "") == "call":
                for name, why in one.user_properties:
                    terminalreporter.write_line(f"{name}: {one.nodeid}: {why}")


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
