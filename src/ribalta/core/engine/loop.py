"""The engine: inputs in order of time, each turning one frozen state into the next.

What falls due between two inputs (a held take whose camera has become set, the end of a mix, the next step of a macro,
a trigger that waits on a time) happens at its own time, however late the loop is woken, so the same inputs always give
the same show. What one thing sets off runs right behind it, in order, and never without an end.
"""

from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import asdict, replace
from typing import Any

from pydantic import ValidationError

from ribalta.core.base.aim import Aim
from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine import dressing, playing, programme, sequencer, triggers, voicing
from ribalta.core.engine.action import Action, Outcome, Params, turned_down
from ribalta.core.engine.catalogue import CATALOGUE, Catalogue, why_not
from ribalta.core.engine.causes import BY_HAND, By, Cause, Ran
from ribalta.core.engine.landing import NEVER_S
from ribalta.core.engine.messages import (
    REPORT_KINDS,
    Drive,
    Event,
    GlideTo,
    GoHome,
    GoTo,
    MessageCame,
    Notice,
    Recall,
    Report,
    Request,
    Severity,
    TurnBy,
)
from ribalta.core.engine.removing import StillUsed
from ribalta.core.engine.reporting import take_in
from ribalta.core.engine.running import Queued
from ribalta.core.engine.state import LiveState
from ribalta.core.engine.tally import light
from ribalta.core.engine.taping import taped
from ribalta.core.engine.why import Why
from ribalta.core.engine.wording import words_of
from ribalta.core.show.calls import Broken, Call, arguments_of
from ribalta.core.show.model import Show

Entry = Mapping[str, Any]
TALLIED = ("show", "program", "changing", "dress", "fading")  # what cameras' lamps follow, besides their own reports
MOVES = (GoTo, GlideTo, Recall, GoHome, Drive, TurnBy)
MOST_AT_ONCE = 500  # things that may follow from one input
Firing = tuple[triggers.Happening, int | None, int]  # with the number of what led to it, and its depth


class Engine:
    """Not thread-safe: one owner calls it. `journal` is given every input before it has any effect."""

    def __init__(
        self, state: LiveState, journal: Callable[[Entry], None] = lambda _: None, catalogue: Catalogue = CATALOGUE
    ) -> None:
        self.state = state.with_(alarm_s=triggers.alarm_s(state))
        self.why = Why()
        self._journal = journal
        self._catalogue = catalogue
        self._events: list[Event] = []
        self._requests: list[Request] = []
        self._pending: deque[Queued | Firing] = deque()
        self._firings: deque[float] = deque(maxlen=triggers.MOST_A_SECOND)
        self._time_s = float("-inf")
        self._small = (self._time_s, 0)

    def act(
        self,
        action_id: str,
        arguments: Mapping[str, Any],
        now_s: float,
        recall_only: bool = False,
        cause: Cause = BY_HAND,
    ) -> Ran:
        """Run an action and say how it went. A refusal becomes a notice; nothing is raised.

        `recall_only`: it comes from a surface that must not change the show.
        """
        more: dict[str, Any] = {"recall_only": True} if recall_only else {}
        if cause != BY_HAND:
            more["cause"] = [str(cause.by), cause.words]
        self._journal({"t": now_s, "action": action_id, "params": dict(arguments)} | more)
        self.advance(now_s)
        ran = self._run(action_id, arguments, now_s, cause, recall_only)
        self._settle(now_s)
        self.advance(now_s)
        return ran

    def call(self, call: Call, now_s: float, cause: Cause) -> None:
        """Run a stored call, with what its items are now."""
        try:
            arguments = arguments_of(self.state.show, call)
        except Broken as gone:
            self._events.append(Notice(f"{_asker(cause)}: {gone}, so nothing was done.", Severity.REFUSED))
            return
        self.act(call.action, arguments, now_s, cause=cause)

    def take_over(self, show: Show, now_s: float) -> None:
        """Go on with another document, as after an edit. It is no input: the journal has the document itself."""
        self._accept(Outcome(self.state.with_show(show)), now_s, None, 0)
        self._settle(now_s)

    def report(self, report: Report, now_s: float) -> None:
        self._journal({"t": now_s, "report": type(report).__name__, "fields": asdict(report)})
        self.advance(now_s)
        self._accept(take_in(self.state, report, now_s), now_s, None, 0)
        if isinstance(report, MessageCame):
            self._pending.extend((h, None, 1) for h in triggers.of_message(self.state, report.line))
        self._settle(now_s)
        self.advance(now_s)

    def advance(self, now_s: float) -> None:
        """Let everything happen that is due by now, in order."""
        while (due := self.next_deadline_s()) <= now_s:
            if self.state.changing is not None and self.state.changing.ends_s == due:
                self._accept(programme.end_change(self.state, due), due, self._last_take, 1)
            elif dressing.due_s(self.state) == due:
                self._accept(dressing.settle(self.state, due), due, None, 0)
            elif programme.held_deadline_s(self.state) == due:
                self._release(due)
            else:
                self._later(due, max(due, self._time_s))
            self._settle(max(due, self._time_s))
        self._time_s = max(self._time_s, now_s)

    def next_deadline_s(self) -> float:
        """When `advance` next has something to do; infinity when only an input can change anything."""
        state = self.state
        ends = state.changing.ends_s if state.changing else NEVER_S
        return min(
            ends,
            dressing.due_s(state),
            programme.held_deadline_s(state),
            sequencer.due_s(state),
            playing.due_s(state),
            voicing.due_s(state),
            state.alarm_s,
            triggers.set_due_s(state),
        )

    def drain(self) -> tuple[list[Event], list[Request]]:
        """What has happened and what is asked of the rig since the last call, in order."""
        events, requests = self._events, self._requests
        self._events, self._requests = [], []
        return events, requests

    # What is due

    @property
    def _last_take(self) -> int | None:
        return (self.state.records[-1].ran or None) if self.state.records else None

    def _release(self, due: float) -> None:
        """A held take goes: on behalf of what asked for it."""
        held = self.state.held
        assert held is not None
        self.state = self.state.with_(doing=held.doing)
        self._accept(programme.release_held(self.state, due), due, held.doing or None, 1)
        self.state = self.state.with_(doing=0)

    def _later(self, due: float, now_s: float) -> None:
        """A macro's step, or what a trigger waits for."""
        if sequencer.due_s(self.state) == due:
            self._small_step(now_s)
        elif playing.due_s(self.state) == due:
            self._play_on(now_s)
        elif voicing.due_s(self.state) == due:
            self._voice_on(now_s)
        elif self.state.alarm_s == due:
            self.state, found = triggers.ring(self.state)
            self._pending.extend((h, None, 1) for h in found)
        else:
            self._accept(Outcome(self.state), now_s, None, 0)

    def _play_on(self, now_s: float) -> None:
        """The playlist's next entry: on behalf of what started it."""
        playlist = self.state.playing
        assert playlist is not None
        number = self.state.ran + 1
        cause = Cause(By.PLAYLIST, f"“{playlist.name}”", playlist.seed or None, 1)
        self.state = self.state.with_(ran=number, doing=number, depth=1)
        outcome = playing.advance(self.state, now_s)
        self._note(number, cause, outcome, now_s)
        self._accept(outcome, now_s, number, 1)
        self.state = self.state.with_(doing=0, depth=0)

    def _voice_on(self, now_s: float) -> None:
        """Voice follow looks again; what it then takes is told of like everything that runs."""
        number = self.state.ran + 1
        outcome = voicing.step(self.state.with_(doing=number, depth=1), now_s)
        after = outcome.state
        if after.program is self.state.program:
            self._accept(replace(outcome, state=after.with_(doing=0, depth=0)), now_s, None, 0)
            return
        assert after.program is not None
        words = f"Take {self.state.shot_words(after.program)}"
        moved = tuple(dict.fromkeys(r.camera_id for r in outcome.requests if isinstance(r, MOVES)))
        ran = Ran(number, now_s, Cause(By.VOICE, voicing.why(after)), "", words, "", moved)
        self.why.add(ran)
        self._events.append(ran)
        self._accept(replace(outcome, state=after.with_(ran=number)), now_s, number, 1)
        self.state = self.state.with_(doing=0, depth=0)

    def _note(self, number: int, cause: Cause, outcome: Outcome, now_s: float) -> None:
        """What a playlist did, as a line of what ran."""
        after = outcome.state.playing
        play = after.play if after is not None else None
        words = self.state.shot_words(play.shot) if play is not None and play.shot is not None else "the next entry"
        said = f"Play {words}" if after is not None else "End the playlist"
        moved = tuple(dict.fromkeys(r.camera_id for r in outcome.requests if isinstance(r, MOVES)))
        ran = Ran(number, now_s, cause, "playlist.play", said, "", moved)
        self.why.add(ran)
        self._events.append(ran)

    def _small_step(self, now_s: float) -> None:
        at_s, count = self._small
        self._small = (now_s, count + 1 if at_s == now_s else 1)
        if self._small[1] > sequencer.MOST_AT_ONCE:
            self._small = (now_s, 0)
            self._accept(sequencer.run_wild(self.state), now_s, None, 0)
            return
        small = sequencer.step(self.state, now_s)
        self._accept(small.outcome, now_s, None, 0)
        if small.queued is not None:
            self._pending.append(small.queued)

    # What runs

    def _settle(self, now_s: float) -> None:
        """Run what the last thing set off, and what that sets off, until nothing is left."""
        count = 0
        while self._pending:
            one = self._pending.popleft()
            count += 1
            if count > MOST_AT_ONCE:
                self._pending.clear()
                said = f"More than {MOST_AT_ONCE} things followed from one: the rest was dropped. Look under Why."
                self._events.append(Notice(said, Severity.FAULT))
            elif isinstance(one, Queued):
                self._run(one.call.action, one.call, now_s, one.cause)
            else:
                self._fire(*one, now_s)

    def _fire(self, happening: triggers.Happening, parent: int | None, depth: int, now_s: float) -> None:
        full = len(self._firings) == triggers.MOST_A_SECOND and now_s - self._firings[0] < 1.0
        deepest = triggers.DEEPEST + 1 if full else depth
        chain = self.why.chain_words(parent)
        outcome = triggers.fire(self.state, happening, now_s, parent, deepest, chain)
        if outcome.calls:
            self._firings.append(now_s)
        self._accept(outcome, now_s, parent, depth)

    def _run(
        self,
        action_id: str,
        given: Mapping[str, Any] | Call,
        now_s: float,
        cause: Cause,
        recall_only: bool = False,
    ) -> Ran:
        number = self.state.ran + 1
        before = self.state = self.state.with_(ran=number, doing=number, depth=cause.depth)
        words = action_id
        done: tuple[Action, Params] | None = None
        try:
            arguments = arguments_of(before.show, given) if isinstance(given, Call) else given
            row, params = self._catalogue.find(action_id, arguments)
            words = words_of(before, row, params)
            if recall_only and row.stores:
                raise ActionRefused(f"{row.sentence}: not from here. This surface only recalls; store at the desk.")
            outcome = row.run(before, params, now_s)
            done = row, params
        except Broken as gone:
            outcome = turned_down(before, f"{_asker(cause)}: {gone}, so nothing was done.")
        except StillUsed as used:
            outcome = turned_down(before, str(used)).saying(used.event)
        except ActionRefused as refusal:
            outcome = turned_down(before, str(refusal))
        except ValidationError as error:  # of a part that was to be made from the arguments
            outcome = turned_down(before, f"{words}: {why_not(error)}.")
        said = [e.sentence for e in outcome.events if isinstance(e, Notice) and e.severity is Severity.REFUSED]
        moved = tuple(dict.fromkeys(r.camera_id for r in outcome.requests if isinstance(r, MOVES)))
        ran = Ran(number, now_s, cause, action_id, words, said[0] if said else "", moved)
        self.why.add(ran)
        self._events.append(ran)
        self._accept(outcome, now_s, number, cause.depth)
        if done is not None and before.tape is not None:
            tape = taped(before, *done, cause, now_s).tape
            if self.state.tape is before.tape:
                self.state = self.state.with_(tape=tape)
        self.state = self.state.with_(doing=0, depth=0)
        return ran

    def _accept(self, outcome: Outcome, now_s: float, number: int | None, depth: int) -> None:
        """Make an outcome true: its state, what others are to hear of it, and what it sets off."""
        before = self.state
        if any(getattr(outcome.state, name) is not getattr(before, name) for name in TALLIED):
            outcome = outcome.then(light)
        if outcome.state.playing is not None:
            outcome = outcome.then(lambda s: playing.followed(before, s, now_s))
            if outcome.state.show is not before.show:
                outcome = replace(outcome, state=playing.retimed(outcome.state))
        outcome = outcome.then(lambda s: voicing.followed(before, s, now_s))
        state = triggers.with_alarm(before, outcome.state, now_s)
        if state.doing:
            for camera_id in {r.camera_id for r in outcome.requests if isinstance(r, MOVES)}:
                state = state.with_live(camera_id, moved_by=state.doing)
        were_set = triggers.set_now(state, now_s)
        self.state = state if were_set == state.were_set else state.with_(were_set=were_set)
        self._events.extend(outcome.events)
        self._requests.extend(outcome.requests)
        for happening in triggers.happened(before, self.state, outcome.events, now_s):
            self._pending.append((happening, number, depth + 1))
        for queued in outcome.calls:
            cause = queued.cause
            if cause.parent is None:
                cause = replace(cause, parent=number, depth=max(cause.depth, depth + 1))
            self._pending.append(Queued(queued.call, cause))


def _asker(cause: Cause) -> str:
    said = f"{cause.by} {cause.words}".strip()
    return said[0].upper() + said[1:]


REPORTS: dict[str, type[Report]] = {kind.__name__: kind for kind in REPORT_KINDS}


def replay(state: LiveState, entries: list[Entry]) -> Engine:
    """Run journalled inputs again from a state; the result is the state that they led to the first time."""
    engine = Engine(state)
    for entry in entries:
        if "action" in entry:
            cause = Cause(*entry["cause"]) if "cause" in entry else BY_HAND
            engine.act(entry["action"], entry["params"], entry["t"], entry.get("recall_only", False), cause)
        else:
            fields = dict(entry["fields"])
            for name in ("aim", "looked"):
                if name in fields:
                    fields[name] = Aim(**fields[name])
            engine.report(REPORTS[entry["report"]](**fields), entry["t"])
    return engine
