"""Everything that can be asked for, in words, to be searched by typing: what the palette and the choosers offer."""

from collections.abc import Iterator
from dataclasses import dataclass

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.catalogue import CATALOGUE, Catalogue
from ribalta.core.engine.state.action import Action
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.wording import words_of
from ribalta.core.show.automation.calls import Broken, Call, arguments_of, following_items

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


def _of_items(state: LiveState) -> Iterator[Call]:
    show = state.show
    numbers = {c.id: c.number for c in show.cameras}
    for camera in sorted(show.cameras, key=lambda c: c.number):
        yield Call(action="ready.camera", arguments={"camera": camera.number})
    for framing in sorted(show.framings, key=lambda f: (numbers[f.camera_id], f.slot)):
        place = {"camera": numbers[framing.camera_id], "letter": framing.letter, "page": framing.page}
        yield Call(action="ready.framing", arguments=place)
        yield Call(action="framing.restore", arguments=place)
    for scene in show.scenes:
        yield Call(action="scene.ready", arguments={"scene": scene.number})
    for macro in show.macros:
        yield Call(action="macro.run", arguments={"macro": macro.id})
    for playlist in show.playlists:
        yield Call(action="playlist.start", arguments={"playlist": playlist.id})
    for title in show.titles:
        yield Call(action="title.switch", arguments={"title": title.id})
    for medium in show.media:
        yield Call(action="medium.ready", arguments={"medium": medium.id})


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
