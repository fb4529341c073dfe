"""How soon a thread that wants the interpreter gets it from another that is busy in Python.

Short is good for what waits and bad for what is done: each change of hands costs time too, and under a flood of
messages much of it went into changes. So it is short only while something is late for everybody when it waits.
"""

import sys
from collections.abc import Iterator
from contextlib import contextmanager

USUAL_S, SOON_S = 0.0005, 0.00005


def settle() -> None:
    """Once or again, before threads are started."""
    sys.setswitchinterval(USUAL_S)


@contextmanager
def handed_over_soon() -> Iterator[None]:
    """For what waits for the interpreter dozens of times, as a frame that is composed. One thread of a process."""
    sys.setswitchinterval(SOON_S)
    try:
        yield
    finally:
        sys.setswitchinterval(USUAL_S)
