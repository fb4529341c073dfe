"""What a part of a running show may do as the show goes on."""

from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Event, Request

NEVER_S = float("inf")


class Part:
    """All of this is called on the engine's thread, part by part in the order in which they were attached. What a part
    raises is said and logged, and the other parts go on."""

    called = "a part of the show"  # in a sentence: "… failed"

    def next_deadline_s(self) -> float:
        """When `advance` next has something to do, in clock time."""
        return NEVER_S

    def advance(self, now_s: float) -> None:
        """Once a round, before the engine does what is due."""

    def follow(self, state: LiveState) -> None:
        """After every round, with what has become of the show by then."""

    def request(self, request: Request) -> None:
        """What the engine asks of devices."""

    def hear(self, event: Event, state: LiveState) -> None:
        """What has happened; `state` is how things stand now."""
