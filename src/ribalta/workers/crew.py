"""One way to run a thread: what it meets is said and logged, it begins again, and somebody sees when it stands still.

A crew belongs to whoever starts threads (a session, a stand-in), and is handed down. Nothing here knows what they do.
"""

import logging
import sys
import threading
import time
import traceback
from collections.abc import Callable

from ribalta.core.base.back_off import BackOff

FIRST_PAUSE_S, LONGEST_PAUSE_S = 0.1, 5.0
CALM_AFTER_S = 10.0  # what has run for so long begins again soon
SAY_AGAIN_S, LOG_AGAIN_S, MOST_KNOWN = 10.0, 1.0, 200
LOOK_EVERY_S = 0.5
_log = logging.getLogger(__name__)
Say = Callable[[str], None]


class Worker:
    """A thread with a name. `run` is its whole work: when it returns the thread is over; when it raises, that is said,
    and it is called again after a pause that grows (`again`), or the thread is over too.

    `limit_s`: whoever calls `beat` at least so often is alive; else the crew says that it stands still.
    """

    def __init__(
        self, crew: "Crew", name: str, run: Callable[[], None], again: bool = True, limit_s: float | None = None
    ) -> None:
        self.name, self.limit_s = name, limit_s
        self.beat_s: float | None = None
        self.stands_still = False
        self._crew, self._work, self._again = crew, run, again
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)

    def start(self) -> None:
        self._crew.take_on(self)
        self._thread.start()

    def stop(self) -> None:
        """It does not begin again any more. Whatever makes `run` return is the owner's own."""
        self._stopping.set()

    def join(self, timeout_s: float | None = None) -> None:
        """Wait for its end; nothing when it was never started, or when it is this thread itself."""
        if self._thread.ident is not None and self._thread is not threading.current_thread():
            self._thread.join(timeout_s)

    def is_alive(self) -> bool:
        return self._thread.is_alive()

    def beat(self) -> None:
        """On the thread itself: a round is done."""
        self.beat_s = time.monotonic()

    def stack(self) -> str:
        """Where it is now, for the log."""
        frame = sys._current_frames().get(self._thread.ident or -1)
        return "".join(traceback.format_stack(frame)) if frame is not None else "it is over"

    def _run(self) -> None:
        back_off = BackOff(FIRST_PAUSE_S, LONGEST_PAUSE_S)
        try:
            while True:
                began_s = time.monotonic()
                try:
                    self._work()
                    return
                except Exception as error:
                    self._crew.failed(self.name, error, "It begins again." if self._again else "It was given up.")
                if not self._again:
                    return
                if time.monotonic() - began_s > CALM_AFTER_S:
                    back_off.worked()
                if self._stopping.wait(back_off.pause_s()):
                    return
        finally:
            self._crew.dismiss(self)


class Guard:
    """Around a part of a round that may fail by itself; see `Crew.guarded`."""

    __slots__ = ("_crew", "_then", "_what")

    def __init__(self, crew: "Crew", what: str, then: str) -> None:
        self._crew, self._what, self._then = crew, what, then

    def __enter__(self) -> None:
        """Nothing is set up."""

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> bool:
        if not isinstance(error, Exception):
            return False
        self._crew.failed(self._what, error, self._then)
        return True


class Crew:
    """The threads of one owner. `say` is told a sentence for people; it is called on any thread and returns at once."""

    def __init__(self, say: Say = lambda _: None, relieve: Say | None = None) -> None:
        """`relieve` is told, as `say` is, when a trouble is over."""
        self.say, self.relieve = say, relieve or say
        self._workers: set[Worker] = set()
        self._lock = threading.Lock()
        self._said: dict[tuple[str, str], float] = {}
        self._logged: dict[tuple[str, str], tuple[float, int]] = {}
        self._over = threading.Event()
        self._watch: Worker | None = None

    def worker(self, name: str, run: Callable[[], None], again: bool = True, limit_s: float | None = None) -> Worker:
        """One that is still to be started."""
        return Worker(self, name, run, again, limit_s)

    def begin(self, name: str, run: Callable[[], None], failed: Say | None = None) -> Worker:
        """One that works already on something that is done once. `failed` is told why it could not be done."""

        def told() -> None:
            try:
                run()
            except Exception as error:
                if failed is not None:
                    failed(f"Ribalta made a mistake ({type(error).__name__}): it was not done. Try it again.")
                raise

        worker = Worker(self, name, told, again=False)
        worker.start()
        return worker

    @property
    def workers(self) -> tuple[Worker, ...]:
        """Those that run."""
        with self._lock:
            return tuple(self._workers)

    def guarded(self, what: str, then: str = "It is tried again.") -> "Guard":
        """Around one part of a round: if it fails, that is said, and the round goes on."""
        return Guard(self, what, then)

    def failed(self, what: str, error: BaseException, then: str = "It is tried again.") -> None:
        """Say it, once in a while at the most, and put into the log what is known of it."""
        key, now_s = (what, type(error).__name__), time.monotonic()
        with self._lock:
            if len(self._said) > MOST_KNOWN:
                self._said.clear()
                self._logged.clear()
            logged_s, passed_over = self._logged.get(key, (float("-inf"), 0))
            logs = now_s - logged_s >= LOG_AGAIN_S
            self._logged[key] = (now_s, 0) if logs else (logged_s, passed_over + 1)
            says = now_s - self._said.get(key, float("-inf")) >= SAY_AGAIN_S
            if says:
                self._said[key] = now_s
        if logs:
            before = f" ({passed_over} times more before)" if passed_over else ""
            _log.error("%s failed in thread “%s”%s", what, threading.current_thread().name, before, exc_info=error)
        if says:
            self.say(f"{what[:1].upper()}{what[1:]} met a mistake of Ribalta's ({type(error).__name__}). {then}")

    # Liveness

    def watch(self) -> None:
        """From now on it is said when a worker with a limit has not beaten for so long, and when it does again."""
        self._watch = self.worker("liveness", self._look)
        self._watch.start()

    def end(self) -> None:
        """Nobody is watched any more."""
        self._over.set()
        if self._watch is not None:
            self._watch.stop()
            self._watch.join()

    def _look(self) -> None:
        looked_s = time.monotonic()
        while not self._over.wait(LOOK_EVERY_S):
            now_s = time.monotonic()
            if now_s - looked_s < 2 * LOOK_EVERY_S:  # else the whole machine stood still, and everybody with it
                self.look(now_s)
            looked_s = now_s

    def look(self, now_s: float) -> None:
        for worker in self.workers:
            if worker.limit_s is None or worker.beat_s is None:
                continue
            age_s = now_s - worker.beat_s
            if age_s > worker.limit_s and not worker.stands_still:
                worker.stands_still = True
                _log.error("thread “%s” has not come round for %.1f s:\n%s", worker.name, age_s, worker.stack())
                self.say(f"The thread “{worker.name}” has stood still for {age_s:.0f} s. It is waited for.")
            elif age_s <= worker.limit_s and worker.stands_still:
                worker.stands_still = False
                self.relieve(f"The thread “{worker.name}” works again.")

    def take_on(self, worker: Worker) -> None:
        with self._lock:
            self._workers.add(worker)

    def dismiss(self, worker: Worker) -> None:
        with self._lock:
            self._workers.discard(worker)
