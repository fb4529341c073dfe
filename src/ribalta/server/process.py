"""What this process asks of interpreter, libraries and memory before a show runs in it."""

import contextlib
import ctypes
import sys

from ribalta.media.threads import quiet_cv

SWITCH_S = 0.00005  # program waits for the interpreter several times a frame
ARENAS = 2
M_ARENA_MAX = -8  # of mallopt(3), glibc


def settle_process() -> None:
    """Once or again, before threads are started."""
    sys.setswitchinterval(SWITCH_S)
    quiet_cv()
    _few_arenas()


def _few_arenas() -> None:
    """Frames that one thread takes and another lets go of come back: with an arena for each thread, what is free in one
    is not found by the others, and an evening's memory grows. Where the system knows no arenas, nothing changes."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).mallopt(M_ARENA_MAX, ARENAS)
