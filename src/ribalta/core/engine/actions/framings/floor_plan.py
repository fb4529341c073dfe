"""The floor plan: marks, drawn by hand or brought in from a file. Every edit can be undone."""

from typing import Annotated

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.base.values import without
from ribalta.core.engine.actions.cameras.cameras import Degrees, Metres
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.document.model import Mark

MOST_MARKS = 500
MarkName = Annotated[str, Field(max_length=80)]
Height = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]


class AddMarkParams(Params):
    x_m: Metres
    y_m: Metres
    name: MarkName = ""


class MarkParams(Params):
    mark: str


class ChangeMarkParams(MarkParams):
    """What is left out stays."""

    name: MarkName | None = None
    x_m: Metres | None = None
    y_m: Metres | None = None
    height_m: Height | None = None
    facing_deg: Degrees | None = None


class NewMark(Params):
    name: MarkName
    x_m: Metres
    y_m: Metres
    height_m: Height = 1.6
    facing_deg: Degrees = 180.0


class ImportParams(Params):
    """Marks of a name that is there already move to the new place; the others are added."""

    marks: Annotated[tuple[NewMark, ...], Field(min_length=1, max_length=MOST_MARKS)]


def _mark(state: LiveState, mark_id: str) -> Mark:
    mark = state.show.mark(mark_id)
    if mark is None:
        raise ActionRefused("That mark is not on the plan any more.")
    return mark


def _with_marks(state: LiveState, marks: tuple[Mark, ...], what: str, used: int = 0) -> Outcome:
    if len(marks) > MOST_MARKS:
        raise ActionRefused(f"A plan holds {MOST_MARKS} marks at most; this would make {len(marks)}.")
    changes = {"marks": marks, "next_number": state.show.next_number + used}
    return edited(state, state.show.model_copy(update=changes), what)


def add(state: LiveState, params: AddMarkParams, now_s: float) -> Outcome:
    names = {m.name for m in state.show.marks}
    name = params.name.strip() or next(f"Mark {k}" for k in range(1, MOST_MARKS + 2) if f"Mark {k}" not in names)
    mark = Mark(id=f"m{state.show.next_number}", name=name, x_m=params.x_m, y_m=params.y_m)
    return _with_marks(state, (*state.show.marks, mark), f"added mark “{name}”", 1)


def change(state: LiveState, params: ChangeMarkParams, now_s: float) -> Outcome:
    mark = _mark(state, params.mark)
    changes = params.model_dump(exclude={"mark"}, exclude_none=True)
    if "name" in changes and not str(changes["name"]).strip():
        raise ActionRefused(f"A mark needs a name: “{mark.name}” keeps its own.")
    new = mark.model_copy(update=changes)
    if new == mark:
        return Outcome(state)
    marks = tuple(new if m.id == mark.id else m for m in state.show.marks)
    return _with_marks(state, marks, f"changed mark “{new.name}”")


def remove(state: LiveState, params: MarkParams, now_s: float) -> Outcome:
    mark = _mark(state, params.mark)
    framings = tuple(f.model_copy(update={"mark_id": None}) if f.mark_id == mark.id else f for f in state.show.framings)
    marks = without(state.show.marks, mark.id)
    return edited(
        state, state.show.model_copy(update={"marks": marks, "framings": framings}), f"removed mark “{mark.name}”"
    )


def bring_in(state: LiveState, params: ImportParams, now_s: float) -> Outcome:
    marks = {m.name: m for m in state.show.marks}
    for k, new in enumerate(params.marks):
        values = new.model_dump()
        if new.name in marks:
            marks[new.name] = marks[new.name].model_copy(update=values)
        else:
            marks[new.name] = Mark(id=f"m{state.show.next_number + k}", **values)
    count = len(params.marks)
    return _with_marks(state, tuple(marks.values()), f"brought in {count} mark{'s' if count != 1 else ''}", count)


ACTIONS = (
    Action("mark.add", "Add a mark to the plan", AddMarkParams, add, stores=True),
    Action("mark.change", "Move or rename a mark", ChangeMarkParams, change, stores=True),
    Action("mark.remove", "Remove a mark", MarkParams, remove, stores=True),
    Action("plan.import", "Import marks", ImportParams, bring_in, stores=True),
)
