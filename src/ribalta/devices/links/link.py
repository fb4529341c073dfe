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
