"""What every link is: bytes to and from one device, never blocking, coming back by itself after trouble."""

from typing import Protocol


class Link(Protocol):
    """`trouble` says, as a phrase, why the line could not be opened; None when it is open or not tried yet."""

    trouble: str | None

    def fileno(self) -> int:
        """What to wait on, or -1 while there is nothing."""
        ...

    @property
    def opening(self) -> bool:
        """Wait for it to become writable: it is being connected."""
        ...

    def tend(self, now_s: float) -> None:
        """Open, or open again, when it is time to."""
        ...

    def next_deadline_s(self) -> float:
        """When `tend` next has something to do, in clock time; below everything: at once."""
        ...

    def send(self, data: bytes) -> None:
        """Send a message; what the line cannot take now is lost, as on a network. Never waits."""
        ...

    def receive(self) -> list[bytes]:
        """Everything that has arrived."""
        ...

    def close(self) -> None:
        """Does not wait for anything."""
        ...

    def wait(self) -> None:
        """After `close`: until nothing of it runs any more."""
        ...


NEVER_S = float("inf")


class BackOff:
    """When to try again: soon at first, then every `longest_s`. Working for a while forgets the past."""

    def __init__(self, first_s: float = 0.25, longest_s: float = 1.0) -> None:
        self._first_s, self._longest_s = first_s, longest_s
        self._next_s = first_s
        self.due_s = -NEVER_S

    def failed(self, now_s: float) -> None:
        """It is not tried again before `due_s`; each time the pause is twice as long."""
        self.due_s = now_s + self._next_s
        self._next_s = min(self._longest_s, self._next_s * 2)

    def worked(self) -> None:
        """The next pause is the shortest again."""
        self._next_s = self._first_s
