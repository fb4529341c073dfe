"""A thread for what is too slow for the engine."""

from collections.abc import Callable
from queue import SimpleQueue

from ribalta.workers.crew import Crew


class Chores:
    """Slow things, one after another, on a thread of their own; one that fails is said, and the next is done."""

    def __init__(self, crew: Crew | None = None) -> None:
        self._crew = crew or Crew()
        self._queue: SimpleQueue[Callable[[], None] | None] = SimpleQueue()
        self._worker = self._crew.worker("chores", self._run)

    def start(self) -> None:
        self._worker.start()

    def put(self, chore: Callable[[], None]) -> None:
        self._queue.put(chore)

    def stop(self) -> None:
        """When everything that was put off is done."""
        self._queue.put(None)
        self._worker.join()

    def _run(self) -> None:
        while (chore := self._queue.get()) is not None:
            with self._crew.guarded("what was put off", "It was not done: try it again."):
                chore()
