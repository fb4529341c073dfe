"""Macros: making them, step by step or by recording, and running, pausing and stopping them."""

from collections.abc import Callable, Mapping
from typing import Annotated, Any

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.actions.collection import Collection
from ribalta.core.engine.automation import macro_runner
from ribalta.core.engine.automation.macro_recorder import steps_of
from ribalta.core.engine.removing import Users
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.automation_state import MacroRecording
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice
from ribalta.core.show.automation.calls import Kind
from ribalta.core.show.automation.macros import (
    ELSE,
    Again,
    Macro,
    Path,
    Step,
    StepKind,
    changed_at,
    endless,
    placed,
    step_at,
)
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.part import Colour, Name

MacroId = Annotated[str, Field(description="the macro's id")]
StepPath = Annotated[tuple[int, ...], Field(min_length=1, max_length=8, description="where it is, from 0")]


Run = Callable[[LiveState, Any, float], Outcome]
Keys = Mapping[str, Mapping[str, Any]]


class MacroParams(Params):
    macro: MacroId


class MaybeParams(Params):
    """Without a macro, all that run are meant."""

    macro: MacroId | None = None


class AddParams(Params):
    name: Name | None = None
    folder: Annotated[str, Field(max_length=80)] = ""
    steps: tuple[Step, ...] = ()


class ChangeParams(MacroParams):
    """What is left out stays as it is."""

    name: Name | None = None
    folder: Annotated[str | None, Field(max_length=80)] = None
    colour: Colour | None = None
    note: Annotated[str | None, Field(max_length=400)] = None
    again: Again | None = None


class RemoveParams(MacroParams):
    users: Users = "ask"


class PutParams(MacroParams):
    """Steps go in before the one that is at `path` now; `instead` of it, they replace it."""

    path: StepPath
    steps: Annotated[tuple[Step, ...], Field(min_length=1, max_length=200)]
    instead: bool = False


class StepParams(MacroParams):
    path: StepPath


class MoveParams(StepParams):
    by: Annotated[int, Field(ge=-500, le=500)]


class PlaceParams(MacroParams):
    """Several steps at once, which keep their order, also into a group or out of it; `before` is a path as it is now,
    or one behind the last step of a group."""

    paths: Annotated[tuple[StepPath, ...], Field(min_length=1, max_length=500)]
    before: StepPath


class RetimeParams(MacroParams):
    """All its waits become so many times as long."""

    factor: Annotated[float, Field(ge=0.05, le=20, allow_inf_nan=False)]


class TapeParams(Params):
    """Begin to record what is done, or end it: then it becomes a macro. `on` None turns it over."""

    on: bool | None = None
    timed: bool = True
    name: Name | None = None


MACROS = Collection[Macro]("macros", lambda show: show.macros, Show.macro, "a", ("macro", "macros"), 1000, Kind.MACRO)


def add(state: LiveState, params: AddParams, now_s: float) -> Outcome:
    name = MACROS.free_name(state.show, params.name)
    macro = Macro(id=MACROS.new_id(state.show), name=name, folder=params.folder)
    return _stored(state, macro, f"made macro “{macro.name}”", steps=params.steps)


def _stored(state: LiveState, macro: Macro, what: str, **changes: Any) -> Outcome:
    """The show with a macro put in or changed. Raises ActionRefused when it would never end."""
    macro = MACROS.changed(macro, changes)
    show = MACROS.put(state.show, macro)
    said = endless(show, macro)
    if said is not None:
        raise ActionRefused(said)
    return edited(state, show, what)


def change(state: LiveState, params: ChangeParams, now_s: float) -> Outcome:
    macro = MACROS.meant(state, params.macro)
    changes = params.model_dump(exclude={"macro"}, exclude_none=True)
    what = f"renamed “{macro.name}” to “{params.name}”" if params.name else f"changed macro “{macro.name}”"
    return _stored(state, macro, what, **changes)


def remove(state: LiveState, params: RemoveParams, now_s: float) -> Outcome:
    macro = MACROS.meant(state, params.macro)
    show = MACROS.take_out(state.show, macro, params.users, "macro.remove", {"macro": macro.id})
    return edited(macro_runner.stop(state, macro.id).state, show, f"removed macro “{macro.name}”")


def duplicate(state: LiveState, params: MacroParams, now_s: float) -> Outcome:
    macro = MACROS.meant(state, params.macro)
    copy = macro.model_copy(update={"id": MACROS.new_id(state.show), "name": f"{macro.name[:72]} again"})
    return _stored(state, copy, f"made “{copy.name}”")


def add_steps(state: LiveState, params: PutParams, now_s: float) -> Outcome:
    macro = MACROS.meant(state, params.macro)
    what = "changed a step of" if params.instead else "put a step into"
    return _stored(
        state, macro, f"{what} “{macro.name}”", steps=_changed(macro, params.path, params.steps, params.instead)
    )


def _changed(macro: Macro, path: Path, steps: tuple[Step, ...], instead: bool) -> tuple[Step, ...]:
    try:
        return changed_at(macro.steps, path, steps, instead)
    except IndexError:
        raise ActionRefused(f"“{macro.name}” has no step there any more.") from None


def _step(macro: Macro, path: Path) -> Step:
    try:
        return step_at(macro.steps, path)
    except IndexError:
        raise ActionRefused(f"“{macro.name}” has no step there any more.") from None


def remove_step(state: LiveState, params: StepParams, now_s: float) -> Outcome:
    macro = MACROS.meant(state, params.macro)
    _step(macro, params.path)
    return _stored(state, macro, f"removed a step of “{macro.name}”", steps=_changed(macro, params.path, (), True))


def duplicate_step(state: LiveState, params: StepParams, now_s: float) -> Outcome:
    macro = MACROS.meant(state, params.macro)
    one = _step(macro, params.path)
    steps = _changed(macro, params.path, (one, one), True)
    return _stored(state, macro, f"doubled a step of “{macro.name}”", steps=steps)


def move(state: LiveState, params: MoveParams, now_s: float) -> Outcome:
    """Among its siblings."""
    macro = MACROS.meant(state, params.macro)
    one, place = _step(macro, params.path), params.path[-1]
    base = ELSE if place >= ELSE else 0
    siblings = macro.steps if len(params.path) == 1 else _siblings(_step(macro, params.path[:-1]), base)
    to = min(max(0, place - base + params.by), len(siblings) - 1)
    without = _changed(macro, params.path, (), True)
    steps = changed_at(without, (*params.path[:-1], base + to), (one,), False)
    return _stored(state, macro, f"moved a step of “{macro.name}”", steps=steps)


def place(state: LiveState, params: PlaceParams, now_s: float) -> Outcome:
    macro = MACROS.meant(state, params.macro)
    try:
        steps = placed(macro.steps, params.paths, params.before)
    except IndexError:
        raise ActionRefused(f"“{macro.name}” has no step there any more.") from None
    except ValueError:
        raise ActionRefused("A group cannot be moved into itself.") from None
    many = "a step" if len(params.paths) == 1 else f"{len(params.paths)} steps"
    return _stored(state, macro, f"moved {many} of “{macro.name}”", steps=steps)


def _siblings(holder: Step, base: int) -> tuple[Step, ...]:
    return holder.otherwise if base else holder.steps


def retime(state: LiveState, params: RetimeParams, now_s: float) -> Outcome:
    macro = MACROS.meant(state, params.macro)

    def longer(step: Step) -> Step:
        steps, otherwise = tuple(map(longer, step.steps)), tuple(map(longer, step.otherwise))
        seconds = step.seconds * params.factor if step.kind is StepKind.WAIT else step.seconds
        return step.model_copy(update={"steps": steps, "otherwise": otherwise, "seconds": round(seconds, 3)})

    what = f"made the waits of “{macro.name}” {params.factor:g} times as long"
    return _stored(state, macro, what, steps=tuple(map(longer, macro.steps)))


def tape(state: LiveState, params: TapeParams, now_s: float) -> Outcome:
    on = state.automation.recording is None if params.on is None else params.on
    if on == (state.automation.recording is not None):
        return Outcome(state)
    if on:
        made = MacroRecording(MACROS.free_name(state.show, params.name), params.timed, now_s)
        said = f"Recording “{made.name}”: what you do now becomes its steps. The same key ends it."
        return Outcome(state.with_automation(recording=made), (Notice(said),))
    tape = state.automation.recording
    assert tape is not None
    steps = steps_of(tape)
    state = state.with_automation(recording=None)
    if not steps:
        return Outcome(state, (Notice("Nothing was done, so no macro was made."),))
    return add(state, AddParams(name=tape.name, steps=steps), now_s)


def run(state: LiveState, params: MacroParams, now_s: float) -> Outcome:
    return macro_runner.begin(state, MACROS.meant(state, params.macro), now_s)


def stop(state: LiveState, params: MaybeParams, now_s: float) -> Outcome:
    if not state.automation.runs:
        raise ActionRefused("No macro is running.")
    return macro_runner.stop(state, params.macro)


def pause(state: LiveState, params: MaybeParams, now_s: float) -> Outcome:
    if not state.automation.runs:
        raise ActionRefused("No macro is running.")
    return Outcome(macro_runner.pause(state, params.macro, now_s))


def skip(state: LiveState, params: MaybeParams, now_s: float) -> Outcome:
    """Whatever it waits for is over."""
    if not state.automation.runs:
        raise ActionRefused("No macro is running.")
    return Outcome(macro_runner.go_on(state, params.macro, now_s, skip=True))


def go_on(state: LiveState, params: MaybeParams, now_s: float) -> Outcome:
    """The key that a macro waits for."""
    return Outcome(macro_runner.go_on(state, params.macro, now_s, skip=False))


def _saying(everything: str, one: str) -> Callable[[LiveState, MaybeParams], str]:
    """Words for when no macro is named, and for one by its name."""

    def says(state: LiveState, params: MaybeParams) -> str:
        macro = state.show.macro(params.macro or "")
        return everything if params.macro is None else one.format(f"“{macro.name}”" if macro else "a macro")

    return says


def _maybe(id_: str, run: Run, keys: Keys, everything: str, one: str) -> Action:
    says = _saying(everything, one)
    return Action(id_, everything, MaybeParams, run, chords=keys, says=says, recordable=False, heeds_voices=True)


ACTIONS = (
    Action("macro.run", "Run macro {macro}", MacroParams, run, recordable=False, changes_air=True, heeds_voices=True),
    _maybe("macro.stop", stop, {"Shift+F7": {}}, "Stop all macros, or one", "Stop macro {}"),
    _maybe("macro.pause", pause, {}, "Pause all macros or one, or continue", "Pause macro {}, or continue"),
    _maybe("macro.skip", skip, {}, "Skip what macros wait for", "Skip what macro {} waits for"),
    _maybe("macro.continue", go_on, {"F7": {}}, "Continue macros that wait for a key", "Continue macro {}"),
    Action(
        "macro.record",
        "Record a macro, or end it",
        TapeParams,
        tape,
        chords={"F8": {}},
        recordable=False,
        heeds_voices=True,
    ),
    Action("macro.add", "Make a macro", AddParams, add, stores=True, heeds_voices=True),
    Action("macro.change", "Change macro {macro}", ChangeParams, change, stores=True, heeds_voices=True),
    Action("macro.remove", "Remove macro {macro}", RemoveParams, remove, stores=True, heeds_voices=True),
    Action("macro.duplicate", "Make a macro like {macro}", MacroParams, duplicate, stores=True, heeds_voices=True),
    Action("macro.add_steps", "Add steps to macro {macro}", PutParams, add_steps, stores=True, heeds_voices=True),
    Action(
        "macro.remove_step", "Remove a step of macro {macro}", StepParams, remove_step, stores=True, heeds_voices=True
    ),
    Action(
        "macro.duplicate_step",
        "Double a step of macro {macro}",
        StepParams,
        duplicate_step,
        stores=True,
        heeds_voices=True,
    ),
    Action("macro.move", "Move a step of macro {macro}", MoveParams, move, stores=True, heeds_voices=True),
    Action("macro.place", "Move steps of macro {macro} elsewhere", PlaceParams, place, stores=True, heeds_voices=True),
    Action("macro.retime", "Change how long macro {macro} waits", RetimeParams, retime, stores=True, heeds_voices=True),
)
