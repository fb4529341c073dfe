"""The list of messages: what came and went lately, and what was answered."""

from collections import deque
from dataclasses import dataclass, replace

KEPT = 500


@dataclass(frozen=True, slots=True)
class MessageLine:
    """`way` is "in" or "out"; `who` the destination or sender; `answer` what came of it, as soon as that is known."""

    number: int
    at_s: float
    way: str
    who: str
    words: str
    answer: str = ""
    failed: bool = False
    times: int = 1


class Log:
    """Read by the desk, written by the remote thread. The same again right after itself is one line."""

    def __init__(self) -> None:
        self._lines: deque[MessageLine] = deque(maxlen=KEPT)
        self._count = 0

    @property
    def lines(self) -> tuple[MessageLine, ...]:
        return tuple(self._lines)

    def add(self, at_s: float, way: str, who: str, words: str, answer: str = "", failed: bool = False) -> int:
        """The number of the line, by which it can be answered."""
        last = self._lines[-1] if self._lines else None
        same = last is not None and (last.way, last.who, last.words) == (way, who, words)
        if last is not None and same and at_s - last.at_s < 1.0 and way == "in":
            self._lines[-1] = replace(last, times=last.times + 1, at_s=at_s, answer=answer, failed=failed)
            return last.number
        self._count += 1
        self._lines.append(MessageLine(self._count, at_s, way, who, words[:300], answer[:300], failed))
        return self._count

    def answer(self, number: int, answer: str, failed: bool = False) -> None:
        for k in range(len(self._lines) - 1, -1, -1):
            if self._lines[k].number == number:
                self._lines[k] = replace(self._lines[k], answer=answer[:300], failed=failed)
                return
