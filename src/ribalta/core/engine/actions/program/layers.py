"""Insets, the key and titles: what the desk's own are, and putting them on or off, now or with the next take."""

from typing import Annotated

from pydantic import Field

from ribalta.core.base.faults import ActionRefused, NextStep
from ribalta.core.engine.actions.board import CameraNumber, camera_meant
from ribalta.core.engine.program import overlays, switching
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice
from ribalta.core.ports.shots import Layer
from ribalta.core.show.document.model import LETTERS
from ribalta.core.show.document.part import Colour, Share
from ribalta.core.show.document.scenes import INSETS, SLOTS, Inset, Key, KeyKind, Source, Title

Slot = Annotated[int, Field(ge=1, le=INSETS)]
CALLED = {"key": "The key"} | {f"inset{n}": f"Inset {n}" for n in range(1, 5)}


class LayerParams(Params):
    """`on` None turns it over; `with_next` leaves it to the next take."""

    slot: Annotated[str, Field(pattern=f"^({'|'.join(SLOTS)})$")]
    on: bool | None = None
    with_next: bool = False


class TitleParams(Params):
    title: Annotated[str, Field(description="the title's id")]


class TitleOnParams(TitleParams):
    on: bool | None = None
    with_next: bool = False


class SourceParams(Params):
    """A camera, by its number, perhaps at a framing; or a medium."""

    camera: CameraNumber | None = None
    letter: Annotated[str | None, Field(pattern=f"^[{LETTERS}]$")] = None
    page: Annotated[int, Field(ge=0, le=99)] = 0
    medium: str | None = None


class InsetParams(SourceParams):
    """What is left out stays as it is."""

    slot: Slot
    left: Annotated[float | None, Field(ge=-1, le=1)] = None
    top: Annotated[float | None, Field(ge=-1, le=1)] = None
    wide: Annotated[float | None, Field(ge=0.05, le=1)] = None
    crop: tuple[Share, Share, Share, Share] | None = None
    border: Annotated[float | None, Field(ge=0, le=0.05)] = None
    border_colour: Colour | None = None
    corner: Annotated[float | None, Field(ge=0, le=0.5)] = None


class KeyParams(SourceParams):
    kind: KeyKind | None = None
    low: Share | None = None
    high: Share | None = None
    inverted: bool | None = None


def source_meant(state: LiveState, params: SourceParams) -> Source | None:
    """None when nothing is said of it. Raises ActionRefused for what is not there."""
    if params.medium is not None:
        if state.show.medium(params.medium) is None:
            raise ActionRefused("That is no longer in the show.")
        return Source(medium_id=params.medium)
    if params.camera is None:
        return None
    camera = camera_meant(state, params.camera)
    if params.letter is None:
        return Source(camera_id=camera.id)
    framing = state.show.framing_at(camera.id, params.page * len(LETTERS) + LETTERS.index(params.letter))
    if framing is None:
        raise ActionRefused(f"Camera {camera.number} has nothing on {params.letter}.")
    return Source(camera_id=camera.id, framing_id=framing.id)


def title_meant(state: LiveState, title_id: str) -> Title:
    """The title of an id. Raises ActionRefused when it is gone."""
    title = state.show.titled(title_id)
    if title is None:
        raise ActionRefused("That title is no longer in the show.")
    return title


def own_layer(state: LiveState, slot: str) -> Layer:
    """What the desk has for a slot. Raises ActionRefused when it has nothing."""
    if slot == "key":
        if state.show.key is None:
            raise ActionRefused("No key is made yet: choose its fill under Scenes.")
        return state.show.key
    number = int(slot[-1])
    if slot.startswith("inset"):
        inset = next((i for i in state.show.insets if i.slot == number), None)
        if inset is None:
            raise ActionRefused(f"Inset {number} has no picture yet: choose one under Scenes.")
        return inset
    title = next((t for t in state.show.titles if t.layer == number), None)
    if title is None:
        raise ActionRefused(f"There is no title in layer {number} yet.")
    return title.id


def _switch(
    state: LiveState, slot: str, layer: Layer, called: str, on: bool | None, with_next: bool, now_s: float
) -> Outcome:
    if not with_next:
        there = state.program.overlays.on(slot)
        same = there == layer or (there is not None and slot.startswith("inset"))
        on = not same if on is None else on
        if not on and not same:
            return Outcome(state)
        state = switching.clips_run(overlays.put(state, slot, layer if on else None, now_s), now_s)
        return Outcome(state, (Notice(f"{called} is {'on air' if on else 'off'}."),))
    dress = state.overlays_of(state.program.next) if state.program.next is not None else state.program.overlays
    coming = state.program.pending.get(slot, dress.on(slot))
    on = coming != layer if on is None else on
    state = overlays.with_next(state, slot, layer if on else None)
    how = f"goes {'on' if on else 'off'} with the next take" if slot in state.program.pending else "stays as it is"
    return Outcome(state, (Notice(f"{called} {how}."),))


def layer_switch(state: LiveState, params: LayerParams, now_s: float) -> Outcome:
    there = state.program.overlays.on(params.slot)
    layer = there if there is not None and params.on is not True else own_layer(state, params.slot)
    title = state.show.titled(layer) if isinstance(layer, str) else None
    called = f"“{title.name}”" if title is not None else CALLED.get(params.slot, "It")
    return _switch(state, params.slot, layer, called, params.on, params.with_next, now_s)


def title_switch(state: LiveState, params: TitleOnParams, now_s: float) -> Outcome:
    title = title_meant(state, params.title)
    slot, called = f"title{title.layer}", f"“{title.name}”"
    return _switch(state, slot, title.id, called, params.on, params.with_next, now_s)


def inset_change(state: LiveState, params: InsetParams, now_s: float) -> Outcome:
    """The desk's own inset; one that is on air changes on air, which a director sees at once."""
    source = source_meant(state, params)
    before = next((i for i in state.show.insets if i.slot == params.slot), None)
    if before is None and source is None:
        raise ActionRefused(f"Inset {params.slot} has no picture yet: choose a camera or a medium first.")
    inset = changed_inset(before or Inset(slot=params.slot), params, source)
    insets = (*(i for i in state.show.insets if i.slot != params.slot), inset)
    show = state.show.model_copy(update={"insets": tuple(sorted(insets, key=lambda i: i.slot))})
    slot = f"inset{params.slot}"
    if before is not None and state.program.overlays.on(slot) == before:
        state = state.with_program(overlays=state.program.overlays.with_(slot, inset))
    return edited(state, show, f"changed inset {params.slot}")


def changed_inset(inset: Inset, params: InsetParams, source: Source | None) -> Inset:
    """Raises ActionRefused when nothing would be left of its picture."""
    new = params.model_dump(exclude_none=True, exclude={"slot", "camera", "letter", "page", "medium"})
    try:
        made = Inset.model_validate(inset.model_dump() | new)
    except ValueError:
        raise ActionRefused("At least a tenth of an inset's picture has to be left by its crop.") from None
    return made if source is None else made.model_copy(update={"source": source})


def inset_remove(state: LiveState, params: "SlotParams", now_s: float) -> Outcome:
    slot = f"inset{params.slot}"
    if state.program.overlays.on(slot) is not None:
        step = NextStep("Take it off", "layer.switch", (("slot", slot),))
        raise ActionRefused(f"Inset {params.slot} is on air: take it off first.", step)
    insets = tuple(i for i in state.show.insets if i.slot != params.slot)
    return edited(state, state.show.model_copy(update={"insets": insets}), f"removed inset {params.slot}")


class SlotParams(Params):
    slot: Slot


def key_change(state: LiveState, params: KeyParams, now_s: float) -> Outcome:
    source, before = source_meant(state, params), state.show.key
    if before is None and source is None:
        raise ActionRefused("The key has no fill yet: choose a camera or a medium first.")
    new = params.model_dump(exclude_none=True, exclude={"camera", "letter", "page", "medium"})
    key = Key.model_validate((before or Key()).model_dump() | new)
    if source is not None:
        key = key.model_copy(update={"fill": source})
    if before is not None and state.program.overlays.on("key") == before:
        state = state.with_program(overlays=state.program.overlays.with_("key", key))
    return edited(state, state.show.model_copy(update={"key": key}), "changed the key")


def _switched(state: LiveState, params: TitleOnParams) -> str:
    title = state.show.titled(params.title)
    way = "on or off" if params.on is None else "on" if params.on else "off"
    later = " with the next take" if params.with_next else ""
    return f"Title “{title.name}” {way}{later}" if title is not None else ""


ACTIONS = (
    Action(
        "layer.switch",
        "Turn {slot} on or off",
        LayerParams,
        layer_switch,
        {f"Ctrl+{n}": {"slot": f"inset{n}"} for n in range(1, 5)}
        | {f"Ctrl+Alt+{n}": {"slot": f"inset{n}", "with_next": True} for n in range(1, 5)}
        | {"Ctrl+5": {"slot": "key"}, "Ctrl+Alt+5": {"slot": "key", "with_next": True}}
        | {f"Ctrl+{n + 5}": {"slot": f"title{n}"} for n in range(1, 4)}
        | {f"Ctrl+Alt+{n + 5}": {"slot": f"title{n}", "with_next": True} for n in range(1, 4)},
        recordable=False,
        changes_air=True,
    ),
    Action("title.switch", "Turn a title on or off", TitleOnParams, title_switch, says=_switched, changes_air=True),
    Action("inset.change", "Change inset {slot}", InsetParams, inset_change, stores=True),
    Action("inset.remove", "Remove inset {slot}", SlotParams, inset_remove, stores=True),
    Action("key.change", "Change the key", KeyParams, key_change, stores=True),
)
