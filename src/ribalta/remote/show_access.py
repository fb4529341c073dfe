"""What the remote room needs of a running show, and how it is told what came of a request."""

from collections.abc import Callable, Mapping
from typing import Any, Protocol

from ribalta.core.base.clock import Clock
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import ActionRan, Cause
from ribalta.core.ports.messages import Notice, Report

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
