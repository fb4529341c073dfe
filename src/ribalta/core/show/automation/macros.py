"""Macros: named lists of steps. A step is an action, a wait, or holds other steps."""

from collections.abc import Collection, Iterator
from enum import StrEnum
from typing import Annotated

from pydantic import Field, model_validator

from ribalta.core.show.automation.calls import Call, Item, Kind
from ribalta.core.show.automation.lookup import Lookup
from ribalta.core.show.document.part import Colour, Name, Part

DEEPEST, MOST_STEPS = 6, 500


class StepKind(StrEnum):
    """What a step does."""

    DO = "do"
    WAIT = "wait"
    UNTIL_SET = "until set"
    UNTIL_TAKEN = "until taken"
    UNTIL_KEY = "until key"
    MACRO = "macro"
    IF = "if"
    REPEAT = "repeat"
    TOGETHER = "together"


HOLDERS = (StepKind.IF, StepKind.REPEAT, StepKind.TOGETHER)


class Is(StrEnum):
    """What can be asked of the show as it is."""

    ON_AIR = "on air"
    NEXT = "next"
    SET = "set"
    IN_CONTACT = "in contact"
    OPEN = "open"
    RECORDING = "recording"
    STREAMING = "streaming"


OF_NOTHING = (Is.RECORDING, Is.STREAMING)


class Condition(Part):
    """`item` is what it is asked of; nothing for recording and streaming. `wanted` False turns it round."""

    what: Is = Is.ON_AIR
    item: Item | None = None
    wanted: bool = True

    @model_validator(mode="after")
    def _of_something(self) -> "Condition":
        if self.what not in OF_NOTHING and self.item is None:
            raise ValueError(f"say what is to be {self.what}")
        return self


class Step(Part):
    """What else it has depends on its kind.

    `seconds` is how long a wait is; of the other waits it is the longest, 0 for none, and `then_stop` is what follows
    when that is over: stop the macro, or go on. `item` is the camera to wait for (none: all cameras of Next).
    `times` is how often to repeat, 0 until it is stopped. `steps` of TOGETHER each run beside the others; a REPEAT
    of 1 keeps several in order. An IF has `otherwise` too.
    """

    kind: StepKind = StepKind.DO
    call: Call | None = None
    seconds: Annotated[float, Field(ge=0, le=86400, allow_inf_nan=False)] = 0.0
    then_stop: bool = False
    item: Item | None = None
    condition: Condition | None = None
    times: Annotated[int, Field(ge=0, le=1000)] = 1
    macro: str | None = None
    steps: tuple["Step", ...] = ()
    otherwise: tuple["Step", ...] = ()
    off: bool = False
    note: Annotated[str, Field(max_length=200)] = ""

    @model_validator(mode="after")
    def _whole(self) -> "Step":
        if self.kind is StepKind.DO and self.call is None:
            raise ValueError("a step says which action it is")
        if self.kind is StepKind.MACRO and self.macro is None:
            raise ValueError("a step that runs a macro says which")
        if self.kind is StepKind.IF and self.condition is None:
            raise ValueError("an if says of what")
        if self.kind not in HOLDERS and (self.steps or self.otherwise):
            raise ValueError(f"“{self.kind}” holds no other steps")
        return self


class Again(StrEnum):
    """What pressing a macro does that runs already."""

    RESTART = "restart"
    IGNORE = "ignore"
    STOP = "stop"
    QUEUE = "queue"


class Macro(Part):
    """Steps that are run by one press; `again` says what a second press does while it runs."""

    id: str
    name: Name
    colour: Colour = "#b9ab98"
    folder: Annotated[str, Field(max_length=80)] = ""
    note: Annotated[str, Field(max_length=400)] = ""
    again: Again = Again.RESTART
    steps: tuple[Step, ...] = ()

    @model_validator(mode="after")
    def _not_endless(self) -> "Macro":
        if sum(1 for _ in walk(self.steps)) > MOST_STEPS:
            raise ValueError(f"a macro has at most {MOST_STEPS} steps: make two of it")
        if max((len(path) for path, _ in walk(self.steps)), default=0) > DEEPEST:
            raise ValueError(f"steps lie in each other at most {DEEPEST} deep: make a macro of the inner ones")
        return self


Path = tuple[int, ...]
ELSE = 10_000  # added to the place of a step in `otherwise`


def walk(steps: tuple[Step, ...], path: Path = (), start: int = 0) -> Iterator[tuple[Path, Step]]:
    """Every step with its path, in the order in which they are read. A place in `otherwise` counts from ELSE."""
    for k, step in enumerate(steps):
        here = (*path, start + k)
        yield here, step
        yield from walk(step.steps, here)
        yield from walk(step.otherwise, here, ELSE)


def step_at(steps: tuple[Step, ...], path: Path) -> Step:
    """Raises IndexError when there is none."""
    siblings, step = steps, None
    for place in path:
        if step is not None:
            siblings = step.otherwise if place >= ELSE else step.steps
        step = siblings[place % ELSE]
    if step is None:
        raise IndexError("no step is named")
    return step


def changed_at(steps: tuple[Step, ...], path: Path, new: tuple[Step, ...], instead: bool) -> tuple[Step, ...]:
    """With `new` put in before the step at a path, or `instead` of it. Raises IndexError when there is no such
    place; one behind the last is a place too, to put something in."""
    place, rest = path[0] % ELSE, path[1:]
    if not rest:
        if place > len(steps) or (instead and place == len(steps)):
            raise IndexError("there is no such step")
        return (*steps[:place], *new, *steps[place + (1 if instead else 0) :])
    step = steps[place]
    which = "otherwise" if rest[0] >= ELSE else "steps"
    inner = changed_at(getattr(step, which), rest, new, instead)
    return (*steps[:place], step.model_copy(update={which: inner}), *steps[place + 1 :])


def placed(steps: tuple[Step, ...], moved: Collection[Path], before: Path) -> tuple[Step, ...]:
    """With these steps in front of the one at `before`, which may be one behind the last in its group; they keep their
    order. What lies in a step that is moved goes with it. Raises IndexError when a place does not exist, ValueError
    when it lies inside what is moved."""
    tops = [path for path in sorted(moved) if not any(path[: len(other)] == other for other in moved if other != path)]
    if any(before[: len(path)] == path and before != path for path in tops):
        raise ValueError("a group cannot be moved into itself")
    ones = tuple(step_at(steps, path) for path in tops)
    found = False

    def rebuilt(siblings: tuple[Step, ...], above: Path, start: int) -> tuple[Step, ...]:
        nonlocal found
        made: list[Step] = []
        for k in range(len(siblings) + 1):
            here = (*above, start + k)
            if here == before:
                found = True
                made += ones
            if k < len(siblings) and here not in tops:
                one = siblings[k]
                inside = {"steps": rebuilt(one.steps, here, 0)} if one.kind in HOLDERS else {}
                if one.kind is StepKind.IF:
                    inside["otherwise"] = rebuilt(one.otherwise, here, ELSE)
                made.append(one.model_copy(update=inside) if inside else one)
        return tuple(made)

    whole = rebuilt(steps, (), 0)
    if not found:
        raise IndexError("there is no such place")
    return whole


def macros_called(steps: tuple[Step, ...]) -> Iterator[str]:
    """Which macros these steps run, by steps of their own or as an action; steps that are off do not count."""
    for step in steps:
        if step.off:
            continue
        if step.kind is StepKind.MACRO and step.macro is not None:
            yield step.macro
        elif step.call is not None and step.call.action == "macro.run":
            yield str(step.call.arguments.get("macro", ""))
        yield from macros_called(step.steps)
        yield from macros_called(step.otherwise)


def endless(show: Lookup, macro: Macro) -> str | None:
    """Why a macro would never come to an end or to rest, as a sentence with the path; None when it is sound."""
    path = _circle(show, macro, (macro,))
    if path is not None:
        return f"It would run itself: {' → '.join(f'“{m.name}”' for m in path)}."
    loop = _restless(show, macro.steps, (macro.id,))
    if loop is not None:
        where = ".".join(str(k % ELSE + 1) for k in loop)
        return f"Step {where} of “{macro.name}” repeats without an end and without waiting: put a wait into it."
    return None


def _circle(show: Lookup, macro: Macro, path: tuple[Macro, ...]) -> tuple[Macro, ...] | None:
    for called in macros_called(macro.steps):
        if called == path[0].id:
            return (*path, path[0])
        inner = show.macro(called)
        if inner is None or inner in path[1:]:
            continue
        found = _circle(show, inner, (*path, inner))
        if found is not None:
            return found
    return None


def _restless(show: Lookup, steps: tuple[Step, ...], seen: tuple[str, ...], path: Path = ()) -> Path | None:
    for k, step in enumerate(steps):
        here = (*path, k)
        if step.off:
            continue
        if step.kind is StepKind.REPEAT and step.times == 0 and not _rests(show, step.steps, seen):
            return here
        found = _restless(show, step.steps, seen, here) or _restless(show, step.otherwise, seen, here)
        if found is not None:
            return found
    return None


def _rests(show: Lookup, steps: tuple[Step, ...], seen: tuple[str, ...]) -> bool:
    """Does time pass in these steps, whichever way they go?"""
    for step in steps:
        if step.off:
            continue
        match step.kind:
            case StepKind.WAIT:
                rests = step.seconds >= 0.04
            case StepKind.UNTIL_TAKEN | StepKind.UNTIL_KEY:
                rests = True
            case StepKind.MACRO:
                inner = show.macro(step.macro or "")
                rests = inner is not None and inner.id not in seen and _rests(show, inner.steps, (*seen, inner.id))
            case StepKind.IF:
                rests = _rests(show, step.steps, seen) and _rests(show, step.otherwise, seen)
            case StepKind.REPEAT | StepKind.TOGETHER:
                rests = _rests(show, step.steps, seen)
            case _:
                rests = False
        if rests:
            return True
    return False


def items_in(steps: tuple[Step, ...]) -> Iterator[Item]:
    """What steps name besides what their calls do."""
    for _, step in walk(steps):
        if step.item is not None:
            yield step.item
        if step.condition is not None and step.condition.item is not None:
            yield step.condition.item
        if step.kind is StepKind.MACRO and step.macro is not None:
            yield Item(kind=Kind.MACRO, id=step.macro)
