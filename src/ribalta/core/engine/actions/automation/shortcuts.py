"""Shortcuts: what a key, button, note or message does, in this show or at this desk; and their layers."""

from typing import Annotated, Literal

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import DeskShortcuts, Notice
from ribalta.core.show.automation.calls import Broken, Call, following_items, following_position
from ribalta.core.show.automation.triggers_pads_shortcuts import How, Shortcut, Times

Owner = Literal["show", "desk"]


class PlaceParams(Params):
    """Which shortcut: its control, how that is worked, and the layer; and whose it is."""

    control: Annotated[str, Field(min_length=3, max_length=120, description="such as “key Ctrl+K”")]
    how: How = How.PRESS
    layer: Annotated[str, Field(max_length=40)] = ""
    owner: Owner = "show"


class SetParams(PlaceParams):
    """`action` None: this control is to do nothing. `instead_of` is a control that it moves from."""

    action: Annotated[str | None, Field(max_length=80)] = None
    arguments: dict[str, object] = Field(default_factory=dict)
    follows: Literal["item", "position"] = "item"
    instead_of: str | None = None


class FollowParams(PlaceParams):
    follows: Literal["item", "position"]


class GiveParams(PlaceParams):
    to: Owner


class BringParams(Params):
    """Many at once; those that are there on the same control, how and layer are replaced."""

    shortcuts: Annotated[tuple[Shortcut, ...], Field(min_length=1, max_length=5000)]
    owner: Owner = "show"


class TimesParams(Params):
    long_s: Annotated[float | None, Field(ge=0.2, le=3)] = None
    double_s: Annotated[float | None, Field(ge=0.1, le=1)] = None


class LayerParams(Params):
    layer: Annotated[str, Field(min_length=1, max_length=40)]


class HoldParams(LayerParams):
    on: bool = True


def owned(state: LiveState, owner: Owner) -> tuple[Shortcut, ...]:
    """The shortcuts of the show, or of this desk."""
    return state.show.shortcuts if owner == "show" else state.desk.shortcuts


def with_owned(state: LiveState, owner: Owner, shortcuts: tuple[Shortcut, ...], what: str) -> Outcome:
    """The same with others instead; `what` says what was done, as a phrase. Only those of the show are an edit."""
    if owner == "show":
        return edited(state, state.show.model_copy(update={"shortcuts": shortcuts}), what)
    said = Notice(f"{what[0].upper()}{what[1:]}, for this desk in every show.")
    return Outcome(state.with_desk(shortcuts=shortcuts), (DeskShortcuts(shortcuts), said))


def _words(place: PlaceParams) -> str:
    name = place.control.partition(" ")[2]
    how = "" if place.how is How.PRESS else f" ({place.how})"
    return f"{name}{how}{f' in layer {place.layer}' if place.layer else ''}"


def put(state: LiveState, params: SetParams, now_s: float) -> Outcome:
    call = None
    if params.action is not None:
        call = Call.model_validate({"action": params.action, "arguments": params.arguments})
        if params.follows == "item" and params.owner == "show":  # items are those of a show
            call = following_items(state.show, call)
    made = Shortcut(control=params.control, how=params.how, layer=params.layer, call=call)
    gone = {made.place, (params.instead_of, params.how, params.layer)}
    kept = tuple(s for s in owned(state, params.owner) if s.place not in gone)
    what = f"{_words(params)} does nothing now" if call is None else f"set {_words(params)}"
    return with_owned(state, params.owner, (*kept, made), what)


def _found(state: LiveState, params: PlaceParams) -> Shortcut:
    place = (params.control, params.how, params.layer)
    found = next((s for s in owned(state, params.owner) if s.place == place), None)
    if found is None:
        raise ActionRefused(f"There is no shortcut on {_words(params)} here.")
    return found


def remove(state: LiveState, params: PlaceParams, now_s: float) -> Outcome:
    found = _found(state, params)
    kept = tuple(s for s in owned(state, params.owner) if s is not found)
    return with_owned(state, params.owner, kept, f"removed the shortcut on {_words(params)}")


def follow(state: LiveState, params: FollowParams, now_s: float) -> Outcome:
    """The item, wherever it moves; or the position, whatever is there."""
    found = _found(state, params)
    if params.owner == "desk" and params.follows == "item":
        raise ActionRefused("A shortcut of this desk is for any show: it follows the position.")
    if found.call is None:
        return Outcome(state)
    try:
        tie = following_items if params.follows == "item" else following_position
        call = tie(state.show, found.call)
    except Broken as gone:
        raise ActionRefused(f"That shortcut is broken: {gone}.") from None
    new = found.model_copy(update={"call": call})
    all_ = tuple(new if s is found else s for s in owned(state, params.owner))
    return with_owned(state, params.owner, all_, f"{_words(params)} follows the {params.follows}")


def give(state: LiveState, params: GiveParams, now_s: float) -> Outcome:
    """From this show to this desk, or the other way round. At a desk it follows the position, for any show."""
    found = _found(state, params)
    if params.to == params.owner:
        return Outcome(state)
    left = tuple(s for s in owned(state, params.owner) if s is not found)
    if params.to == "desk" and found.call is not None:
        try:
            found = found.model_copy(update={"call": following_position(state.show, found.call)})
        except Broken as gone:
            raise ActionRefused(f"That shortcut is broken: {gone}.") from None
    there = tuple(s for s in owned(state, params.to) if s.place != found.place)
    outcome = with_owned(state, params.owner, left, f"moved {_words(params)}")
    return outcome.then(lambda s: with_owned(s, params.to, (*there, found), f"{_words(params)} is kept here"))


def bring(state: LiveState, params: BringParams, now_s: float) -> Outcome:
    brought = {s.place: s for s in params.shortcuts}  # of two with the same place the last one counts
    kept = tuple(s for s in owned(state, params.owner) if s.place not in brought)
    what = f"brought in {len(brought)} shortcuts"
    return with_owned(state, params.owner, (*kept, *brought.values()), what)


def times(state: LiveState, params: TimesParams, now_s: float) -> Outcome:
    new = Times.model_validate(state.show.times.model_dump() | params.model_dump(exclude_none=True))
    return edited(state, state.show.model_copy(update={"times": new}), f"a long press is {new.long_s:g} s")


def hold(state: LiveState, params: HoldParams, now_s: float) -> Outcome:
    """A layer is in force for as long as its key is held."""
    others = tuple(x for x in state.automation.layers if x != params.layer)
    return Outcome(state.with_automation(layers=(*others, params.layer) if params.on else others))


def latch(state: LiveState, params: LayerParams, now_s: float) -> Outcome:
    """A layer is in force until the same is pressed again."""
    return hold(state, HoldParams(layer=params.layer, on=params.layer not in state.automation.layers), now_s)


ACTIONS = (
    Action("shortcut.set", "Set what {control} does", SetParams, put, stores=True),
    Action("shortcut.remove", "Remove the shortcut on {control}", PlaceParams, remove, stores=True),
    Action("shortcut.follow", "Let {control} follow the item or the position", FollowParams, follow, stores=True),
    Action("shortcut.give", "Give {control} to this show or to this desk", GiveParams, give, stores=True),
    Action("shortcuts.import", "Import shortcuts", BringParams, bring, stores=True),
    Action("shortcuts.times", "Say how long a long press is", TimesParams, times, stores=True),
    Action(
        "layer.hold",
        "Hold layer {layer} of the shortcuts",
        HoldParams,
        hold,
        let_go={"on": False},
        recordable=False,
        changes_air=True,
    ),
    Action(
        "layer.latch",
        "Turn layer {layer} of the shortcuts on or off",
        LayerParams,
        latch,
        recordable=False,
        changes_air=True,
    ),
)
