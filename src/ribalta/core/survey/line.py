"""Listening to a camera's line: how quickly, how evenly and how surely it answers what it is asked anyway.

A hiccup is not the line's fault: it may be this machine's own. Only what is heard three times over is told.
"""

from dataclasses import dataclass

from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import LineQuality
from ribalta.core.survey.surveyor import Surveyor

TOLD_WITHIN_S = 1.3
SHORTEST_S, LONGEST_S, ENOUGH = 2.0, 6.0, 12
TRIES = 3
SLOW_S, UNEVEN_S, LOSS = 0.15, 0.035, 0.1


@dataclass(frozen=True, slots=True)
class Listened:
    """`mean_s`: from question to answer; `uneven_s`: how far from that answers are, on the mean."""

    asked: int
    lost: int
    mean_s: float
    uneven_s: float


class _Ear:
    """Notes every new word about a camera's line."""

    def __init__(self, hands: Surveyor, camera_id: str) -> None:
        self._hands, self._id = hands, camera_id
        self._before = self._last = hands.state.live(camera_id).line
        self._trips: list[tuple[float, float]] = []
        self._start_s = hands.now_s()

    def enough(self, state: LiveState) -> bool:
        live = state.live(self._id)
        if live.line is not self._last and live.round_trip_s is not None:
            self._last = live.line
            self._trips.append((live.round_trip_s, live.line.uneven_s))
        return self._hands.now_s() - self._start_s > SHORTEST_S and live.line.asked - self._before.asked >= ENOUGH

    def heard(self) -> Listened:
        line: LineQuality = self._hands.state.live(self._id).line
        trips = self._trips or [(0.0, 0.0)]
        mean_s, uneven_s = (sum(part) / len(trips) for part in zip(*trips, strict=True))
        return Listened(line.asked - self._before.asked, line.unanswered - self._before.unanswered, mean_s, uneven_s)


def listen(hands: Surveyor, camera_id: str) -> Listened:
    """Some seconds of listening."""
    known = hands.state.live(camera_id).line
    hands.wait(TOLD_WITHIN_S, lambda s: s.live(camera_id).line is not known)  # what was before is no matter
    for _ in range(TRIES):
        ear = _Ear(hands, camera_id)
        hands.wait(LONGEST_S, ear.enough)
        heard = ear.heard()
        if trouble(heard) is None:
            break
    return heard


def trouble(heard: Listened) -> str | None:
    """What is wrong with a line, the worst of it, as what the camera does ("answers late …"); None when all is well."""
    ms = f"after {1000 * heard.mean_s:.0f} ms"
    if heard.asked and heard.lost / heard.asked > LOSS:
        said = f"loses messages: {heard.lost} of {heard.asked} got no answer."
        return f"{said} Use a cable instead of radio, or another socket of the switch."
    if heard.uneven_s > UNEVEN_S:
        said = f"answers unevenly: {ms}, give or take {1000 * heard.uneven_s:.0f} ms."
        return f"{said} Some answers overtake others. Is it on radio? A cable is better."
    if heard.mean_s > SLOW_S:
        return f"answers late: {ms}. Is the network busy, or the camera far away?"
    return None
