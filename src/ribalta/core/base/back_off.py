"""When to try again what has failed: soon at first, then at longer and longer intervals."""


class BackOff:
    """Pauses in seconds, each twice as long as the one before, up to `longest_s`. Working forgets the past."""

    def __init__(self, first_s: float = 0.25, longest_s: float = 1.0) -> None:
        self._first_s, self._longest_s = first_s, longest_s
        self._next_s = first_s
        self.due_s = float("-inf")

    def pause_s(self) -> float:
        """It has failed: how long to wait now."""
        now_s, self._next_s = self._next_s, min(self._longest_s, self._next_s * 2)
        return now_s

    def failed(self, now_s: float) -> None:
        """The same for who does not wait: it is not tried again before `due_s`, in clock time."""
        self.due_s = now_s + self.pause_s()

    def worked(self) -> None:
        """The next pause is the shortest again."""
        self._next_s = self._first_s
