"""What this process asks of interpreter, libraries and memory while a show runs in it."""

import ctypes
import sys
import threading

from ribalta.media.threads import quiet_cv
from ribalta.workers.crew import Crew

SWITCH_S = 0.00005  # program waits for the interpreter several times a frame
GIVE_BACK_EVERY_S = 30.0


def settle_process() -> None:
    """Once or again, before threads are started."""
    sys.setswitchinterval(SWITCH_S)
    quiet_cv()


class FreeMemory:
    """Gives memory that is free back to the machine now and then: a few milliseconds' work, off every other thread.

    Frames of many sizes come and go on many threads; the C library keeps what they leave for ever, in pieces, so that
    in a long evening one bad minute after another would add to what the process holds. Where the system has no way to
    give it back, nothing is done.
    """

    def __init__(self, crew: Crew) -> None:
        self._stopping = threading.Event()
        self._trim = getattr(ctypes.CDLL(None), "malloc_trim", None)  # glibc
        self._worker = crew.worker("free memory", self._run)

    def start(self) -> None:
        self._worker.start()

    def stop(self) -> None:
        self._stopping.set()
        self._worker.stop()
        self._worker.join()

    def _run(self) -> None:
        while not self._stopping.wait(GIVE_BACK_EVERY_S):
            if self._trim is not None:
                self._trim(0)
