"""What this process asks of interpreter and libraries before a show runs in it."""

from ribalta.media.quiet_cv import quiet_cv
from ribalta.workers import interpreter


def settle_process() -> None:
    """Once or again, before threads are started."""
    interpreter.settle()
    quiet_cv()
