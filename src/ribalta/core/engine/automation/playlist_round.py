"""The order of a playlist's round: its entries in their places, those of nested playlists too, shuffled where asked."""

import random
from dataclasses import dataclass, field

from ribalta.core.engine.state.automation_state import RoundEntry
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.calls import Item, Kind
from ribalta.core.show.automation.playlists import MOST_PLAYS, Entry, EntryKind, Playlist
from ribalta.core.show.document.model import Show


def shot_of(show: Show, item: Item | None) -> Shot | None:
    """The shot that an item is; None when it is no longer there or is none."""
    if item is None:
        return None
    match item.kind:
        case Kind.CAMERA:
            return Shot(item.id) if show.camera(item.id) is not None else None
        case Kind.FRAMING:
            framing = show.framing(item.id)
            return Shot(framing.camera_id, framing.id) if framing is not None else None
        case Kind.SCENE:
            scene = show.scene(item.id)
            base = scene.base if scene is not None else None
            return Shot(base.camera_id or "", base.framing_id, base.medium_id, item.id) if base is not None else None
        case Kind.MEDIUM:
            return Shot("", None, item.id) if show.medium(item.id) is not None else None
        case _:
            return None


def round_of(show: Show, playlist: Playlist, seed: int, number: int) -> tuple[RoundEntry, ...]:
    """Every entry of a round, those of playlists in it in their place; drawn by lot the same way for the same seed."""
    plays: list[RoundEntry] = []
    _Round(show, seed, number, plays).add(playlist, (), 1)
    return tuple(plays)


@dataclass
class _Round:
    show: Show
    seed: int
    number: int
    plays: list[RoundEntry]
    drawn: dict[tuple[str, int], int] = field(default_factory=dict)

    def add(self, playlist: Playlist, above: tuple[str, ...], each_round: int, outer: int | None = None) -> None:
        """All of a playlist, which comes so often in each round; inside the entry `outer` of the outermost one."""
        order = [k for k, entry in enumerate(playlist.entries) if not entry.off]
        if playlist.shuffle:
            chance = random.Random(f"{self.seed} {self.number} {playlist.id} {len(self.plays)}")
            order = _shuffled(self.show, playlist, order, chance)
        for place in order:
            entry, at = playlist.entries[place], place if outer is None else outer
            if len(self.plays) >= MOST_PLAYS:
                return
            if entry.kind is EntryKind.PLAYLIST:
                inner = self.show.playlist(entry.item.id) if entry.item is not None else None
                if inner is not None and inner.id not in (*above, playlist.id):
                    times = max(1, inner.times)
                    for _ in range(times):
                        self.add(inner, (*above, playlist.id), each_round * times, at)
                continue
            of_shots = entry.kind in (EntryKind.SHOT, EntryKind.GROUP)
            item = self._draw(playlist, place, entry, each_round) if entry.kind is EntryKind.GROUP else entry.item
            shot = shot_of(self.show, item) if of_shots else None
            if shot is not None or not of_shots:  # else what it shows was removed
                self.plays.append(RoundEntry(playlist.id, place, entry, shot, at))

    def _draw(self, playlist: Playlist, place: int, entry: Entry, each_round: int) -> Item:
        """The next of a group's deck, which is shuffled anew when all have come."""
        within = self.drawn.get((playlist.id, place), 0)
        self.drawn[playlist.id, place] = within + 1
        deck, card = divmod((self.number - 1) * each_round + within, len(entry.choices))
        chance = random.Random(f"{self.seed} {playlist.id} {place} {deck}")
        return chance.sample(entry.choices, len(entry.choices))[card]


def _shuffled(show: Show, playlist: Playlist, order: list[int], chance: random.Random) -> list[int]:
    """By lot, and the same camera not twice within `apart`, where there is another to take."""
    left, made, recent = chance.sample(order, len(order)), [], list[str]()
    while left:
        fits = [
            k for k in left if _camera(show, playlist.entries[k]) not in recent[-playlist.apart :] or not playlist.apart
        ]
        chosen = (fits or left)[0]
        left.remove(chosen)
        made.append(chosen)
        recent.append(_camera(show, playlist.entries[chosen]))
    return made


def _camera(show: Show, entry: Entry) -> str:
    shot = shot_of(show, entry.item)
    return shot.camera_id if shot is not None and shot.camera_id else str(id(entry))
