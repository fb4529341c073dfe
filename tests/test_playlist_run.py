"""The demo's looping playlist in real time, against the stand-ins: what was foretold and rehearsed is what happens."""

import os
import threading

import pytest

from ribalta.assembly import Session
from ribalta.core.engine import outlook
from ribalta.core.engine.messages import Logged, Notice
from ribalta.core.engine.rehearsal import rehearse
from ribalta.core.show.calls import Call
from ribalta.core.show.storage import StoredShow, load
from ribalta.demo.children import StandIns
from ribalta.demo.clay_cup import SHIPPED, connected

pytestmark = pytest.mark.alone
RUNS_S, LATE_S = 120.0, 0.4  # less may come of a machine that stood still


class Listener:
    """Every take, with what was foretold of the next one when the one before it went on air."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.takes = []
        self.said: list[str] = []
        self._expected: dict[object, float] = {}
        session.listen(self.hear)

    def hear(self, event) -> None:
        if isinstance(event, Notice):
            self.said.append(event.sentence)
        if not isinstance(event, Logged):
            return
        state, now_s = self._session.state, self._session.clock.now_s()
        self.takes.append((event.record, self._expected.get(event.record.shot)))
        found = outlook.of_running(state, now_s, 3)
        if found is not None:
            coming = zip(found.plays[1:], found.foretold[1:], strict=True)
            self._expected = {play.shot: entry.late_s for play, entry in coming if play.shot is not None}


def test_for_two_minutes_every_cut_lands_as_it_was_foretold_and_rehearsed():
    standins = StandIns(f"ribalta-test-round-{os.getpid()}", again=False)
    try:
        stored = load(SHIPPED)
        show = connected(stored.show, standins.announcement)
        show = show.model_copy(
            update={"triggers": ()}
        )  # the demo's own would answer a camera that is lost for a moment
        session = Session(StoredShow(show, stored.pictures), None)
        session.start()
        try:
            there, answer = threading.Event(), threading.Event()
            for _ in range(600):
                lives = [session.state.live(c.id) for c in show.cameras if c.steered]
                if all(live.aim is not None for live in lives):
                    break
                there.wait(0.05)
            listener = Listener(session)
            session.act("playlist.start", {"playlist": "l1"})
            answer.wait(RUNS_S)
            session.act("playlist.stop", {})
        finally:
            session.stop()
    finally:
        standins.stop()
    takes = listener.takes
    assert len(takes) > 15
    assert all(record.landed for record, _ in takes), listener.said
    late = [record for record, _ in takes[1:] if record.held_s > LATE_S]
    announced = [record for record, foretold in takes[1:] if record.held_s > LATE_S and (foretold or 0.0) > 0.0]
    assert late == announced  # a cut that came late was said to be late before it was reached
    report = rehearse(show, Call(action="playlist.start", arguments={"playlist": "l1"}), RUNS_S)
    rehearsed = [(words, landed) for _, _, words, landed in report.shots]
    seen = [(session.state.shot_words(record.shot), record.landed) for record, _ in takes]
    assert abs(len(seen) - len(rehearsed)) <= 1
    assert seen[: len(rehearsed)] == rehearsed[: len(seen)]
