"""What the strip of a playlist shows: a tile for each entry, with what is foretold of it."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from ribalta.core.engine.views.playlist_outlook import Outlook
from ribalta.core.planning.foretelling import foretell
from ribalta.core.show.automation.calls import find
from ribalta.core.show.automation.playlists import Entry, Playlist
from ribalta.core.show.document.model import Show


@dataclass(frozen=True, slots=True)
class Tile:
    """An entry at its place. `first` and `last` are its places in the round (None: it is left out, or what it shows is
    gone), `late_s` the most that comes late in it."""

    place: int
    entry: Entry
    begins_s: float
    ends_s: float
    first: int | None = None
    last: int | None = None
    late_s: float = 0.0
    gone: bool = False


def tiles_of(show: Show, playlist: Playlist, outlook: Outlook | None, from_: int = 0) -> list[Tile]:
    """In the order of the round, which may be drawn by lot; what is not in it stands where it would come. Entries of
    the round before `from_` have been, and are late no more."""
    rounds: dict[int, list[int]] = {}
    order: list[int] = []
    for k, play in enumerate(outlook.plays if outlook is not None else ()):
        if play.outer < len(playlist.entries):
            if play.outer not in rounds:
                order.append(play.outer)
            rounds.setdefault(play.outer, []).append(k)
    if not playlist.shuffle:
        order = list(range(len(playlist.entries)))
    else:
        order += [k for k in range(len(playlist.entries)) if k not in rounds]
    made: list[Tile] = []
    now_s = 0.0
    for place in order:
        entry, plays = playlist.entries[place], rounds.get(place)
        gone = entry.item is not None and find(show, entry.item) is None
        if plays is None or outlook is None:
            made.append(Tile(place, entry, now_s, now_s, gone=gone))
            continue
        foretold = outlook.foretold
        late_s = max((foretold[k].late_s for k in plays if k >= from_), default=0.0)
        begins_s, now_s = foretold[plays[0]].begins_s, foretold[plays[-1]].ends_s
        made.append(Tile(place, entry, begins_s, now_s, plays[0], plays[-1], late_s, gone))
    return made


def with_lengths(show: Show, outlook: Outlook, lengths_s: Mapping[int, float]) -> Outlook:
    """What is foretold if these places of the round had these lengths in seconds."""
    wanted = list(outlook.wanted)
    for k, seconds in lengths_s.items():
        wanted[k] = replace(wanted[k], length_s=seconds)
    found = foretell(show, wanted, outlook.aims, outlook.on_air)
    return replace(outlook, wanted=tuple(wanted), foretold=found)
