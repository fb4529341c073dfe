"""The demo's looping playlist, against the stand-ins: what was foretold and rehearsed is what happens."""

import threading

import pytest

from ribalta.core.engine.dryrun.rehearsal import rehearse
from ribalta.core.engine.views import playlist_outlook
from ribalta.core.ports.messages import Logged, Notice
from ribalta.core.ports.shots import LandingRecord
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.storage import StoredShow, load
from ribalta.demo.shipped import SHIPPED, connected
from ribalta.server.session import Session
from tests.survey.wound import World

ROUNDS = Call(action="playlist.start", arguments={"playlist": "l1"})
REAL_S, LATE_S = 9.0, 0.4  # less may come of a machine that stood still


class Listener:
    """Every take, with what was foretold of the next one when the one before it went on air."""

    def __init__(self) -> None:
        self.takes: list[tuple[LandingRecord, float | None]] = []
        self.said: list[str] = []
        self._expected: dict[object, float] = {}

    def hear(self, event, state, now_s: float) -> None:
        if isinstance(event, Notice):
            self.said.append(event.sentence)
        if not isinstance(event, Logged):
            return
        self.takes.append((event.record, self._expected.get(event.record.shot)))
        found = playlist_outlook.of_running(state, now_s, 3)
        if found is not None:
            coming = zip(found.plays[1:], found.foretold[1:], strict=True)
            self._expected = {play.shot: entry.late_s for play, entry in coming if play.shot is not None}

    def holds(self, show: Show, state, seconds: float, late_s: float = LATE_S) -> None:
        takes = self.takes
        assert len(takes) > seconds / 8
        assert all(record.landed for record, _ in takes), self.said
        late = [record for record, _ in takes[1:] if record.held_s > late_s]
        announced = [record for record, foretold in takes[1:] if record.held_s > late_s and (foretold or 0.0) > 0.0]
        assert late == announced  # a cut that came late was said to be late before it was reached
        report = rehearse(show, ROUNDS, seconds)
        rehearsed = [(words, landed) for _, _, words, landed in report.shots]
        seen = [(state.shot_words(record.shot), record.landed) for record, _ in takes]
        assert abs(len(seen) - len(rehearsed)) <= 1
        assert seen[: len(rehearsed)] == rehearsed[: len(seen)]


def without_triggers(show: Show) -> Show:
    """The demo's own would answer a camera that is lost for a moment."""
    return show.model_copy(update={"triggers": ()})


def test_for_two_minutes_every_cut_lands_as_it_was_foretold_and_rehearsed():
    show = without_triggers(load(SHIPPED).show)
    world, listener = World.of(show), Listener()
    world.events.clear()
    world.act(ROUNDS.action, **ROUNDS.arguments)

    def hear(state) -> bool:
        for event in world.events:
            listener.hear(event, state, world.now_s())
        world.events.clear()
        return False

    world.wait(120.0, hear)
    listener.holds(show, world.state, 120.0)


@pytest.mark.alone
def test_in_real_time_too(standins):
    stored = load(SHIPPED)
    show = without_triggers(connected(stored.show, standins.announcement))
    session = Session(StoredShow(show, stored.pictures), None)
    session.start()
    try:
        there, answer, listener = threading.Event(), threading.Event(), Listener()
        for _ in range(600):
            lives = [session.state.live(c.id) for c in show.cameras if c.steered]
            if all(live.aim is not None for live in lives):
                break
            there.wait(0.05)
        session.listen(lambda event: listener.hear(event, session.state, session.clock.now_s()))
        session.act(ROUNDS.action, ROUNDS.arguments)
        answer.wait(REAL_S)
        session.act("playlist.stop", {})
    finally:
        session.stop()
    listener.holds(show, session.state, REAL_S)
