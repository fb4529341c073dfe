"""What happens at a time: a row for each source of deadlines, and what is left of the state when one of them fails."""

from collections.abc import Callable
from dataclasses import dataclass

from ribalta.core.engine.automation import macro_runner, triggers
from ribalta.core.engine.mishaps import SwitchedOff, without_alarms, without_run
from ribalta.core.engine.program.landing import NEVER_S
from ribalta.core.engine.state.live import LiveState


@dataclass(frozen=True)
class Deadline:
    """Something that happens at a time: when, what is done then, and what is left of the state when that fails."""

    name: str
    due_s: Callable[[LiveState], float]
    step: Callable[[float], None]
    ended: Callable[[LiveState], SwitchedOff]


def change_ends_s(state: LiveState) -> float:
    return state.program.in_transition.ends_s if state.program.in_transition is not None else NEVER_S


def alarm_s(state: LiveState) -> float:
    return state.automation.alarm_s


def without_due_run(state: LiveState) -> SwitchedOff:
    try:
        run = macro_runner.due_run(state)
    except Exception:  # then it is not known which
        run = None
    return without_run(state, run.id if run is not None else None)


def without_failing_alarms(state: LiveState) -> SwitchedOff:
    try:
        failing = triggers.failing_on_time(state)
    except Exception:
        failing = tuple(t.id for t in state.show.triggers if t.when.kind in triggers.ON_TIME)
    return without_alarms(state, failing)


def without_set(state: LiveState) -> SwitchedOff:
    return SwitchedOff(state, "Looking which cameras are set", "Triggers that wait for a camera may be late.")
