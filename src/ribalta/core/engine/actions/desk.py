"""What is asked of the desk itself, and of the show's file: views, help, the finder, saving.

The engine only tells: the desk whose own key asks does it at once, others when they hear of it.
"""

from typing import Annotated, Literal

from pydantic import Field, field_validator

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.state.action import Action, NoParams, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import DeskAsked
from ribalta.core.ports.saving import SaveWanted

View = Literal["Rig", "Frame", "Cue", "Check", "Air", "Wrap"]
VIEW_KEYS: dict[View, str] = {
    "Rig": "F2",
    "Frame": "F3",
    "Cue": "F4",
    "Check": "Shift+F4",
    "Air": "F6",
    "Wrap": "Shift+F6",
}


class ShowViewParams(Params):
    view: View

    @field_validator("view", mode="before")
    @classmethod
    def _called_now(cls, given: object) -> object:
        """What ran was a view of its own before, and is a page of Wrap."""
        return "Wrap" if given == "Log" else given


def show_view(state: LiveState, params: ShowViewParams, now_s: float) -> Outcome:
    return Outcome(state.with_desk(view=params.view), (DeskAsked("desk.view", params.view),))


class RenameShowParams(Params):
    title: Annotated[str, Field(min_length=1, max_length=80)]


def rename_show(state: LiveState, params: RenameShowParams, now_s: float) -> Outcome:
    title = params.title.strip()
    if not title:
        raise ActionRefused("A show needs a name.")
    return edited(state, state.show.model_copy(update={"title": title}), f"renamed the show to “{title}”")


def save(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    return Outcome(state, (SaveWanted(),))


def _view_words(state: LiveState, params: ShowViewParams) -> str:
    return f"Show {params.view}"


def _asked(id_: str, sentence: str, key: str, on_air: bool = True, stores: bool = False) -> Action:
    """Something that only the desk can do: it alone knows, say, which place was selected last. `on_air`: its key is
    one of Air's, and none of the other views'."""

    def ask(state: LiveState, params: NoParams, now_s: float) -> Outcome:
        return Outcome(state, (DeskAsked(id_),))

    return Action(
        id_,
        sentence,
        NoParams,
        ask,
        {key: {}} if on_air else {},
        stores,
        recordable=False,
        hidden=True,
        at_desk=True,
        chords={} if on_air else {key: {}},
    )


ACTIONS = (
    Action("show.save", "Save the show", NoParams, save, recordable=False, chords={"Ctrl+S": {}}),
    Action("show.rename", "Rename the show", RenameShowParams, rename_show, stores=True, recordable=False),
    _asked("desk.new", "Begin a new show", "Ctrl+N", on_air=False),
    _asked("desk.open", "Open another show", "Ctrl+O", on_air=False),
    _asked("desk.save_as", "Save the show as another one", "Ctrl+Alt+S", on_air=False),
    _asked("desk.menu", "The show's menu: open, save, rename, preferences", "Ctrl+M", on_air=False),
    _asked("desk.preferences", "Preferences of this desk", "Ctrl+,", on_air=False),
    _asked("desk.keys", "Show or hide every key", "F1", on_air=False),
    Action(
        "desk.view",
        "Show Rig, Frame, Cue, Check, Air or Wrap",
        ShowViewParams,
        show_view,
        says=_view_words,
        recordable=False,
        hidden=True,
        at_desk=True,
        chords={key: {"view": view} for view, key in VIEW_KEYS.items()},
    ),
    _asked("desk.first_evening", "First evening: what to press now, and why", "Ctrl+F1", on_air=False),
    _asked("desk.notices", "What was said: the last hundred notices", "Shift+F1", on_air=False),
    _asked("desk.find", "Find anything by a few words, and do it", "F5", on_air=False),
    _asked("desk.pads", "Show or hide the pads", "F9"),
    _asked("desk.marks", "Marks on the floor plan: who is to be seen", "M"),
    _asked("desk.why", "Why did the camera selected last move? What ran?", "F10", on_air=False),
    _asked("desk.lock", "Lock this desk to a page of pads, until its code is typed", "Ctrl+Alt+L", on_air=False),
    _asked("desk.full_screen", "Fill the screen", "F11", on_air=False),
    _asked("desk.rename", "Rename the framing selected last", "N", stores=True),
    _asked("desk.lock_framing", "Lock the framing selected last, or unlock it", "P", stores=True),
    _asked("desk.remove", "Remove the framing selected last", "Del", stores=True),
)
