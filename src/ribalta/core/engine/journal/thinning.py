"""Which inputs a journal needs so that the same show can be seen again, and which would only fill it.

Cameras report where they stand many times a second. What counts is when they set off and when they came to rest, how
they stand when somebody does something, and now and then where they are on their way. What is held back is written
before the next thing that could depend on it; what says nothing new is not written at all.
"""

from collections.abc import Callable, Mapping
from typing import Any

from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.program.tally import LAMP

Entry = Mapping[str, Any]
ON_THE_WAY_S = 5.0
NEEDLESS = ("LineMeasured", "RoomLeft", "ClipKnown")
DIGITS = 4


class Thinner:
    """Not thread-safe. `is_waited_for` says whether a message that came, as a line, could set something off, `listens`
    whether anything depends on who speaks, `waits` whether anything does, now, on a camera's picture being late."""

    def __init__(
        self,
        is_waited_for: Callable[[str], bool] = lambda _: True,
        listens: Callable[[], bool] = lambda: True,
        waits: Callable[[str], bool] = lambda _: True,
    ) -> None:
        self._is_waited_for, self._listens, self._waits = is_waited_for, listens, waits
        self._late: dict[str, Entry] = {}  # pictures that are late, or are no more, by camera
        self._held: dict[str, Entry] = {}  # positions, by camera
        self._written: dict[str, Entry] = {}
        self._moves: dict[str, bool] = {}
        self._voices: Entry | None = None
        self._known: dict[tuple[str, ...], object] = {}

    def passed(self, entry: Entry) -> list[Entry]:
        """What is to be written now, in order."""
        if "log" in entry:
            return [entry]  # it is read as it is, and nothing depends on it
        kind = entry.get("report")
        if kind is None:
            return [*self._let_go(str(entry.get("action", ""))), entry]
        fields = entry["fields"]
        match kind:
            case "Position":
                return [_short(one) for one in self._position(entry, fields["camera_id"])]
            case "VoicesHeard":
                self._voices = entry
                return [entry] if self._listens() else []
            case "PictureStalled":
                self._late[fields["camera_id"]] = entry
                return self._pictures() if self._waits(fields["camera_id"]) else []
            case "SettingReported":
                news = self._is_news((kind, fields["camera_id"], fields["setting"]), fields["value"])
                news &= fields["setting"] != LAMP  # it follows what is on air
            case "MessageCame":
                news = self._is_waited_for(fields["line"])
            case _:
                news = kind not in NEEDLESS
        return [_short(entry)] if news else []

    def _is_news(self, what: tuple[str, ...], value: object) -> bool:
        if what in self._known and self._known[what] == value:
            return False
        self._known[what] = value
        return True

    def _pictures(self) -> list[Entry]:
        """Which pictures are late now, where that is not written yet."""
        late, self._late = self._late, {}
        noted = [(one, ("PictureStalled", i), one["fields"]["captured_s"] is None) for i, one in late.items()]
        return [_short(entry) for entry, what, stands in noted if self._is_news(what, stands)]

    def _let_go(self, action: str) -> list[Entry]:
        """What an action could depend on: where cameras stand that have moved since it was written, who speaks, and
        whose picture is late, if it takes or starts something that does."""
        row = CATALOGUE.by_id.get(action)
        held = self._stands() if row is None or row.heeds_cameras else []
        if self._voices is not None and (row is None or row.heeds_voices):
            held.append(self._voices)
            self._voices = None
        takes = row is None or row.changes_air or row.heeds_voices
        short = [*(_short(entry) for entry in held), *(self._pictures() if takes else ())]
        return sorted(short, key=lambda entry: float(entry["t"]))

    def _stands(self) -> list[Entry]:
        """Where cameras stand that have moved since it was written."""
        held = [e for i, e in self._held.items() if i not in self._written or _aim(self._written[i]) != _aim(e)]
        self._written |= {entry["fields"]["camera_id"]: entry for entry in held}
        self._held.clear()
        return held

    def _position(self, entry: Entry, camera_id: str) -> list[Entry]:
        before = self._held.get(camera_id) or self._written.get(camera_id)
        moves = before is None or _aim(before) != _aim(entry)
        turned = moves != self._moves.get(camera_id, True)
        self._moves[camera_id] = moves
        written = self._written.get(camera_id)
        due = moves and (written is None or entry["t"] - written["t"] >= ON_THE_WAY_S)
        if not (turned or due):
            self._held[camera_id] = entry
            return []
        held = self._held.pop(camera_id, None)
        self._written[camera_id] = entry
        stood_there = held is None or (moves and written is not None and _aim(held) == _aim(written))
        return [entry] if held is None or stood_there else [held, entry]


def _aim(entry: Entry) -> object:
    return entry["fields"]["aim"]


def _short(entry: Entry) -> Entry:
    """A report in few bytes: its kind, then its fields in their order, as exact as anything depends on."""
    return {"t": _plain(entry["t"]), "report": [entry["report"], *_plain(entry["fields"])]}


def _plain(value: Any) -> Any:
    if isinstance(value, float):
        return round(value, DIGITS)
    return [_plain(part) for part in value.values()] if isinstance(value, Mapping) else value
