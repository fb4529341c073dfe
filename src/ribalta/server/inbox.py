"""The way from any thread to the engine's: work to be done with the engine, and events for everybody who listens."""

from collections.abc import Callable
from queue import SimpleQueue

from ribalta.core.engine.loop import Engine
from ribalta.core.ports.messages import Event

Work = Callable[[Engine], None]


class Inbox:
    """`put` and `say` may be called from any thread and never wait; one thread takes."""

    def __init__(self) -> None:
        self._queue: SimpleQueue[Work | Event] = SimpleQueue()

    def put(self, work: Work) -> None:
        """Have something done on the engine's thread, after what was put in before."""
        self._queue.put(work)

    def say(self, event: Event) -> None:
        """Tell everybody, in order with all that is put in."""
        self._queue.put(event)

    def take(self, timeout_s: float) -> Work | Event:
        """What came first, waiting for at most `timeout_s` seconds. Raises queue.Empty when nothing came."""
        return self._queue.get(timeout=timeout_s) if timeout_s > 0 else self._queue.get_nowait()

    def __len__(self) -> int:
        """How many wait."""
        return self._queue.qsize()
