"""The as-run log: a moment that is marked, and what is to be read for a line of it."""

from typing import Annotated

from pydantic import Field

from ribalta.core.engine.state.action import Action, Outcome, Params
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.as_run import LineCorrected, MarkerSet
from ribalta.core.ports.messages import Notice

Words = Annotated[str, Field(max_length=400)]


class MarkParams(Params):
    note: Words = ""


class CorrectParams(Params):
    """`line` is the number of a line; of one that there is not, the correction stands for itself."""

    line: Annotated[int, Field(ge=1, le=1_000_000)]
    words: Annotated[str, Field(min_length=1, max_length=400)]


def mark(state: LiveState, params: MarkParams, now_s: float) -> Outcome:
    said = f"Marked: {params.note}" if params.note else "This moment is marked. What it was can be written in Wrap"
    return Outcome(state, (MarkerSet(params.note or "marker"), Notice(f"{said}.")))


def correct(state: LiveState, params: CorrectParams, now_s: float) -> Outcome:
    said = f"Line {params.line} of the log is corrected: the line itself stays."
    return Outcome(state, (LineCorrected(params.line, params.words), Notice(said)))


ACTIONS = (
    Action(
        "log.mark",
        "Mark this moment in the log",
        MarkParams,
        mark,
        {"I": {}},
        chords={"Ctrl+I": {}},
        heeds_cameras=False,
        also="marker note",
    ),
    Action(
        "log.correct",
        "Correct line {line} of the log",
        CorrectParams,
        correct,
        recordable=False,
        heeds_cameras=False,
    ),
)
