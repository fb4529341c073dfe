"""What a survey of a camera may do: wait, look, ask for actions, and say how far it is.

In a show these wait for the real clock; in tests they turn a hand-wound one. So a survey reads as plain steps.
"""

from collections.abc import Callable, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass
from typing import Any, Protocol

from ribalta.core.engine.state.live import LiveState
from ribalta.core.picture.registration import Grey
from ribalta.core.ports.messages import Compared, Position
from ribalta.core.survey.job import Finding


class Stopped(Exception):
    """Somebody pressed Stop, or the show is closing."""


@dataclass(frozen=True, slots=True)
class Look:
    """A camera's picture, grey, and when it was captured."""

    picture: Grey
    captured_s: float


class Surveyor(Protocol):
    """Every method may raise `Stopped`."""

    def now_s(self) -> float:
        """Clock time in seconds."""
        ...

    @property
    def state(self) -> LiveState:
        """How everything stands now."""
        ...

    def act(self, action_id: str, **arguments: Any) -> None:
        """Ask for an action; what comes of it is seen in the state."""
        ...

    def wait(self, seconds: float, until: Callable[[LiveState], bool] = lambda _: False) -> bool:
        """Let time pass, until something is true or at most so long; True when it came true."""
        ...

    def alone(self) -> AbstractContextManager[None]:
        """While this lasts no other survey that looks for swapped pictures moves a camera."""
        ...

    def reports(self, camera_id: str) -> Sequence[Position]:
        """The positions that a camera has reported since the last call."""
        ...

    def look(self, camera_id: str) -> Look | None:
        """A camera's newest picture; None when it has none."""
        ...

    def stored(self, picture: str) -> Grey | None:
        """A framing's stored picture, grey; None when there is none."""
        ...

    def report(self, report: Compared) -> None:
        """What came of comparing two pictures."""
        ...

    def tell(self, share: float, sentence: str, *findings: Finding) -> None:
        """How far the work is (0..1), in words, and what was found since the last time."""
        ...
