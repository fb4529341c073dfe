"""The engine on a thread of its own: what comes in, what is due, and passing on to the show's parts what follows."""

import contextlib
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from queue import Empty
from typing import Any, Protocol

from ribalta.core.base.clock import Clock
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import BY_HAND, ActionRan, Cause
from ribalta.core.ports.messages import ClockSet, Event, Notice, Report, ShowEdited
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.model import Show
from ribalta.server.inbox import Inbox
from ribalta.server.part import Part
from ribalta.workers.crew import Crew
from ribalta.workers.priorities import go_soon

LONGEST_NAP_S = 0.5
STANDS_STILL_S, FAILED_RESTS_S = 2.0, 1.0
WALL_EVERY_S, WALL_OFF_S = 1.0, 0.25
TOGETHER_S, CROWDED_S = 0.003, 0.002
Clean = Callable[[str, Mapping[str, Any]], Mapping[str, Any]]


class Keeper(Protocol):
    """Where an edited show is kept before anybody hears of the edit."""

    def keep(self, show: Show, then: Callable[[], None]) -> None: ...


@dataclass
class _Attached:
    part: Part
    rests_until_s: float = field(default=float("-inf"))  # it failed: it is not asked what is due for it until then


class EngineHost:
    """Any thread may ask it; nothing of that waits. `clean` takes out of arguments what nobody else may see.

    Parts are attached before `start`.
    """

    def __init__(self, engine: Engine, inbox: Inbox, clock: Clock, crew: Crew, keeper: Keeper, clean: Clean) -> None:
        self.clock = clock
        self._engine, self._inbox, self._crew, self._keeper, self._clean = engine, inbox, crew, keeper, clean
        self._parts: list[_Attached] = []
        self._asked: list[Part] = []
        self._hearing: list[Part] = []
        self._listeners: list[Callable[[Event], None]] = []
        self._stopping = False
        self._wall_s = self._passed_on_s = float("-inf")
        self._worker = crew.worker("engine", self._run, limit_s=STANDS_STILL_S)

    def attach(self, *parts: Part) -> None:
        """They are told in this order; each only of what it does something with."""
        self._parts += [_Attached(part) for part in parts]
        self._asked += [part for part in parts if type(part).request is not Part.request]
        self._hearing += [part for part in parts if type(part).hear is not Part.hear]

    def start(self) -> None:
        self._worker.start()

    def stop(self) -> None:
        """What was asked for before is still done."""
        self._inbox.put(self._end)
        self._worker.stop()
        self._worker.join()

    def _end(self, _: Engine) -> None:
        self._stopping = True

    # From any thread

    @property
    def state(self) -> LiveState:
        return self._engine.state

    @property
    def backlog(self) -> int:
        """How many inputs wait to be taken in."""
        return len(self._inbox)

    def listen(self, listener: Callable[[Event], None]) -> None:
        """Be told of every event, on the engine's thread."""
        self._listeners.append(listener)

    def act(
        self, action_id: str, arguments: Mapping[str, Any], recall_only: bool = False, cause: Cause = BY_HAND
    ) -> None:
        """Ask for an action. What comes of it is seen in the state and heard as events.

        `recall_only`: it comes from a surface that must not change the show.
        """
        self._ask(action_id, arguments, cause, recall_only, lambda _: None)

    def ask(
        self,
        action_id: str,
        arguments: Mapping[str, Any],
        cause: Cause,
        answer: Callable[[ActionRan], None] | None = None,
        recall_only: bool = False,
    ) -> None:
        """The same, and be told on the engine's thread what came of it."""
        self._ask(action_id, arguments, cause, recall_only, answer or (lambda _: None))

    def _ask(
        self,
        action_id: str,
        arguments: Mapping[str, Any],
        cause: Cause,
        recall_only: bool,
        answer: Callable[[ActionRan], None],
    ) -> None:
        clean = self._clean(action_id, arguments)
        self._inbox.put(
            lambda engine: answer(engine.act(action_id, clean, self.clock.now_s(), recall_only, cause)),
        )

    def report(self, report: Report) -> None:
        """Something was found out."""
        self._inbox.put(lambda engine: engine.report(report, self.clock.now_s()))

    def say(self, notice: Notice) -> None:
        """Tell everybody a sentence, in order with all other events."""
        self._inbox.say(notice)

    # On the engine's thread

    def call(self, call: Call, cause: Cause) -> None:
        """Run a stored call now."""
        self._engine.call(call, self.clock.now_s(), cause)

    def _run(self) -> None:
        go_soon()
        self._pass_on()
        while not self._stopping:
            self.round()
            self._worker.beat()

    def round(self) -> None:
        """Take in what has come by the next deadline, and pass on what follows from it.

        Each part fails by itself and is said: what was drained reaches those that can take it, and nothing is waited
        for less long because something fails again and again.
        """
        nap_s = LONGEST_NAP_S
        with self._crew.guarded("looking what is due"):
            due_s = min([self._engine.next_deadline_s(), *map(self._due_s, self._parts)])
            nap_s = max(0.0, min(LONGEST_NAP_S, due_s - self.clock.now_s()))
        with self._crew.guarded("an input", "It had no effect. Go on."), contextlib.suppress(Empty):
            self._take_inputs(nap_s)
        with self._crew.guarded("looking at the clock on the wall"):
            self._look_at_the_wall()
        for attached in self._parts:
            self._advance(attached)
        with self._crew.guarded("what was due", "Go on."):
            self._engine.advance(self.clock.now_s())
        self._pass_on()

    def _take_inputs(self, nap_s: float) -> None:
        """The next input, and what has come by then. Of a flood, in which inputs follow each other closely, what comes
        in the next moment too: passing on costs more than taking in. A change of program is passed on at once.

        Raises Empty when there is none."""
        program = self._engine.state.program.on_air
        self._take(nap_s)
        now_s = self.clock.now_s()
        crowded, end_s = now_s - self._passed_on_s < CROWDED_S, now_s + TOGETHER_S
        while self._engine.state.program.on_air is program and now_s < end_s:
            self._take(end_s - now_s if crowded else 0.0)
            now_s = self.clock.now_s()

    def _take(self, timeout_s: float) -> None:
        item = self._inbox.take(timeout_s)
        if callable(item):
            item(self._engine)
        else:
            self._tell(item)

    def _look_at_the_wall(self) -> None:
        """Somebody has set the clock, the machine has slept, or summer time begins: what waits on a time must know."""
        now_s = self.clock.now_s()
        if now_s < self._wall_s:
            return
        self._wall_s = now_s + WALL_EVERY_S
        state, ahead_s = self._engine.state, float(time.localtime().tm_gmtoff)
        offset_s = time.time() - self.clock.now_s()
        if abs(offset_s - state.wall_clock.offset_s) > WALL_OFF_S or ahead_s != state.wall_clock.utc_offset_s:
            self._engine.report(ClockSet(offset_s, ahead_s), self.clock.now_s())

    def _due_s(self, attached: _Attached) -> float:
        resting = self.clock.now_s() < attached.rests_until_s
        return attached.rests_until_s if resting else attached.part.next_deadline_s()

    def _advance(self, attached: _Attached) -> None:
        if self.clock.now_s() < attached.rests_until_s:
            return
        try:
            attached.part.advance(self.clock.now_s())
        except Exception as error:
            attached.rests_until_s = self.clock.now_s() + FAILED_RESTS_S
            self._crew.failed(f"what is due for {attached.part.called}", error, "Try it again.")

    def _pass_on(self) -> None:
        """What the state says is shown first; then what is asked of cameras, and what others are told."""
        events, requests = self._engine.drain()
        for attached in self._parts:
            with self._crew.guarded(f"what {attached.part.called} follows"):
                attached.part.follow(self._engine.state)
        for request in requests:
            for part in self._asked:
                with self._crew.guarded(f"what was asked of {part.called}", "It was not sent."):
                    part.request(request)
        for event in events:
            self._pass_event(event)
        self._passed_on_s = self.clock.now_s()

    def _pass_event(self, event: Event) -> None:
        state, kind = self._engine.state, type(event).__name__
        for part in self._hearing:
            with self._crew.guarded(f"what {part.called} makes of an event ({kind})", "Go on."):
                part.hear(event, state)
        if isinstance(event, ShowEdited):  # nobody hears of it before it is in the journal
            self._keeper.keep(state.show, lambda: self._inbox.say(event))
        else:
            self._tell(event)

    def _tell(self, event: Event) -> None:
        for listener in self._listeners:
            with self._crew.guarded("a listener to the show", "Go on."):
                listener(event)
