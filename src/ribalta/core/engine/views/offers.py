"""Everything that can be asked for, in words, to be searched by typing: what the palette and the choosers offer."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import JsonValue

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.catalogue import CATALOGUE, Catalogue
from ribalta.core.engine.state.action import Action
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.wording import words_of
from ribalta.core.show.automation.calls import Broken, Call, Item, Kind, arguments_of, find, following_items
from ribalta.core.show.document.model import Framing, Show

MOST_FOUND = 60


@dataclass(frozen=True, slots=True)
class Offer:
    """`whole`: nothing more needs to be said, it can be run as it is. `keys` are its default keys."""

    words: str
    call: Call
    keys: tuple[str, ...] = ()
    whole: bool = True
    sought: str = ""


def offers(state: LiveState, catalogue: Catalogue = CATALOGUE) -> tuple[Offer, ...]:
    """Shots and macros first, as they are asked for most; then every action of the catalogue."""
    made = [offer for call in _of_items(state) if (offer := _offer(state, call, catalogue)) is not None]
    for row in catalogue.rows:
        plain = {name: field for name, field in row.params.model_fields.items() if field.is_required()}
        keys = tuple(key for key, arguments in row.every_key.items() if not arguments)
        words = row.sentence
        made.append(Offer(words, Call(action=row.id), keys, not plain, _sought(words, row)))
    return tuple(made)


def call_of(show: Show, item: Item) -> Call | None:
    """What puts an item to use: a shot is readied, a macro run, a playlist started, a title turned on or off. None for
    what cannot be asked for, and for what is not there any more."""
    found = find(show, item)
    if found is None:
        return None
    match item.kind:
        case Kind.CAMERA:
            return Call(action="ready.camera", arguments={"camera": found.number})
        case Kind.FRAMING:
            return Call(action="ready.framing", arguments=_place(show, found))
        case Kind.SCENE:
            return Call(action="scene.ready", arguments={"scene": found.number})
        case Kind.MACRO:
            return Call(action="macro.run", arguments={"macro": item.id})
        case Kind.PLAYLIST:
            return Call(action="playlist.start", arguments={"playlist": item.id})
        case Kind.TITLE:
            return Call(action="title.switch", arguments={"title": item.id})
        case Kind.MEDIUM:
            return Call(action="medium.ready", arguments={"medium": item.id})
        case _:
            return None


def _place(show: Show, framing: Framing) -> dict[str, JsonValue]:
    camera = show.camera(framing.camera_id)
    return {"camera": camera.number if camera is not None else 0, "letter": framing.letter, "page": framing.page}


def _of_items(state: LiveState) -> Iterator[Call]:
    show = state.show
    numbers = {c.id: c.number for c in show.cameras}
    cameras = sorted(show.cameras, key=lambda c: c.number)
    framings = sorted(show.framings, key=lambda f: (numbers[f.camera_id], f.slot))
    of_kinds: tuple[tuple[Kind, Sequence[Any]], ...] = (
        (Kind.CAMERA, cameras),
        (Kind.FRAMING, framings),
        (Kind.SCENE, show.scenes),
        (Kind.MACRO, show.macros),
        (Kind.PLAYLIST, show.playlists),
        (Kind.TITLE, show.titles),
        (Kind.MEDIUM, show.media),
    )
    for kind, parts in of_kinds:
        for part in parts:
            call = call_of(show, Item(kind=kind, id=part.id))
            if call is not None:
                yield call
            if kind is Kind.FRAMING:
                yield Call(action="framing.restore", arguments=_place(show, part))


def _offer(state: LiveState, call: Call, catalogue: Catalogue) -> Offer | None:
    try:
        row, params = catalogue.find(call.action, call.arguments)
    except ActionRefused:
        return None
    words = words_of(state, row, params)
    return Offer(words, following_items(state.show, call), (), True, _sought(words, row))


def _sought(words: str, row: Action) -> str:
    return f"{words} {row.id.replace('.', ' ')} {row.also}".lower()


def search(known: tuple[Offer, ...], text: str) -> tuple[Offer, ...]:
    """Those that have every word that was typed, the beginnings of words before their middles."""
    wanted = text.lower().split()
    if not wanted:
        return known[:MOST_FOUND]
    found = []
    for place, offer in enumerate(known):
        if all(word in offer.sought for word in wanted):
            words = offer.sought.replace("“", " ").split()
            inside = sum(not any(w.startswith(word) for w in words) for word in wanted)
            found.append((inside, not offer.whole, place, offer))
    return tuple(offer for _, _, _, offer in sorted(found, key=lambda one: one[:3])[:MOST_FOUND])


def call_words(state: LiveState, call: Call, catalogue: Catalogue = CATALOGUE) -> str:
    """What a stored call does, or why it cannot."""
    row = catalogue.by_id.get(call.action)
    if row is None:
        return f"There is no action called “{call.action}”"
    try:
        _, params = catalogue.find(call.action, arguments_of(state.show, call))
    except Broken as gone:
        return f"{_beginning(row)}: {gone}"
    except ActionRefused:
        return f"{_beginning(row)} … (not all is said yet)"
    return words_of(state, row, params)


def _beginning(row: Action) -> str:
    """A row's sentence as far as it goes without its arguments."""
    return row.sentence.split("{")[0].strip()
