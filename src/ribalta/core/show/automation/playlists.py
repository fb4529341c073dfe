"""Playlists: what is to be seen, one after another, for how long each."""

from enum import StrEnum
from typing import Annotated

from pydantic import Field, model_validator

from ribalta.core.show.automation.calls import Item
from ribalta.core.show.automation.lookup import Lookup
from ribalta.core.show.document.part import Name, Part
from ribalta.core.show.document.scenes import CUT, Transition

MOST_PLAYS = 5000  # of one round, with everything inside it
FOR_EVER = float("inf")
SIZES = "^(wide|full|medium|medium close-up|close-up|detail)$"


class EntryKind(StrEnum):
    """What an entry shows or does."""

    SHOT = "shot"
    GROUP = "group"
    MACRO = "macro"
    KEY = "key"
    PLAYLIST = "playlist"


class Unit(StrEnum):
    """What the length of an entry is counted in; UNTIL_CLOSED is until a microphone closes, by
    its fader or because nobody speaks into it any more."""

    SECONDS = "seconds"
    BEATS = "beats"
    UNTIL_CLOSED = "until the microphone closes"


class Aside(StrEnum):
    """What a playlist does when the director takes something else: wait to be rejoined, come back, or stop."""

    WAIT = "wait"
    COME_BACK = "come back"
    STOP = "stop"


class Entry(Part):
    """`item` is a framing, camera, scene, medium, macro or playlist; of a group, one of `choices` is drawn by lot, each
    once before any comes again. `amount` counts in `unit`. A key waits for somebody, whatever is on air.
    """

    kind: EntryKind = EntryKind.SHOT
    item: Item | None = None
    choices: Annotated[tuple[Item, ...], Field(max_length=100)] = ()
    amount: Annotated[float, Field(gt=0, le=86400, allow_inf_nan=False)] = 6.0
    unit: Unit = Unit.SECONDS
    mic: Item | None = None
    transition: Transition = CUT
    note: Annotated[str, Field(max_length=200)] = ""
    off: bool = False

    @model_validator(mode="after")
    def _whole(self) -> "Entry":
        if self.kind in (EntryKind.SHOT, EntryKind.MACRO, EntryKind.PLAYLIST) and self.item is None:
            raise ValueError(f"an entry that is a {self.kind} says which")
        if self.kind is EntryKind.GROUP and not self.choices:
            raise ValueError("a group has something to choose from")
        if self.unit is Unit.UNTIL_CLOSED and self.mic is None:
            raise ValueError("say which microphone")
        return self


class Wished(Part):
    """Something that is to be seen, for planning: marks, a shot size or any, for how long; if it only should be, the
    cover shot may stand for it."""

    mark_ids: Annotated[tuple[str, ...], Field(min_length=1, max_length=12)]
    length_s: Annotated[float, Field(gt=0, le=86400, allow_inf_nan=False)] = 6.0
    size: Annotated[str | None, Field(pattern=SIZES)] = None
    must: bool = True


class Playlist(Part):
    """`times` is how often it runs, 0 until it is stopped. `shuffle` draws the order of each round by lot; the same
    camera then comes again only behind `apart` others, where that can be. `aside_s` is for how long it stays
    aside. `wishes` are what it was planned from.
    """

    id: str
    name: Name
    entries: Annotated[tuple[Entry, ...], Field(max_length=1000)] = ()
    times: Annotated[int, Field(ge=0, le=10000)] = 1
    shuffle: bool = False
    apart: Annotated[int, Field(ge=0, le=20)] = 1
    tempo_bpm: Annotated[float, Field(gt=0, le=400)] = 120.0
    aside: Aside = Aside.WAIT
    aside_s: Annotated[float, Field(ge=0.5, le=3600)] = 10.0
    wishes: Annotated[tuple[Wished, ...], Field(max_length=500)] = ()

    def length_s(self, entry: Entry) -> float:
        """How long an entry stays, in seconds; infinite when something else ends it."""
        match entry.unit:
            case Unit.BEATS:
                return entry.amount * 60.0 / self.tempo_bpm
            case Unit.UNTIL_CLOSED:
                return FOR_EVER
            case _:
                return FOR_EVER if entry.kind is EntryKind.KEY else entry.amount


def circle(show: Lookup, playlist: Playlist, above: tuple[Playlist, ...] = ()) -> str | None:
    """Why a playlist would never come to an end, as a sentence with the path; None when it is sound."""
    path = (*above, playlist)
    for entry in playlist.entries:
        if entry.kind is not EntryKind.PLAYLIST or entry.item is None or entry.off:
            continue
        inner = show.playlist(entry.item.id)
        if inner is None:
            continue
        if any(p.id == inner.id for p in path):
            return f"It would play itself: {' → '.join(f'“{p.name}”' for p in (*path, inner))}."
        found = circle(show, inner, path)
        if found is not None:
            return found
    return None
