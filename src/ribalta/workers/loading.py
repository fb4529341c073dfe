"""Libraries that take a second to load: one after another, on a thread of its own, when everything else has begun.

Two threads that load parts of one large library at once can break it, and a thread that is waited for (the engine's,
the sound's) must not be the one that loads. So whoever needs them waits here first, or comes later anyway.
"""

import importlib
import sys
import threading

from ribalta.workers import garbage
from ribalta.workers.crew import Crew, Worker

BEGINS_AFTER_S = 3.0  # the first window and the first pictures come first
LONGEST_S = 60.0


class Loading:
    """`names` are modules."""

    def __init__(self, crew: Crew, *names: str) -> None:
        self._crew, self._names = crew, names
        self._done = threading.Event()
        self._worker: Worker | None = None

    def start(self) -> None:
        self._worker = self._crew.begin("loading", self._load)

    def _load(self) -> None:
        try:
            if all(name in sys.modules for name in self._names) or self._done.wait(BEGINS_AFTER_S):
                return  # they are there, or it is over
            for name in self._names:
                if self._done.is_set():
                    return
                with self._crew.guarded(f"loading {name}", "What needs it does not work."):
                    importlib.import_module(name)
            garbage.begin()  # looking through all of it once more would hold up a frame or two
        finally:
            self._done.set()

    def wait(self) -> None:
        """Until all is there. At once where nobody has started it."""
        if self._worker is not None:
            self._done.wait(LONGEST_S)

    def stop(self) -> None:
        """Nobody waits any more, and nothing more is loaded; wait for what is being loaded now."""
        self._done.set()
        if self._worker is not None:
            self._worker.join()
