"""What the remote room needs of a running show, and how it is told what came of a request."""

from collections.abc import Callable, Mapping
from typing import Any, Protocol

from ribalta.core.base.clock import Clock
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import ActionRan, Cause
from ribalta.core.ports.messages import Notice, Report


class FaderAccess(Protocol):
    """Faders and knobs. May be called from any thread; nothing of it waits."""

    def moved(self, port: str, control: str, raw: float) -> bool:
        """A control says a number. False when it was given nothing to move."""
        ...

    def gone(self, port: str) -> None:
        """A device came or went."""
        ...


class NoFaders:
    """Where nothing has been given to any."""

    def moved(self, port: str, control: str, raw: float) -> bool:
        return False

    def gone(self, port: str) -> None:
        return


Work = Callable[[str, bool], None]  # a control, and whether it is pressed or let go


class ShowAccess(Protocol):
    """May be called from any thread; nothing of it waits."""

    clock: Clock

    @property
    def state(self) -> LiveState: ...
    @property
    def backlog(self) -> int:
        """How many inputs wait to be taken in."""
        ...

    def ask(
        self,
        action_id: str,
        arguments: Mapping[str, Any],
        cause: Cause,
        answer: Callable[[ActionRan], None] | None = None,
    ) -> None: ...
    def report(self, report: Report) -> None: ...
    def say(self, notice: Notice) -> None: ...
