"""Runs macros: which step is next, when, and what waiting comes to. The engine does what it is told here.

One small step at a time, the one that is due first; so whatever a step's action does to the show (stopping its own
macro too) is seen by the next. Nothing here is late: a step's time is when it became due, not when it was looked at.
"""

from dataclasses import dataclass, replace

from ribalta.core.base.values import replaced, without
from ribalta.core.engine.automation import conditions
from ribalta.core.engine.program.landing import NEVER_S, set_at_s
from ribalta.core.engine.state.action import Outcome
from ribalta.core.engine.state.automation_state import Owner, Queued, Run, StepPosition, Strand, Waiting
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import By, Cause
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.macros import ELSE, Again, Macro, Path, Step, StepKind

MOST_RUNS = 64
MOST_AT_ONCE = 2000  # small steps without any time passing, before a macro counts as running wild


def begin(state: LiveState, macro: Macro, now_s: float, cause: Cause | None = None) -> Outcome:
    """Start a macro, or do what it says for being pressed while it runs."""
    mine = [run for run in state.automation.runs if run.macro_id == macro.id]
    if mine:
        match macro.again:
            case Again.IGNORE:
                return Outcome(state, (Notice(f"“{macro.name}” runs already."),))
            case Again.STOP:
                return stop(state, macro.id)
            case Again.QUEUE:
                waiting = (*state.automation.waiting_macros, (macro.id, state.run.id))
                return Outcome(
                    state.with_automation(waiting_macros=waiting), (Notice(f"“{macro.name}” runs again after this."),)
                )
            case Again.RESTART:
                state = stop(state, macro.id).state
    if len(state.automation.runs) >= MOST_RUNS:
        said = f"“{macro.name}” was not started: {MOST_RUNS} macros run at once already. Stop some of them."
        return Outcome(state, (Notice(said, Severity.REFUSED),))
    strand = Strand(0, None, (StepPosition(macro.steps, macro_id=macro.id),), now_s)
    number = 1 + max((run.id for run in state.automation.runs), default=0)
    cause = cause or Cause(By.MACRO, macro.name, state.run.id or None, state.run.depth + 1)
    run = Run(number, macro.id, macro.name, now_s, cause, (strand,))
    return Outcome(state.with_automation(runs=(*state.automation.runs, run)))


def stop(state: LiveState, macro_id: str | None) -> Outcome:
    """All runs of a macro, or of all; nothing of them is pending afterwards."""
    gone = [run for run in state.automation.runs if macro_id in (None, run.macro_id)]
    runs = tuple(run for run in state.automation.runs if run not in gone)
    waiting = tuple(w for w in state.automation.waiting_macros if macro_id is not None and w[0] != macro_id)
    said = tuple(Notice(f"“{run.name}” was stopped.") for run in gone)
    return Outcome(state.with_automation(runs=runs, waiting_macros=waiting), said)


def pause(state: LiveState, macro_id: str | None, now_s: float) -> LiveState:
    """Paused ones go on, running ones pause; what they wait for keeps its remaining time."""
    return state.with_automation(
        runs=tuple(_turned(run, now_s) if macro_id in (None, run.macro_id) else run for run in state.automation.runs)
    )


def _turned(run: Run, now_s: float) -> Run:
    if run.paused_s is None:
        return replace(run, paused_s=now_s)
    gone = now_s - run.paused_s
    return replace(run, paused_s=None, strands=tuple(_later(strand, gone) for strand in run.strands))


def _later(strand: Strand, seconds: float) -> Strand:
    waiting = strand.waiting
    if waiting is not None:
        waiting = replace(waiting, since_s=waiting.since_s + seconds, until_s=waiting.until_s + seconds)
    return replace(strand, ready_s=strand.ready_s + seconds, waiting=waiting)


def go_on(state: LiveState, macro_id: str | None, now_s: float, skip: bool) -> LiveState:
    """End waits: for a key, or with `skip` any; a strand that waits for its own strands is left to them."""

    def freed(strand: Strand) -> Strand:
        kind = strand.waiting.kind if strand.waiting is not None else None
        ends = kind is not None and kind is not StepKind.TOGETHER and (skip or kind is StepKind.UNTIL_KEY)
        return replace(strand, waiting=None, ready_s=now_s) if ends else strand

    def moved(run: Run) -> Run:
        if macro_id not in (None, run.macro_id):
            return run
        return replace(run, strands=tuple(freed(s) for s in run.strands))

    return state.with_automation(runs=tuple(moved(run) for run in state.automation.runs))


# When something is due


def due_s(state: LiveState) -> float:
    """When the next small step is; infinite when no macro runs, or all that run wait for something else."""
    if not state.automation.runs:
        return min((0.0 for _ in state.automation.waiting_macros), default=NEVER_S)
    return min(_due(state)[0], 0.0 if _freed(state) is not None else NEVER_S)


def _freed(state: LiveState) -> tuple[str, int] | None:
    """A macro that was queued behind itself and may start."""
    busy = {run.macro_id for run in state.automation.runs}
    return next((w for w in state.automation.waiting_macros if w[0] not in busy), None)


def _due(state: LiveState) -> tuple[float, Run | None, Strand | None]:
    best: tuple[float, Run | None, Strand | None] = (NEVER_S, None, None)
    for run in state.automation.runs:
        if run.paused_s is not None:
            continue
        for strand in run.strands:
            when_s = _when(state, run, strand)
            if when_s < best[0]:
                best = when_s, run, strand
    return best


def _when(state: LiveState, run: Run, strand: Strand) -> float:
    waiting = strand.waiting
    if waiting is None:
        return strand.ready_s
    match waiting.kind:
        case StepKind.UNTIL_SET:
            return min(waiting.until_s, max(waiting.since_s, _set_s(state, waiting.step)))
        case StepKind.UNTIL_TAKEN:
            return waiting.since_s if state.program.takes > waiting.takes else waiting.until_s
        case StepKind.TOGETHER:
            busy = any(other.parent == strand.id for other in run.strands)
            return NEVER_S if busy else waiting.since_s
        case _:
            return waiting.until_s


def _set_s(state: LiveState, step: Step) -> float:
    """From when on what a step waits for is set: a camera where it was sent, or Next; at once if it is not there."""
    if step.item is None:
        return set_at_s(state, state.program.next) if state.program.next is not None else 0.0
    camera = state.show.camera(step.item.id)
    if camera is None:
        return 0.0
    return set_at_s(state, Shot(camera.id, state.live(camera.id).goal_framing_id))


def due_run(state: LiveState) -> Run | None:
    """Whose small step is due; None when it is one that was queued behind itself, or none is."""
    return _due(state)[1] if _freed(state) is None else None


# What is done then


@dataclass(frozen=True, slots=True)
class MacroStep:
    """What one small step came to: perhaps a call that is to run now."""

    outcome: Outcome
    queued: Queued | None = None


def step(state: LiveState, now_s: float) -> MacroStep:
    """The small step that is due."""
    freed = _freed(state)
    if freed is not None:
        return _start_queued(state, freed, now_s)
    _, run, strand = _due(state)
    assert run is not None
    assert strand is not None
    if strand.waiting is not None:
        return _wait_over(state, run, strand, now_s)
    place = strand.stack[-1]
    if place.at < len(place.steps):
        one = place.steps[place.at]
        path = (*place.path, place.start + place.at)
        strand = replace(strand, stack=(*strand.stack[:-1], replace(place, at=place.at + 1)))
        return _do(state, run, strand, one, path, now_s)
    return _list_over(state, run, strand, place, now_s)


def _start_queued(state: LiveState, freed: tuple[str, int], now_s: float) -> MacroStep:
    macro = state.show.macro(freed[0])
    rest = list(state.automation.waiting_macros)
    rest.remove(freed)
    state = state.with_automation(waiting_macros=tuple(rest))
    cause = Cause(By.MACRO, "it was queued", freed[1] or None, 1)
    return MacroStep(begin(state, macro, now_s, cause) if macro is not None else Outcome(state))


def _with_run(state: LiveState, run: Run) -> LiveState:
    return state.with_automation(runs=replaced(state.automation.runs, run))


def _wait_over(state: LiveState, run: Run, strand: Strand, now_s: float) -> MacroStep:
    waiting = strand.waiting
    assert waiting is not None
    in_vain = waiting.kind is StepKind.UNTIL_SET and _set_s(state, waiting.step) > now_s
    in_vain |= waiting.kind is StepKind.UNTIL_TAKEN and state.program.takes <= waiting.takes
    in_vain |= waiting.kind is StepKind.UNTIL_KEY  # a key ends it otherwise
    if not in_vain:
        return MacroStep(Outcome(_with_run(state, run.with_strand(replace(strand, waiting=None, ready_s=now_s)))))
    waited = f"“{run.name}” waited {waiting.step.seconds:g} s in vain {_for_what(state, waiting.step)}"
    if waiting.step.then_stop:
        runs = without(state.automation.runs, run.id)
        return MacroStep(
            Outcome(state.with_automation(runs=runs), (Notice(f"{waited}, so it stopped.", Severity.FAULT),))
        )
    state = _with_run(state, run.with_strand(replace(strand, waiting=None, ready_s=now_s)))
    severity = Severity.FAULT if waiting.kind is StepKind.UNTIL_SET else Severity.INFO
    return MacroStep(Outcome(state, (Notice(f"{waited} and goes on.", severity),)))


def _for_what(state: LiveState, step: Step) -> str:
    match step.kind:
        case StepKind.UNTIL_SET:
            camera = state.show.camera(step.item.id) if step.item is not None else None
            return f"for camera {camera.number} to be set" if camera is not None else "for Next to be set"
        case StepKind.UNTIL_TAKEN:
            return "for a take"
        case _:
            return "for a key"


def _list_over(state: LiveState, run: Run, strand: Strand, place: StepPosition, now_s: float) -> MacroStep:
    """The end of a list of steps: it begins again, or the strand goes on behind it, or is over."""
    if place.left is None or place.left > 0:
        again = replace(place, at=0, left=None if place.left is None else place.left - 1)
        return MacroStep(Outcome(_with_run(state, run.with_strand(replace(strand, stack=(*strand.stack[:-1], again))))))
    if len(strand.stack) > 1:
        return MacroStep(Outcome(_with_run(state, run.with_strand(replace(strand, stack=strand.stack[:-1])))))
    strands = without(run.strands, strand.id)
    if not strands:
        return MacroStep(Outcome(state.with_automation(runs=without(state.automation.runs, run.id))))
    strands = tuple(
        replace(s, waiting=replace(s.waiting, since_s=max(s.waiting.since_s, strand.ready_s)))
        if s.id == strand.parent and s.waiting is not None
        else s
        for s in strands
    )
    return MacroStep(Outcome(_with_run(state, replace(run, strands=strands))))


def _do(state: LiveState, run: Run, strand: Strand, one: Step, path: Path, now_s: float) -> MacroStep:
    if one.off:
        return MacroStep(Outcome(_with_run(state, run.with_strand(strand))))
    top = strand.stack[-1]
    match one.kind:
        case StepKind.DO:
            state = _with_run(state, run.with_strand(strand))
            number = ".".join(str(k % ELSE + 1) for k in path)
            inner = state.show.macro(top.macro_id)
            name = inner.name if inner is not None else run.name
            words = f"“{name}”, step {number}"
            cause = Cause(By.MACRO, words, run.cause.parent, run.cause.depth, macro=top.macro_id, step=path)
            assert one.call is not None
            return MacroStep(Outcome(state), Queued(one.call, cause, Owner(By.MACRO, str(run.id))))
        case StepKind.WAIT | StepKind.UNTIL_SET | StepKind.UNTIL_TAKEN | StepKind.UNTIL_KEY:
            until_s = now_s + one.seconds if one.kind is StepKind.WAIT or one.seconds > 0 else NEVER_S
            waiting = Waiting(one.kind, now_s, until_s, one, state.program.takes)
            return MacroStep(Outcome(_with_run(state, run.with_strand(replace(strand, waiting=waiting)))))
        case StepKind.MACRO:
            return _inner(state, run, strand, one, now_s)
        case StepKind.IF:
            assert one.condition is not None
            holds = conditions.holds(state, one.condition, now_s)
            steps, start = (one.steps, 0) if holds else (one.otherwise, ELSE)
            place = StepPosition(steps, path, start, macro_id=top.macro_id)
            return MacroStep(Outcome(_with_run(state, run.with_strand(_into(strand, place)))))
        case StepKind.REPEAT:
            left = one.times - 1 if one.times > 0 else None
            place = StepPosition(one.steps, path, left=left, macro_id=top.macro_id)
            return MacroStep(Outcome(_with_run(state, run.with_strand(_into(strand, place)))))
        case StepKind.TOGETHER:
            waiting = Waiting(one.kind, now_s, NEVER_S, one)
            begun = tuple(
                Strand(run.made + k, strand.id, (StepPosition((s,), path, k, macro_id=top.macro_id),), now_s)
                for k, s in enumerate(one.steps)
            )
            run = run.with_strand(replace(strand, waiting=waiting))
            run = replace(run, strands=(*run.strands, *begun), made=run.made + len(begun))
            return MacroStep(Outcome(_with_run(state, run)))


def _into(strand: Strand, place: StepPosition) -> Strand:
    return replace(strand, stack=(*strand.stack, place))


def _inner(state: LiveState, run: Run, strand: Strand, one: Step, now_s: float) -> MacroStep:
    """Another macro's steps, before this one goes on."""
    macro = state.show.macro(one.macro or "")
    seen = {place.macro_id for place in strand.stack}
    if macro is None or macro.id in seen:
        why = "a macro that was removed" if macro is None else f"“{macro.name}”, which it is in"
        state = _with_run(state, run.with_strand(strand))
        return MacroStep(
            Outcome(state, (Notice(f"“{run.name}” would run {why}: it goes on without.", Severity.FAULT),))
        )
    return MacroStep(
        Outcome(_with_run(state, run.with_strand(_into(strand, StepPosition(macro.steps, macro_id=macro.id)))))
    )


# What is to be seen of it


def step_now(state: LiveState, run: Run, now_s: float) -> tuple[Path, Step | None, float | None]:
    """The path of the step a run is at, the step, and the seconds that are left of it if that is known."""
    strand = next((s for s in run.strands if s.waiting is None or s.waiting.kind is not StepKind.TOGETHER), None)
    strand = strand or run.strands[0]
    _, path = strand.step_path
    if strand.waiting is None:
        return path, None, None
    at_s = run.paused_s if run.paused_s is not None else now_s
    left_s = _when(state, run, strand) - at_s
    return path, strand.waiting.step, max(0.0, left_s) if left_s < NEVER_S else None


def run_wild(state: LiveState) -> Outcome:
    """Stop the macro whose step is due: it has done too much without any time passing."""
    _, run, _ = _due(state)
    if run is None:
        return Outcome(state.with_automation(waiting_macros=()))
    runs = without(state.automation.runs, run.id)
    said = f"“{run.name}” did {MOST_AT_ONCE} things at once and was stopped: put a wait into it."
    return Outcome(state.with_automation(runs=runs), (Notice(said, Severity.FAULT),))
