"""Titles: what is in them, row by row, and what is turned to or played from the media."""

from typing import Annotated

from pydantic import Field

from ribalta.core.base.faults import ActionRefused, NextStep
from ribalta.core.base.spans import length_words
from ribalta.core.base.values import replaced, without
from ribalta.core.engine.actions.program.layers import TitleParams, title_meant
from ribalta.core.engine.program import switching
from ribalta.core.engine.removing import Users, cleared
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState, sources_of
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.calls import Kind, named
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.part import Colour, Name, StoredName
from ribalta.core.show.document.scenes import TEMPLATE, TITLES, Medium, Title

Words = Annotated[str, Field(max_length=400)]


class AddParams(Params):
    template: Annotated[str, Field(pattern=TEMPLATE, description="the drawing's name")]
    name: Name
    layer: Annotated[int, Field(ge=1, le=TITLES)] = 1
    fields: dict[str, Words] = Field(default_factory=dict)


class ChangeParams(TitleParams):
    """What is left out stays as it is; `fields` are added to those that there are."""

    name: Name | None = None
    template: Annotated[str, Field(pattern=TEMPLATE)] | None = None
    layer: Annotated[int | None, Field(ge=1, le=TITLES)] = None
    fields: dict[str, Words] = Field(default_factory=dict)
    moves: Annotated[str | None, Field(pattern="^(cut|fade|rise|slide)$")] = None
    seconds: Annotated[float | None, Field(ge=0.01, le=4, allow_inf_nan=False)] = None


class RemoveParams(TitleParams):
    users: Users = "ask"


class RowsParams(TitleParams):
    """`keep`: the title stays at the row that it is at; else it begins with the first."""

    keep: bool = False
    rows: Annotated[list[list[tuple[str, str]]], Field(max_length=5000)]


class RowParams(TitleParams):
    """Which row: the next ones (`by`), one by its number from 1 (`to`), or the first that has a word (`named`)."""

    by: Annotated[int, Field(ge=-5000, le=5000)] = 0
    to: Annotated[int | None, Field(ge=1, le=5000)] = None
    named: str | None = None


class CountParams(TitleParams):
    seconds: Annotated[float, Field(ge=0, le=86400, allow_inf_nan=False)]


class MediumParams(Params):
    medium: Annotated[str, Field(description="its id")]


class BringParams(Params):
    """What was brought into the media; `files` are names of what the show keeps."""

    name: Name
    kind: Annotated[str, Field(pattern="^(still|clip|deck|colour)$")]
    files: Annotated[tuple[StoredName, ...], Field(max_length=1000)] = ()
    path: str = ""
    colour: Colour = "#000000"


class RemoveMediumParams(MediumParams):
    users: Users = "ask"


class RenameMediumParams(MediumParams):
    name: Name


class HeardParams(MediumParams):
    heard: bool


class SlideParams(Params):
    """Of the deck that is on air or Next when none is named."""

    medium: str | None = None
    by: Annotated[int, Field(ge=-999, le=999)] = 0
    to: Annotated[int | None, Field(ge=1, le=999)] = None


class CardIsParams(Params):
    medium: str | None = None


def with_title(show: Show, title: Title) -> Show:
    """The show with a title in place of the one of the same id, or behind all others."""
    if show.titled(title.id) is None:
        return show.model_copy(update={"titles": (*show.titles, title)})
    return show.model_copy(update={"titles": replaced(show.titles, title)})


def add(state: LiveState, params: AddParams, now_s: float) -> Outcome:
    number = state.show.next_number
    title = Title(
        id=f"t{number}",
        name=params.name,
        template=params.template,
        layer=params.layer,
        fields=tuple(params.fields.items()),
        changed_at_s=now_s + state.wall_clock.offset_s,
    )
    show = with_title(state.show, title).model_copy(update={"next_number": number + 1})
    return edited(state, show, f"made the title “{title.name}”")


def change(state: LiveState, params: ChangeParams, now_s: float) -> Outcome:
    title = title_meant(state, params.title)
    new = params.model_dump(exclude_none=True, exclude={"title", "fields"})
    if "layer" in new and new["layer"] != title.layer and title.id in state.program.overlays.layers:
        raise ActionRefused(f"“{title.name}” is on air: take it off before it goes to another layer.")
    fields = {**title.values, **params.fields}
    changed_at_s = now_s + state.wall_clock.offset_s if fields != title.values else title.changed_at_s
    made = title.model_copy(update={**new, "fields": tuple(fields.items()), "changed_at_s": changed_at_s})
    return edited(state, with_title(state.show, made), f"changed the title “{made.name}”")


def remove(state: LiveState, params: RemoveParams, now_s: float) -> Outcome:
    title = title_meant(state, params.title)
    if title.id in state.program.overlays.layers:
        step = NextStep("Take it off", "title.switch", (("title", title.id),))
        raise ActionRefused(f"“{title.name}” is on air: take it off first.", step)
    used = next((s for s in state.show.scenes if title.id in s.title_ids), None)
    if used is not None:
        arguments = (("scene", used.number), ("layer", used.title_ids.index(title.id) + 1))
        step = NextStep("Remove it there", "scene.title", arguments)
        raise ActionRefused(f"“{title.name}” is used in the scene “{used.name}”: remove it there first.", step)
    pending = {slot: layer for slot, layer in state.program.pending.items() if layer != title.id}
    item = named(state.show, Kind.TITLE, title.id)
    asked = {"title": title.id}
    show = cleared(state.show, (item,), f"“{title.name}”", params.users, "title.remove", asked)
    titles = without(show.titles, title.id)
    show = show.model_copy(update={"titles": titles})
    return edited(state.with_program(pending=pending), show, f"removed the title “{title.name}”")


def rows(state: LiveState, params: RowsParams, now_s: float) -> Outcome:
    title = title_meant(state, params.title)
    if not params.rows:
        raise ActionRefused("There are no rows in it.")
    at = min(title.row, len(params.rows) - 1) if params.keep else 0
    made = title.model_copy(update={"rows": tuple(tuple(row) for row in params.rows), "row": at})
    what = "changed rows of" if params.keep else f"brought {len(made.rows)} rows into"
    return _shown(state, made, at, now_s, f"{what} “{title.name}”")


def row(state: LiveState, params: RowParams, now_s: float) -> Outcome:
    title = title_meant(state, params.title)
    if not title.rows:
        raise ActionRefused(f"“{title.name}” has no rows: bring in a table first.")
    at = params.to - 1 if params.to is not None else title.row + params.by
    if params.named is not None:
        sought = params.named.casefold()
        hits = [k for k, r in enumerate(title.rows) if any(sought in value.casefold() for _, value in r)]
        if not hits:
            raise ActionRefused(f"No row of “{title.name}” has “{params.named}”.")
        at = next((k for k in hits if k > title.row), hits[0])
    if not 0 <= at < len(title.rows):
        end = "last" if at >= len(title.rows) else "first"
        raise ActionRefused(f"“{title.name}” is at its {end} row.")
    return _shown(state, title, at, now_s, f"turned “{title.name}” to row {at + 1} of {len(title.rows)}")


def _shown(state: LiveState, title: Title, at: int, now_s: float, what: str) -> Outcome:
    """The words of a row are those of the title now."""
    fields = {**title.values, **dict(title.rows[at])}
    new = {"row": at, "fields": tuple(fields.items()), "changed_at_s": now_s + state.wall_clock.offset_s}
    return edited(state, with_title(state.show, title.model_copy(update=new)), what)


def count(state: LiveState, params: CountParams, now_s: float) -> Outcome:
    """A countdown is to be over in so many seconds."""
    title = title_meant(state, params.title)
    ends_s = now_s + state.wall_clock.offset_s + params.seconds
    made = title.model_copy(update={"counts_to_s": ends_s, "changed_at_s": now_s + state.wall_clock.offset_s})
    what = f"“{title.name}” counts down from {length_words(params.seconds)}"
    return edited(state, with_title(state.show, made), what)


# Media


def medium_meant(state: LiveState, medium_id: str) -> Medium:
    """The medium of an id. Raises ActionRefused when it is gone."""
    medium = state.show.medium(medium_id)
    if medium is None:
        raise ActionRefused("That is no longer in the show.")
    return medium


def bring(state: LiveState, params: BringParams, now_s: float) -> Outcome:
    number = state.show.next_number
    medium = Medium(id=f"b{number}", **params.model_dump())
    show = state.show.model_copy(update={"media": (*state.show.media, medium), "next_number": number + 1})
    return edited(state, show, f"added “{medium.name}”")


def rename_medium(state: LiveState, params: RenameMediumParams, now_s: float) -> Outcome:
    medium = medium_meant(state, params.medium).model_copy(update={"name": params.name})
    return _with_medium(state, medium, f"renamed it to “{medium.name}”")


def medium_heard(state: LiveState, params: HeardParams, now_s: float) -> Outcome:
    """A clip's own sound goes into the mix while it is on air, or not."""
    medium = medium_meant(state, params.medium)
    if medium.kind != "clip":
        raise ActionRefused(f"“{medium.name}” has no sound: only clips have.")
    said = "is heard" if params.heard else "is not heard"
    return _with_medium(state, medium.model_copy(update={"heard": params.heard}), f"“{medium.name}” {said}")


def _with_medium(state: LiveState, medium: Medium, what: str) -> Outcome:
    media = replaced(state.show.media, medium)
    return edited(state, state.show.model_copy(update={"media": media}), what)


def remove_medium(state: LiveState, params: RemoveMediumParams, now_s: float) -> Outcome:
    medium = medium_meant(state, params.medium)
    used = next((s for s in state.show.scenes if any(x.medium_id == medium.id for x in s.sources)), None)
    if used is not None:
        raise ActionRefused(f"“{medium.name}” is used in the scene “{used.name}”: choose another picture there first.")
    shots = (
        state.program.on_air,
        state.program.next,
        *((state.program.in_transition.before,) if state.program.in_transition else ()),
    )
    if any(s is not None and s.medium_id == medium.id for s in shots):
        raise ActionRefused(f"“{medium.name}” is on air or Next: it cannot be removed now.")
    item = named(state.show, Kind.MEDIUM, medium.id)
    asked = {"medium": medium.id}
    show = cleared(state.show, (item,), f"“{medium.name}”", params.users, "medium.remove", asked)
    insets = tuple(i for i in show.insets if i.source.medium_id != medium.id)
    sources = (s for layer in state.program.overlays.layers for s in sources_of(layer))
    if any(s.medium_id == medium.id for s in sources):
        raise ActionRefused(f"“{medium.name}” is on air in an inset: take that off first.")
    settings = show.settings
    if settings.card_id == medium.id:
        settings = settings.model_copy(update={"card_id": None})
    media = without(show.media, medium.id)
    show = show.model_copy(update={"media": media, "insets": insets, "settings": settings})
    then = tuple(s for s in state.program.then if s.medium_id != medium.id)
    return edited(state.with_program(then=then), show, f"removed “{medium.name}”")


def ready_medium(state: LiveState, params: MediumParams, now_s: float) -> Outcome:
    medium = medium_meant(state, params.medium)
    return switching.ready(state, Shot("", None, medium.id), now_s)


def slide(state: LiveState, params: SlideParams, now_s: float) -> Outcome:
    """Turn a deck; at its ends it stays."""
    medium = medium_meant(state, params.medium) if params.medium is not None else _deck_in_sight(state)
    if medium.kind != "deck":
        raise ActionRefused(f"“{medium.name}” is no deck of slides.")
    at = params.to - 1 if params.to is not None else state.medium(medium.id).slide + params.by
    if not 0 <= at < len(medium.files):
        end = "last" if at >= len(medium.files) else "first"
        raise ActionRefused(f"“{medium.name}” is at its {end} slide.")
    return Outcome(state.with_medium(medium.id, slide=at))


def _deck_in_sight(state: LiveState) -> Medium:
    shots = [s for s in (state.program.on_air, state.program.next) if s is not None]
    ids = [s.medium_id for s in shots]
    ids += [s.medium_id for layer in state.program.overlays.layers for s in sources_of(layer)]
    found = [m for i in ids if i is not None and (m := state.show.medium(i)) is not None and m.kind == "deck"]
    decks = [m for m in state.show.media if m.kind == "deck"]
    if found or len(decks) == 1:
        return found[0] if found else decks[0]
    raise ActionRefused("No deck of slides is on air or Next.")


def card_is(state: LiveState, params: CardIsParams, now_s: float) -> Outcome:
    medium = medium_meant(state, params.medium) if params.medium is not None else None
    settings = state.show.settings.model_copy(update={"card_id": medium.id if medium is not None else None})
    what = f"made “{medium.name}” the holding card" if medium is not None else "went back to the plain holding card"
    return edited(state, state.show.model_copy(update={"settings": settings}), what)


def _turned(state: LiveState, params: RowParams) -> str:
    title = state.show.titled(params.title)
    if title is None:
        return ""
    where = f"row {params.to}" if params.to is not None else f"“{params.named}”" if params.named else ""
    return f"Turn title “{title.name}” to {where or ('the next row' if params.by > 0 else 'the row before')}"


ACTIONS = (
    Action("title.add", "Make a title", AddParams, add, stores=True),
    Action("title.change", "Change a title", ChangeParams, change, stores=True),
    Action("title.remove", "Remove a title", RemoveParams, remove, stores=True),
    Action("title.rows", "Bring rows into a title", RowsParams, rows, stores=True),
    Action("title.row", "Turn a title to another row", RowParams, row, says=_turned),
    Action("title.count", "Count a title down from {seconds} seconds", CountParams, count),
    Action("medium.add", "Add a medium", BringParams, bring, stores=True),
    Action("medium.rename", "Rename a medium", RenameMediumParams, rename_medium, stores=True),
    Action("medium.heard", "Let a clip be heard, or not", HeardParams, medium_heard, stores=True),
    Action("medium.remove", "Remove a medium", RemoveMediumParams, remove_medium, stores=True),
    Action("medium.ready", "Ready a medium", MediumParams, ready_medium),
    Action("slide", "Turn the slides", SlideParams, slide, {"]": {"by": 1}, "[": {"by": -1}}),
    Action("card.is", "Choose the holding card", CardIsParams, card_is, stores=True, changes_air=True),
)
