"""Which shows this desk knows: what they would do beyond this machine was answered once, or comes from here.

Kept in the user's state folder as digests of what shows would do; see `core/show/document/deeds.py`.
"""

import contextlib
import json
import os
from pathlib import Path

from ribalta.core.show.document.deeds import deeds, digest
from ribalta.core.show.document.model import Show
from ribalta.workers.logfile import state_folder

MOST, LARGEST = 2000, 1_000_000


class KnownShows:
    """A file that cannot be read or written makes that it is asked again, and nothing else."""

    def __init__(self, path: Path | None = None) -> None:
        self._path = path or state_folder() / "known-shows.json"

    def knows(self, show: Show) -> bool:
        return not deeds(show) or digest(show) in self._read()

    def learn(self, show: Show) -> None:
        if not deeds(show):
            return
        known = [d for d in self._read() if d != digest(show)]
        fresh = self._path.with_name(f".{self._path.name}.new")
        with contextlib.suppress(OSError):
            self._path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            fresh.unlink(missing_ok=True)
            handle = os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o600)
            with os.fdopen(handle, "w", encoding="ascii") as file:
                json.dump([*known, digest(show)][-MOST:], file)
            fresh.replace(self._path)

    def _read(self) -> list[str]:
        try:
            with self._path.open("rb") as file:
                found = json.loads(file.read(LARGEST))
        except (OSError, ValueError, RecursionError):
            return []
        return [d for d in found if isinstance(d, str)] if isinstance(found, list) else []
