"""When each picture of a file is due, whatever its own times say: some have none, jump back, or far ahead."""

LONGEST_STEP_S = 2.0  # a longer one is a mistake of whoever wrote it
USUAL_S = 0.04


class Stamps:
    """Seconds from the first picture; asked once for each, in order."""

    def __init__(self) -> None:
        self._said_s: float | None = None
        self._step_s = USUAL_S
        self._at_s: float | None = None

    def due_s(self, said_s: float | None) -> float:
        """Of the next picture, whose own time is `said_s` (None: it has none): never before the one before it."""
        step_s = said_s - self._said_s if said_s is not None and self._said_s is not None else None
        if step_s is not None and 0 < step_s <= LONGEST_STEP_S:
            self._step_s = step_s
        elif step_s != 0:
            step_s = self._step_s
        self._at_s = 0.0 if self._at_s is None else self._at_s + step_s
        if said_s is not None:
            self._said_s = said_s
        return self._at_s
