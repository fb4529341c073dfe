"""A camera's source that never raises."""

from collections.abc import Callable

from ribalta.media.sources.source import Frame, FrameSource
from ribalta.workers.crew import Crew, Guard


class Guarded:
    """A camera's source that never raises: what it last gave stays, and what is wrong with it is said."""

    def __init__(self, source: FrameSource, crew: Crew, name: str, called: Callable[[str], str]) -> None:
        self.source = source
        self._crew, self._name, self._called = crew, name, called
        self._best: Frame | None = None
        self._small: Frame | None = None
        self._newest_s = 0.0
        self._trouble: str | None = None

    @property
    def trouble(self) -> str | None:
        """See `FrameSource`."""
        with self._guarded():
            self._trouble = self.source.trouble
        return self._trouble

    @property
    def newest_s(self) -> float:
        """See `FrameSource`."""
        with self._guarded():
            self._newest_s = self.source.newest_s
        return self._newest_s

    def arrives(self, now_s: float) -> bool:
        """See `FrameSource`."""
        with self._guarded():
            return self.source.arrives(now_s)
        return False

    def want_main(self, now_s: float) -> None:
        """See `FrameSource`."""
        with self._guarded():
            self.source.want_main(now_s)

    def step(self, now_s: float, frame_s: float | None) -> None:
        """See `FrameSource`."""
        with self._guarded():
            self.source.step(now_s, frame_s)

    def best(self) -> Frame | None:
        """See `FrameSource`."""
        with self._guarded():
            self._best = self.source.best()
        return self._best

    def small(self) -> Frame | None:
        """See `FrameSource`."""
        with self._guarded():
            self._small = self.source.small()
        return self._small

    def close(self) -> None:
        """It is closed by whoever opened it."""

    def _guarded(self) -> Guard:
        return self._crew.guarded(f"the picture of {self._called(self._name)}", "Its last one stays.")
