"""What this process asks of interpreter and libraries before a show runs in it."""

import sys

from ribalta.media.quiet_cv import quiet_cv

SWITCH_S = 0.00005  # program waits for the interpreter several times a frame


def settle_process() -> None:
    """Once or again, before threads are started."""
    sys.setswitchinterval(SWITCH_S)
    quiet_cv()
