"""What happens at a time: a row for each source of deadlines, and what is left of the state when one of them fails."""

from collections.abc import Callable
from dataclasses import dataclass

from ribalta.core.engine.automation import macro_runner, triggers
from ribalta.core.engine.mishaps import SwitchedOff, without_alarms, without_run
from ribalta.core.engine.program.landing import NEVER_S
from ribalta.core.engine.state.live import LiveState

LEFT_ALONE_S = 1.0  # for so long nothing is asked of what failed and could not be ended


@dataclass(frozen=True)
class Deadline:
    """Something that happens at a time: when, what is done then, and what is left of the state when that fails."""

    name: str
    due_s: Callable[[LiveState], float]
    step: Callable[[float], None]
    ended: Callable[[LiveState], SwitchedOff]


class DueTable:
    """All deadlines, in the order of events. `state` and `now_s` give what they are asked about; `put_off` goes on
    without what failed as it was asked."""

    def __init__(
        self,
        rows: tuple[Deadline, ...],
        state: Callable[[], LiveState],
        now_s: Callable[[], float],
        put_off: Callable[[SwitchedOff, Exception], None],
    ) -> None:
        self._rows, self._state, self._now_s, self._put_off = rows, state, now_s, put_off
        self._left_alone: dict[str, float] = {}
        self._known: tuple[LiveState | None, tuple[float, Deadline | None]] = (None, (NEVER_S, None))

    def first(self) -> tuple[float, Deadline | None]:
        """What is due first, and when; of several at once the first in the list."""
        state = self._state()
        if state is self._known[0]:
            return self._known[1]
        if not self._left_alone and (known := self._if_none_fails(state)) is not None:
            self._known = state, known
            return known
        best: tuple[float, Deadline | None] = NEVER_S, None
        for one in self._rows:
            if (due_s := self._due_s(one)) < best[0]:
                best = due_s, one
        return best

    def _if_none_fails(self, state: LiveState) -> tuple[float, Deadline | None] | None:
        """What is due first, as it nearly always is: by the state alone."""
        best_s, best = NEVER_S, None
        try:
            for one in self._rows:
                due_s = one.due_s(state)
                if due_s < best_s:
                    best_s, best = due_s, one
        except Exception:  # it is asked again, and put off
            return None
        return best_s, best

    def failed(self, one: Deadline, due_s: float) -> None:
        """Its step failed and was put off. If it goes on being due, that is later: nothing else waits for it."""
        if self._due_s(one) <= due_s:
            self._left_alone[one.name] = self._now_s() + LEFT_ALONE_S

    def _due_s(self, one: Deadline) -> float:
        if self._left_alone:
            if self._left_alone.get(one.name, self._now_s()) > self._now_s():
                return NEVER_S
            self._left_alone.pop(one.name, None)
        try:
            return one.due_s(self._state())
        except Exception as error:
            self._put_off(one.ended(self._state()), error)
            self._left_alone[one.name] = self._now_s() + LEFT_ALONE_S
            return NEVER_S


def change_ends_s(state: LiveState) -> float:
    """When the transition under way is over, in clock time; infinite when there is none."""
    return state.program.in_transition.ends_s if state.program.in_transition is not None else NEVER_S


def alarm_s(state: LiveState) -> float:
    """When a trigger that waits on a time comes next, in clock time."""
    return state.automation.alarm_s


def without_due_run(state: LiveState) -> SwitchedOff:
    """Without the macro whose step is due."""
    try:
        run = macro_runner.due_run(state)
    except Exception:  # then it is not known which
        run = None
    return without_run(state, run.id if run is not None else None)


def without_failing_alarms(state: LiveState) -> SwitchedOff:
    """Without the triggers on a time that cannot be reckoned with."""
    try:
        failing = triggers.failing_on_time(state)
    except Exception:
        failing = tuple(t.id for t in state.show.triggers if t.when.kind in triggers.ON_TIME)
    return without_alarms(state, failing)


def without_set(state: LiveState) -> SwitchedOff:
    """Nothing is taken away: it is looked again later."""
    return SwitchedOff(state, "Looking which cameras are set", "Triggers that wait for a camera may be late.")
