"""How a picture of program's own rate is shown frame by frame, however unevenly its frames come.

Frames of a device come a little early or late. Whoever shows the newest at each frame of program then shows some twice
and others never. Here each is shown once: what came early waits, for two frames at most, and one is passed over only
when all of them have waited for long, because the device's clock runs faster than ours.
"""

from collections import deque

LIKE = 0.05  # rates that are nearer than this are the same, and differ by their clocks only
SEEN = 50  # frames by which a rate is judged
LOOKED_OVER = 250  # frames of program until waiting is judged
LONG_S = 0.015  # waiting at least so long, every time, is for nothing
PAUSE_S = 0.5  # what comes after so long begins anew


class Pace:
    """Which frame of a source is shown, by number. `most_waiting`: how many frames the source keeps besides."""

    def __init__(self, most_waiting: int = 2) -> None:
        self.number: int | None = None
        self._most = most_waiting
        self._seen: deque[tuple[int, float]] = deque([(0, 0.0)], maxlen=SEEN)
        self._least_s, self._looked = float("inf"), 0

    def follow(self, newest: tuple[int, float] | None, now_s: float, frame_s: float | None) -> None:
        """At each frame of program: the source's newest frame, if it has one, with when it came, and whether it is on
        air (`frame_s`) or not (None)."""
        if newest is not None:
            self.see(*newest)
        if frame_s is not None:
            self.step(now_s, frame_s)
        else:
            self.leave()

    def see(self, newest: int, newest_s: float) -> None:
        """The number of the newest frame, and when it came."""
        before, before_s = self._seen[-1]
        if newest < before or newest_s - before_s > PAUSE_S:
            self._seen.clear()
            self.number = None
        if not self._seen or newest > before:
            self._seen.append((newest, newest_s))

    def leave(self) -> None:
        """It is not shown any more: from now on the newest frame is the one that counts."""
        self.number = None

    def step(self, now_s: float, frame_s: float) -> None:
        """Program goes on by one frame of `frame_s`: so does what is shown."""
        newest, newest_s = self._seen[-1]
        if self.number is None or not self._like(frame_s):
            self.number = newest
            self._least_s, self._looked = float("inf"), 0
            return
        self.number = min(newest, max(self.number + 1, newest - self._most))
        waiting = newest - self.number
        waited_s = now_s - newest_s + (waiting - 1) * frame_s if waiting else 0.0
        self._least_s, self._looked = min(self._least_s, waited_s), self._looked + 1
        if self._looked >= LOOKED_OVER:
            self.number += self._least_s > LONG_S
            self._least_s, self._looked = float("inf"), 0

    def _like(self, frame_s: float) -> bool:
        """Is the source's rate program's? Until that can be judged, it may be."""
        (first, first_s), (last, last_s) = self._seen[0], self._seen[-1]
        if len(self._seen) < SEEN:
            return True
        return abs((last_s - first_s) / (last - first) / frame_s - 1) < LIKE
