"""The journal beside a show (`NAME.ribalta.journal`): one JSON object a line, appended before anything else happens.

- `{"t": s, "action": id, "params": {...}}` and `{"t": s, "report": kind, ...}`: every input of the engine.
- `{"keep": {show document}, "pictures": {name: base64}}`: the document after each edit, with its new pictures.
- `{"saved": true}`: everything before this line is in the show file.

A line that was cut off by a crash is ignored; the lines before it count. A journal with unsaved changes is set aside
at the next start (`.journal.1` and so on) and stays until the offer to take its changes back has been answered.
"""

import base64
import contextlib
import fcntl
import glob
import json
import os
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import IO, Any

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.model import Show
from ribalta.core.show.storage import StoredShow, parse_show


def journal_path(show_path: Path) -> Path:
    return show_path.with_name(show_path.name + ".journal")


def refuse_if_open_elsewhere(show_path: Path) -> None:
    """Raises LocalFault when another Ribalta has this show open: two would write over each other."""
    try:
        with journal_path(show_path).open("rb") as file:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        raise LocalFault(
            f"The show “{show_path.name}” is open in another Ribalta on this machine. Close it there, or open a copy."
        ) from None
    except OSError:
        return


class JournalFile:
    """Appends lines. A failed write raises LocalFault once and the journal goes on trying at the next line."""

    def __init__(self, path: Path) -> None:
        """Begins anew, over whatever is at `path`."""
        self.path = path
        try:
            self._file: IO[str] = path.open("a", encoding="utf-8")
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            self._file.truncate(0)
        except OSError as error:
            raise LocalFault(f"The journal {path} cannot be written: {error.strerror or error}.") from None

    def append(self, line: Mapping[str, Any]) -> None:
        """Hand the line to the system at once, so that it outlives this process."""
        try:
            self._file.write(json.dumps(line, ensure_ascii=False, separators=(",", ":")) + "\n")
            self._file.flush()
        except OSError as error:
            raise LocalFault(
                f"The journal cannot be written: {error.strerror or error}. Make room on {self.path.parent}"
                " and save the show: what is edited now would be lost in a crash."
            ) from None

    def keep(self, show: Show, new_pictures: Mapping[str, bytes]) -> None:
        pictures = {name: base64.b64encode(data).decode("ascii") for name, data in new_pictures.items()}
        self.append({"keep": show.model_dump(mode="json"), "pictures": pictures})

    def mark_saved(self) -> None:
        self.append({"saved": True})

    def sync(self) -> None:
        """Wait until the disk has it. Takes milliseconds: never on the interface's or the engine's thread."""
        if not self._file.closed:
            os.fsync(self._file.fileno())

    def close(self) -> None:
        try:
            self._file.close()
        except OSError:
            return


@dataclass(frozen=True)
class Recovery:
    """What a journal holds that the show file does not."""

    changes: int
    stored: StoredShow
    journal: Path

    def set_aside(self, show_path: Path) -> "Recovery":
        """Make room for a new journal. Raises LocalFault; the changes stay where they are then."""
        if self.journal != journal_path(show_path):
            return self
        number = 1 + max((int(path.suffix[1:]) for path in _set_aside_before(show_path)), default=0)
        aside = self.journal.with_name(f"{self.journal.name}.{number}")
        try:
            self.journal.rename(aside)
        except OSError as error:
            raise LocalFault(f"{self.journal} cannot be set aside: {error.strerror or error}.") from None
        return replace(self, journal=aside)

    def forget(self) -> None:
        """The offer was answered: the journal is not needed any more."""
        with contextlib.suppress(OSError):
            self.journal.unlink()


def _set_aside_before(show_path: Path) -> list[Path]:
    """The newest first."""
    journal = journal_path(show_path)
    found = [p for p in journal.parent.glob(f"{glob.escape(journal.name)}.*") if p.suffix[1:].isdigit()]
    return sorted(found, key=lambda path: -int(path.suffix[1:]))


def find_recovery(show_path: Path, saved: StoredShow | None) -> Recovery | None:
    """The newest unsaved changes of an earlier session, or None. An unreadable journal is passed over."""
    for path in (journal_path(show_path), *_set_aside_before(show_path)):
        found = _unsaved_in(path, saved)
        if found is not None:
            return found
    return None


def _unsaved_in(path: Path, saved: StoredShow | None) -> Recovery | None:
    changes = 0
    latest: str | None = None
    pictures: dict[str, bytes] = dict(saved.pictures) if saved else {}
    try:
        with path.open(encoding="utf-8", errors="replace") as file:
            for line in file:
                if line.startswith('{"saved"'):
                    changes, latest = 0, None
                elif line.startswith('{"keep"'):
                    document = _kept(line, pictures)
                    if document is not None:
                        changes, latest = changes + 1, document
    except OSError:
        return None
    if latest is None:
        return None
    try:
        show = parse_show(latest, "The journal")
    except LocalFault:
        return None
    return Recovery(changes, StoredShow(show, pictures), path)


def _kept(line: str, pictures: dict[str, bytes]) -> str | None:
    try:
        entry = json.loads(line)
        pictures.update({name: base64.b64decode(data) for name, data in entry["pictures"].items()})
        return json.dumps(entry["keep"])
    except (ValueError, KeyError, AttributeError, TypeError):
        return None
