"""The open show as a file, and files into it and out of it, as a desk has them."""

import threading
import time
from collections.abc import Callable, Sequence
from pathlib import Path

from ribalta.attach.protocol import UnsavedChanges
from ribalta.attach.remote_parts import Ask, Told

MOST_PICTURES = 2000
PICTURE_WITHIN_S, LOOK_AGAIN_S = 2.0, 0.2


class RemoteTransfers:
    """Files into the show and out of it, read and written by the server; what a desk makes itself it writes itself."""

    def __init__(self, ask: Ask, beside: Callable[[Callable[[], str]], None]) -> None:
        self._ask, self._beside = ask, beside

    def bring_in_plan(self, path: Path, units_per_m: float) -> None:
        """A floor plan; in an SVG so many units are a metre."""
        self._ask("file.transfers.bring_in_plan", path.absolute(), units_per_m)

    def write_out_plan(self, path: Path) -> None:
        """The floor plan."""
        self._ask("file.transfers.write_out_plan", path.absolute())

    def write_out_framings(self, path: Path) -> None:
        """All framings as a table, with their pictures."""
        self._ask("file.transfers.write_out_framings", path.absolute())

    def bring_in_framings(self, path: Path) -> None:
        """Framings from a table or another show."""
        self._ask("file.transfers.bring_in_framings", path.absolute())

    def bring_in_media(self, paths: Sequence[Path]) -> None:
        """Stills, clips and decks."""
        self._ask("file.transfers.bring_in_media", tuple(path.absolute() for path in paths))

    def bring_in_title(self, path: Path) -> None:
        """A drawing with named texts."""
        self._ask("file.transfers.bring_in_title", path.absolute())

    def bring_in_rows(self, title_id: str, path: Path) -> None:
        """A table for a title's texts."""
        self._ask("file.transfers.bring_in_rows", title_id, path.absolute())

    def bring_in_playlist(self, path: Path) -> None:
        """A playlist from a table."""
        self._ask("file.transfers.bring_in_playlist", path.absolute())

    def write_out_playlist(self, playlist_id: str, path: Path) -> None:
        """A playlist as a table."""
        self._ask("file.transfers.write_out_playlist", playlist_id, path.absolute())

    def write(self, work: Callable[[], str]) -> None:
        """What a desk makes (a sheet): beside everything else; what it says is told here."""
        self._beside(work)


class RemoteFile:
    """The open show as a file. Stored pictures are asked for when they are first wanted, and kept."""

    def __init__(self, ask: Ask, told: Told, transfers: RemoteTransfers) -> None:
        self._ask, self._told, self.transfers = ask, told, transfers
        self._pictures: dict[str, bytes] = {}
        self._asked: set[str] = set()
        self._came = threading.Condition()

    @property
    def path(self) -> Path | None:
        found: Path | None = self._told.get("file.path", None)
        return found

    @property
    def unsaved(self) -> bool:
        return bool(self._told.get("file.unsaved", False))

    def save(self, path: Path | None = None) -> None:
        """In the background; a notice says how it went."""
        self._ask("file.save", path.absolute() if path is not None else None)

    def picture(self, name: str) -> bytes | None:
        """None until it has come."""
        if name not in self._pictures and name not in self._asked:
            self._asked.add(name)
            self._ask("file.picture", name, answer=lambda data: self._have(name, data))
        return self._pictures.get(name)

    def picture_waited_for(self, name: str) -> bytes | None:
        """The same, on a thread that may wait for it."""
        end_s = time.monotonic() + PICTURE_WITHIN_S
        with self._came:
            while self.picture(name) is None and time.monotonic() < end_s:
                self._came.wait(LOOK_AGAIN_S)
        return self.picture(name)

    def _have(self, name: str, data: bytes | None) -> None:
        if data is None:
            self._asked.discard(name)  # it is asked for again: it may still be on its way
        else:
            if len(self._pictures) > MOST_PICTURES:
                self._pictures.clear()
                self._asked.clear()
            self._pictures[name] = data
        with self._came:
            self._came.notify_all()

    def ask_again(self) -> None:
        """What was under way when a server went will not come."""
        self._asked = set(self._pictures)

    @property
    def recovery(self) -> UnsavedChanges | None:
        found: UnsavedChanges | None = self._told.get("file.recovery", None)
        return found

    def answer_recovery(self, keep: bool) -> None:
        """Take over what the last session left unsaved, or drop it."""
        self._ask("file.answer_recovery", keep)

    @property
    def foreign_deeds(self) -> tuple[str, ...]:
        found: tuple[str, ...] = self._told.get("file.foreign_deeds", ())
        return found

    def answer_deeds(self, yes: bool) -> None:
        """Let a show from elsewhere do them, or not."""
        self._ask("file.answer_deeds", yes)
