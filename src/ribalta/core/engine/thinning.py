"""Which inputs a journal needs so that the same show can be seen again, and which would only fill it.

Cameras report where they stand many times a second. What counts is when they set off and when they came to rest, how
they stand when somebody does something, and now and then where they are on their way. What is held back is written
before the next thing that could depend on it.
"""

from collections.abc import Callable, Mapping
from typing import Any

Entry = Mapping[str, Any]
ON_THE_WAY_S = 2.0
NEEDLESS = ("Heard", "RoomLeft")
LATEST = ("VoicesHeard",)


class Thinner:
    """Not thread-safe. `is_waited_for` says whether a message that came, as a line, could set something off."""

    def __init__(self, is_waited_for: Callable[[str], bool] = lambda _: True) -> None:
        self._is_waited_for = is_waited_for
        self._held: dict[tuple[str, str], Entry] = {}
        self._written: dict[str, Entry] = {}
        self._moves: dict[str, bool] = {}

    def passed(self, entry: Entry) -> list[Entry]:
        """What is to be written now, in order."""
        kind = entry.get("report")
        if kind is None:
            return [*self._let_go(), entry]
        fields = entry["fields"]
        if kind in NEEDLESS or (kind == "MessageCame" and not self._is_waited_for(fields["line"])):
            return []
        if kind in LATEST:
            self._held[kind, ""] = entry
            return []
        if kind == "Position":
            return self._position(entry, fields["camera_id"])
        return [*self._let_go(), entry]

    def _let_go(self) -> list[Entry]:
        held = sorted(self._held.values(), key=lambda entry: float(entry["t"]))
        for (kind, camera_id), entry in self._held.items():
            if kind == "Position":
                self._written[camera_id] = entry
        self._held.clear()
        return held

    def _position(self, entry: Entry, camera_id: str) -> list[Entry]:
        before = self._held.get(("Position", camera_id)) or self._written.get(camera_id)
        moves = before is None or before["fields"]["aim"] != entry["fields"]["aim"]
        turned = moves != self._moves.get(camera_id, True)
        self._moves[camera_id] = moves
        written = self._written.get(camera_id)
        due = moves and (written is None or entry["t"] - written["t"] >= ON_THE_WAY_S)
        if not (turned or due):
            self._held["Position", camera_id] = entry
            return []
        held = self._held.pop(("Position", camera_id), None)
        self._written[camera_id] = entry
        return [held, entry] if held is not None else [entry]
