"""The engine: inputs in order of time, each turning one frozen state into the next.

What falls due between two inputs (a held take whose camera has become set, the end of a mix, the next step of a macro,
a trigger that waits on a time) happens at its own time, however late the loop is woken, so the same inputs always give
the same show. What one thing sets off runs right behind it, in order, and never without an end.
"""

from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from ribalta.core.base.values import plain_fields
from ribalta.core.engine import deadlines, mishaps
from ribalta.core.engine.actions import guests
from ribalta.core.engine.actions.cameras import steering
from ribalta.core.engine.aftermath import with_followers
from ribalta.core.engine.attempt import as_one_edit, asker, attempt, last_take, moved, playlist_ran, run_of
from ribalta.core.engine.automation import macro_runner, playlist_runner, triggers
from ribalta.core.engine.automation.macro_recorder import with_call
from ribalta.core.engine.catalogue import CATALOGUE, Catalogue
from ribalta.core.engine.deadlines import Deadline, DueTable
from ribalta.core.engine.mishaps import SwitchedOff, mistake
from ribalta.core.engine.program import overlays, switching
from ribalta.core.engine.reporting import apply_report
from ribalta.core.engine.state.action import Action, Outcome, Params
from ribalta.core.engine.state.automation_state import Queued
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.state.seats import put_back, seated
from ribalta.core.engine.trouble import Trouble
from ribalta.core.engine.views.as_run import AsRun, as_tree
from ribalta.core.engine.views.history import History
from ribalta.core.engine.voice import voice_follow
from ribalta.core.ports.as_run import AsRunAdded, TakeShown
from ribalta.core.ports.causes import BY_HAND, ActionRan, By, Cause
from ribalta.core.ports.messages import ClockSet, Event, MessageCame, Notice, Report, Request, Severity
from ribalta.core.show.automation.calls import Broken, Call, arguments_of
from ribalta.core.show.document.model import Show

Entry = Mapping[str, Any]
Journal = Callable[[Entry, LiveState], None]
MOST_AT_ONCE = 500  # things that may follow from one input
Firing = tuple[triggers.Happening, int | None, int]  # with the number of what led to it, and its depth


@dataclass(frozen=True)
class _Mark:
    """Where the engine was, to go back there."""

    state: LiveState
    pending: tuple[Queued | Firing, ...]
    events: int
    requests: int


class Engine:
    """Not thread-safe: one owner calls it. `journal` is given every input before it has any effect, and the state that
    it meets.

    An input happens wholly or not at all. If something raises that is no refusal, state, pending calls, events and
    requests are as they were before it (only what is counted goes on), and it is said and logged. What fell due and
    failed is ended or switched off, so that the next input meets it no more.
    """

    def __init__(self, state: LiveState, journal: Journal = lambda *_: None, catalogue: Catalogue = CATALOGUE) -> None:
        self.state = state
        self.history = History(catalogue.is_continuous)
        self.as_run = AsRun(self.history)
        self._journal, self._catalogue = journal, catalogue
        self._events: list[Event] = []
        self._requests: list[Request] = []
        self._pending: deque[Queued | Firing] = deque()
        self._firings: deque[float] = deque(maxlen=triggers.MOST_A_SECOND)
        self._time_s = float("-inf")  # up to here all that was due has happened
        self._now_s = state.automation.times_done_s  # of the input that is taken in
        self._small = (self._time_s, 0)
        self._last_edit = ("", BY_HAND, self._time_s)
        self._trouble = Trouble(lambda: self._events, lambda: self._now_s)
        rows = (
            Deadline("transition", deadlines.change_ends_s, self._end_change, mishaps.without_change),
            Deadline("fades", overlays.due_s, self._by_itself(overlays.settle), mishaps.without_fades),
            Deadline("held take", switching.held_deadline_s, self._release, mishaps.without_held),
            Deadline("macros", macro_runner.due_s, self._small_step, deadlines.without_due_run),
            Deadline("playlist", playlist_runner.due_s, self._play_on, mishaps.without_playlist),
            Deadline("voice follow", voice_follow.due_s, self._voice_on, mishaps.without_voice),
            Deadline("alarm", deadlines.alarm_s, self._ring, deadlines.without_failing_alarms),
            Deadline("beats", steering.beat_s, self._by_itself(steering.stop_pushed), mishaps.without_beats),
            Deadline(
                "invitations", guests.ends_s, self._by_itself(guests.end_invitations), mishaps.without_invitations
            ),
            Deadline("set", triggers.set_due_s, self._look_who_is_set, deadlines.without_set),
        )
        self._due = DueTable(rows, lambda: self.state, lambda: self._now_s, self._put_off)
        try:
            self.state = state.with_automation(alarm_s=triggers.alarm_s(state))
        except Exception as error:
            self._put_off(deadlines.without_failing_alarms(state), error)

    def act(
        self,
        action_id: str,
        arguments: Mapping[str, Any],
        now_s: float,
        recall_only: bool = False,
        cause: Cause = BY_HAND,
    ) -> ActionRan:
        """Run an action and say how it went. A refusal becomes a notice; nothing is raised.

        `recall_only`: it comes from a surface that must not change the show.
        """
        more: dict[str, Any] = {"recall_only": True} if recall_only else {}
        cause = self.state.guests.speaking(cause)
        if cause != BY_HAND:
            more["cause"] = cause.brief()
        self._now_s = now_s
        self._write_down({"t": now_s, "action": action_id, "params": dict(arguments)} | more)
        self.advance(now_s)
        in_hand = self.state.desk
        self.state = seated(self.state, cause.desk)
        ran = self._run(action_id, arguments, now_s, cause, recall_only)
        self._settle(now_s)
        self.state = put_back(self.state, in_hand, cause)
        self.advance(now_s)
        return ran

    def call(self, call: Call, now_s: float, cause: Cause) -> None:
        """Run a stored call, with what its items are now."""
        try:
            arguments = arguments_of(self.state.show, call)
        except Broken as gone:
            self._events.append(Notice(f"{asker(cause)}: {gone}, so nothing was done.", Severity.REFUSED))
            return
        except Exception as error:
            self._trouble.failed(asker(cause), error, "Nothing was done.")
            return
        self.act(call.action, arguments, now_s, cause=cause)

    def take_over(self, show: Show, now_s: float) -> None:
        """Go on with another document, as after an edit. It is no input: the journal has the document itself."""
        self._accept(Outcome(self.state.with_show(show)), now_s, None, 0)
        self._settle(now_s)

    def report(self, report: Report, now_s: float) -> None:
        """Take in what a device or the mixer says. Nothing is raised."""
        self._now_s = now_s
        self._write_down({"t": now_s, "report": type(report).__name__, "fields": plain_fields(report)})
        self.advance(now_s)
        mark = self._mark()
        try:
            self._accept(apply_report(self.state, report, now_s), now_s, None, 0)
        except Exception as error:
            self._back_to(mark)
            self._trouble.failed(f"What was reported ({type(report).__name__})", error, "It was passed over.")
        if isinstance(report, MessageCame):
            self._hear(report, now_s)
        if isinstance(report, TakeShown):
            self.as_run.shown_at_s.setdefault(report.take, report.at_s)
        if isinstance(report, ClockSet):
            passed = lambda: triggers.skipped(mark.state, self.state, now_s)  # noqa: E731
            self._pending.extend((h, None, 1) for h in self._happenings(passed))
        self._settle(now_s)
        self.advance(now_s)

    def _happenings(self, look: Callable[[], list[triggers.Happening]]) -> list[triggers.Happening]:
        nothing: list[triggers.Happening] = []
        return self._trouble.beside("Triggers", nothing, look)

    def _hear(self, message: MessageCame, now_s: float) -> None:
        heard = lambda: list(triggers.of_message(self.state, message.line))  # noqa: E731
        self._pending.extend((h, None, 1) for h in self._happenings(heard))

    def advance(self, now_s: float) -> None:
        """Let everything happen that is due by now, in order. What fails is ended, and the rest happens."""
        self._now_s = max(self._now_s, now_s)
        while True:
            due_s, one = self._due.first()
            if one is None or due_s > now_s:
                break
            at_s = max(due_s, self._time_s)
            mark = self._mark()
            try:
                one.step(due_s)
            except Exception as error:
                self._back_to(mark)
                self._put_off(one.ended(self.state), error)
                self._due.failed(one, due_s)
            self._settle(at_s)
        self._time_s = max(self._time_s, now_s)

    def next_deadline_s(self) -> float:
        """When `advance` next has something to do; infinity when only an input can change anything."""
        return self._due.first()[0]

    def drain(self) -> tuple[list[Event], list[Request]]:
        """What has happened and what is asked of the rig since the last call, in order."""
        events, requests = self._events, self._requests
        self._events, self._requests = [], []
        return events, requests

    # What fails

    def _mark(self) -> _Mark:
        return _Mark(self.state, tuple(self._pending), len(self._events), len(self._requests))

    def _back_to(self, mark: _Mark) -> None:
        self.state = mark.state
        self._pending = deque(mark.pending)
        del self._events[mark.events :]
        del self._requests[mark.requests :]

    def _put_off(self, ended: SwitchedOff, error: Exception) -> None:
        """Go on without what has failed."""
        self.state = ended.state
        self._trouble.failed(ended.what, error, ended.then)

    def _write_down(self, entry: Entry) -> None:
        try:
            self._journal(entry, self.state)
        except Exception as error:
            self._trouble.failed("The journal", error, "Save the show: what is edited now may be lost.")

    # What is due

    def _end_change(self, due_s: float) -> None:
        self._accept(switching.end_change(self.state, due_s), due_s, last_take(self.state), 1)

    def _release(self, due_s: float) -> None:
        """A held take goes: on behalf of what asked for it."""
        held = self.state.program.held
        assert held is not None
        self.state = self.state.with_run(id=held.run_id)
        self._accept(switching.release_held(self.state, due_s), due_s, held.run_id or None, 1)
        self.state = self.state.with_run(id=0)

    def _ring(self, due_s: float) -> None:
        """What triggers wait for."""
        self.state, found = triggers.ring(self.state)
        self._pending.extend((h, None, 1) for h in found)

    def _by_itself(self, step: Callable[[LiveState, float], Outcome]) -> Callable[[float], None]:
        """For what is done at its time on nobody's behalf."""
        return lambda due_s: self._accept(step(self.state, due_s), due_s, None, 0)

    def _look_who_is_set(self, due_s: float) -> None:
        self._accept(Outcome(self.state), max(due_s, self._time_s), None, 0)

    def _play_on(self, due_s: float) -> None:
        """The playlist's next entry: on behalf of what started it."""
        playlist, now_s = self.state.automation.playlist, max(due_s, self._time_s)
        assert playlist is not None
        number = self.state.run.count + 1
        cause = Cause(By.PLAYLIST, f"“{playlist.name}”", playlist.seed or None, 1)
        self.state = self.state.with_run(count=number, id=number, depth=1)
        outcome = playlist_runner.advance(self.state, now_s)
        self._tell(playlist_ran(self.state, number, cause, outcome, now_s))
        self._accept(outcome, now_s, number, 1)
        self.state = self.state.with_run(id=0, depth=0)

    def _voice_on(self, due_s: float) -> None:
        """Voice follow looks again; what it then takes is told of like everything that runs."""
        number, now_s = self.state.run.count + 1, max(due_s, self._time_s)
        outcome = voice_follow.step(self.state.with_run(id=number, depth=1), now_s)
        after = outcome.state
        if after.program.on_air is self.state.program.on_air:
            self._accept(replace(outcome, state=after.with_run(id=0, depth=0)), now_s, None, 0)
            return
        assert after.program.on_air is not None
        words = f"Take {self.state.shot_words(after.program.on_air)}"
        cause = Cause(By.VOICE, voice_follow.why(after))
        self._tell(ActionRan(number, now_s, cause, "", words, "", moved(outcome.requests)))
        self._accept(replace(outcome, state=after.with_run(count=number)), now_s, number, 1)
        self.state = self.state.with_run(id=0, depth=0)

    def _small_step(self, due_s: float) -> None:
        """A macro's next one."""
        now_s = max(due_s, self._time_s)
        at_s, count = self._small
        self._small = (now_s, count + 1 if at_s == now_s else 1)
        if self._small[1] > macro_runner.MOST_AT_ONCE:
            self._small = (now_s, 0)
            self._accept(macro_runner.run_wild(self.state), now_s, None, 0)
            return
        small = macro_runner.step(self.state, now_s)
        self._accept(small.outcome, now_s, None, 0)
        if small.queued is not None:
            self._pending.append(small.queued)

    # What runs

    def _tell(self, ran: ActionRan) -> None:
        self.history.add(ran)
        self._events.append(ran)

    def _settle(self, now_s: float) -> None:
        """Run what the last thing set off, and what that sets off, until nothing is left."""
        count = 0
        while self._pending:
            one = self._pending.popleft()
            count += 1
            if count > MOST_AT_ONCE:
                self._pending.clear()
                said = f"More than {MOST_AT_ONCE} things followed from one: the rest was dropped. Press F10."
                self._events.append(Notice(said, Severity.FAULT))
            elif isinstance(one, Queued):
                self._run(one.call.action, one.call, now_s, one.cause, queued=one)
            else:
                self._fire(*one, now_s)

    def _fire(self, happening: triggers.Happening, parent: int | None, depth: int, now_s: float) -> None:
        full = len(self._firings) == triggers.MOST_A_SECOND and now_s - self._firings[0] < 1.0
        deepest = triggers.DEEPEST + 1 if full else depth
        mark = self._mark()
        try:
            chain = self.history.chain_words(parent)
            outcome = triggers.fire(self.state, happening, now_s, parent, deepest, chain)
            if outcome.calls:
                self._firings.append(now_s)
            self._accept(outcome, now_s, parent, depth)
        except Exception as error:
            self._back_to(mark)
            self._put_off(mishaps.without_trigger(self.state, happening.trigger_id), error)

    def _run(
        self,
        action_id: str,
        given: Mapping[str, Any] | Call,
        now_s: float,
        cause: Cause,
        recall_only: bool = False,
        queued: Queued | None = None,
    ) -> ActionRan:
        """Run one action. If it raises what is no refusal, nothing of it has happened, and who queued it is switched
        off."""
        number = self.state.run.count + 1
        self.as_run.running = (number, cause)
        mark = self._mark()
        owner, about, spare_air = (queued.owner, queued.about, queued.spare_air) if queued else (None, None, False)
        before = self.state.with_run(count=number, id=number, depth=cause.depth, subject=about)
        words = action_id
        try:
            outcome, words, done = attempt(
                self._catalogue, before, action_id, given, now_s, recall_only, cause, spare_air
            )
            self.state = before
            ran = run_of(number, now_s, cause, action_id, words, outcome)
            outcome, self._last_edit = as_one_edit(before, outcome, self._last_edit, (action_id, cause, now_s))
            self._events.append(ran)
            self._accept(outcome, now_s, number, cause.depth)
            if done is not None and before.automation.recording is not None:
                self._tape(before, *done, cause, now_s)
            self.state = self.state.with_run(id=0, depth=0, subject=None)
        except Exception as error:
            self._back_to(mark)
            self.state = self.state.with_run(count=number)
            said = f"It was not done: {mistake(error)}."
            ran = ActionRan(number, now_s, cause, action_id, words, said)
            self._events.append(ran)
            self._trouble.failed(f"“{words}”", error, "It had no effect. Go on.")
            ended = mishaps.without_owner(self.state, owner)
            if ended is not None:
                self._put_off(ended, error)
        self.history.add(ran)
        return ran

    def _tape(self, before: LiveState, row: Action, params: Params, cause: Cause, now_s: float) -> None:
        if self.state.automation.recording is before.automation.recording:
            recorded = lambda: with_call(before, row, params, cause, now_s).automation.recording  # noqa: E731
            self.state = self.state.with_automation(
                recording=self._trouble.beside("The recording of a macro", None, recorded)
            )

    def _accept(self, outcome: Outcome, now_s: float, number: int | None, depth: int) -> None:
        """Make an outcome true: its state, what others are to hear of it, and what it sets off.

        What automation and tally make of it fails by itself: what was asked for happens all the same.
        """
        before = self.state
        outcome = with_followers(before, outcome, now_s, self._trouble)
        state = outcome.state
        if state.run.id:
            for camera_id in moved(outcome.requests):
                state = state.with_live(camera_id, moved_by=state.run.id)
        were_set = self._trouble.beside("Triggers", state.automation.were_set, lambda: triggers.set_now(state, now_s))
        self.state = state if were_set == state.automation.were_set else state.with_automation(were_set=were_set)
        self._events.extend(outcome.events)
        self._requests.extend(outcome.requests)
        log = lambda: self.as_run.follow(before, self.state, outcome.events, now_s, number or 0)  # noqa: E731
        for added in self._trouble.beside("The as-run log", list[AsRunAdded](), log):
            self._events.append(added)
            self._write_down({"t": now_s, "log": as_tree(added.line)})
        happened = lambda: list(triggers.happened(before, self.state, outcome.events, now_s))  # noqa: E731
        self._pending.extend((h, number, depth + 1) for h in self._happenings(happened))
        asked = self.as_run.running[1].guest if number and self.as_run.running else ""
        for queued in outcome.calls:
            cause = replace(queued.cause, guest=asked) if asked else queued.cause
            if cause.parent is None:
                cause = replace(cause, parent=number, depth=max(cause.depth, depth + 1))
            self._pending.append(replace(queued, cause=cause))
