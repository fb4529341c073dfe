"""Taking edits back, and making them again."""

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.state.action import Action, NoParams, Outcome
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice, ShowEdited
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Show


def undo(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    if not state.edits.undo:
        raise ActionRefused("There is nothing to undo.")
    gone = _turned_to(state, state.edits.undo[-1], "Undo")
    gone = gone.with_edits(undo=state.edits.undo[:-1], redo=(*state.edits.redo, state.show))
    said = Notice("The last edit is undone. Ctrl+Shift+Z makes it again.")
    return Outcome(gone, (ShowEdited("undid the last edit"), said))


def redo(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    if not state.edits.redo:
        raise ActionRefused("There is nothing to make again: no edit was undone since the last one.")
    made = _turned_to(state, state.edits.redo[-1], "That")
    made = made.with_edits(undo=(*state.edits.undo, state.show), redo=state.edits.redo[:-1])
    said = Notice("The edit is made again. Ctrl+Z undoes it.")
    return Outcome(made, (ShowEdited("made the edit again"), said))


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
    Action("edit.undo", "Undo the last edit", NoParams, undo, stores=True, chords={"Ctrl+Z": {}, "Ctrl+Alt+Z": {}}),
    Action(
        "edit.redo",
        "Redo the last undone edit",
        NoParams,
        redo,
        stores=True,
        chords={"Ctrl+Shift+Z": {}, "Ctrl+Alt+Shift+Z": {}},
    ),
)
