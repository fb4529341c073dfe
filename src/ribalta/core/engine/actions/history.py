"""Taking edits back, and making them again."""

from typing import Annotated

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.state.action import Action, Outcome, Params
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice, ShowEdited
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Show


class StepsParams(Params):
    steps: Annotated[int, Field(ge=1, le=100, description="how many edits")] = 1


def undo(state: LiveState, params: StepsParams, now_s: float) -> Outcome:
    """One edit, or as many as are asked for and there are. What was undone is said."""
    if not state.edits.undo:
        raise ActionRefused("There is nothing to undo.")
    said = []
    for _ in range(min(params.steps, len(state.edits.undo))):
        before, edits = state.show, state.edits
        undo, words = _last(edits.undo, edits.undo_words)
        said.append(words)
        state = _turned_to(state, undo, "Undo").with_edits(
            undo=edits.undo[:-1],
            undo_words=edits.undo_words[:-1],
            redo=(*edits.redo, before),
            redo_words=(*edits.redo_words, words),
        )
    told = Notice(f"Undone: {_several(said)}. Ctrl+Shift+Z redoes it.")
    return Outcome(state, (ShowEdited(f"undid: {said[-1]}"), told))


def redo(state: LiveState, params: StepsParams, now_s: float) -> Outcome:
    if not state.edits.redo:
        raise ActionRefused("There is nothing to redo: no edit was undone since the last one.")
    said = []
    for _ in range(min(params.steps, len(state.edits.redo))):
        before, edits = state.show, state.edits
        redo, words = _last(edits.redo, edits.redo_words)
        said.append(words)
        state = _turned_to(state, redo, "That").with_edits(
            undo=(*edits.undo, before),
            redo=edits.redo[:-1],
            undo_words=(*edits.undo_words, words),
            redo_words=edits.redo_words[:-1],
        )
    return Outcome(state, (ShowEdited(f"redid: {said[-1]}"), Notice(f"Redone: {_several(said)}. Ctrl+Z undoes it.")))


def _last(shows: tuple[Show, ...], words: tuple[str, ...]) -> tuple[Show, str]:
    """The newest of those that are kept, and what was done to it."""
    return shows[-1], words[-1] if words else "the last edit"


def _several(said: list[str]) -> str:
    return said[0] if len(said) == 1 else f"{len(said)} edits, back to before “{said[-1]}”"


def _turned_to(state: LiveState, show: Show, what: str) -> LiveState:
    """The state with another document; what runs keeps what is still there."""
    show = show.model_copy(update={"next_number": max(show.next_number, state.show.next_number)})
    for camera in state.show.cameras:
        if show.camera(camera.id) is None and (state.on_air(camera.id) or state.is_next(camera.id)):
            raise ActionRefused(f"{what} would take camera {camera.number} away, which is on air or Next.")
    known = {f.id for f in show.framings} | {None}

    def there(shot: Shot) -> bool:
        """Is everything of it still in the show?"""
        scene = shot.scene_id is None or show.scene(shot.scene_id) is not None
        medium = shot.medium_id is None or show.medium(shot.medium_id) is not None
        camera = not shot.camera_id or show.camera(shot.camera_id) is not None
        return scene and medium and camera and shot.framing_id in known

    def still(shot: Shot | None) -> Shot | None:
        if shot is None or there(shot):
            return shot
        return Shot(shot.camera_id) if shot.camera_id else None

    before = state.show
    return (
        state.with_(show=show)
        .with_edits(count=state.edits.count + 1)
        .with_program(
            on_air=still(state.program.on_air),
            next=still(state.program.next),
            held=state.program.held if state.program.held is None or there(state.program.held.shot) else None,
            then=tuple(s for s in state.program.then if there(s)),
        )
        .with_desk(
            row=state.desk.row if state.desk.row and show.camera(state.desk.row) is not None else None,
        )
        .without_stale_verdicts(before)
    )


ACTIONS = (
    Action("edit.undo", "Undo the last edit", StepsParams, undo, stores=True, chords={"Ctrl+Z": {}, "Ctrl+Alt+Z": {}}),
    Action(
        "edit.redo",
        "Redo the last undone edit",
        StepsParams,
        redo,
        stores=True,
        chords={"Ctrl+Shift+Z": {}, "Ctrl+Alt+Shift+Z": {}},
    ),
)
