"""Passwords, in the desktop's keyring where there is one. They are never in a show, a journal or a log.

Where there is no keyring they are kept in a file of this desk that its owner alone can read. The keyring's library is
loaded when a first password is wanted, and not while a show is being opened.
"""

import contextlib
import json
import logging
import os
import stat
import threading
from collections import Counter
from pathlib import Path

from ribalta.core.show.files.shortcut_file import config_folder
from ribalta.workers.crew import Crew

SERVICE, LARGEST = "Ribalta", 1_000_000
LOOKED_FOR_WITHIN_S = 10.0
_log = logging.getLogger(__name__)


class Secrets:
    """A password belongs to a user at an address; all cameras that share both share it."""

    def __init__(self, file: Path | None = None) -> None:
        self._file = file or config_folder() / "secrets.json"
        self._known: dict[tuple[str, str], str] = {}
        self._lock = threading.Lock()  # of the file
        self._looked = False
        self._changes: Counter[tuple[str, str]] = Counter()

    def get(self, where: str, user: str) -> str:
        """The password, or an empty one. May wait for the keyring the first time that it is asked for one."""
        key = (where, user)
        if key not in self._known:
            self._look_for_keyrings()
            import keyring.errors

            found: str | None = None
            with contextlib.suppress(keyring.errors.KeyringError, RuntimeError):
                found = keyring.get_password(SERVICE, f"{user} at {where}")
            # what was typed meanwhile counts
            self._known.setdefault(key, found or self._in_file().get(f"{user} at {where}", ""))
        return self._known[key]

    def put(self, where: str, user: str, password: str) -> bool:
        """Keep a password. False when there is no keyring, so that it is kept in a file."""
        self._known[(where, user)] = password
        self._changes[where, user] += 1
        self._look_for_keyrings()
        import keyring.errors

        try:
            keyring.set_password(SERVICE, f"{user} at {where}", password)
        except (keyring.errors.KeyringError, RuntimeError):
            self._to_file(f"{user} at {where}", password)
            return False
        return True

    def _look_for_keyrings(self) -> None:
        """Once, on a thread of its own: the library keeps for good what failed then, and with it whoever called."""
        if not self._looked:
            self._looked = True
            Crew().begin("keyring", _load).join(LOOKED_FOR_WITHIN_S)

    def changes(self, where: str, user: str) -> int:
        """How often a password was typed."""
        return self._changes[where, user]

    def _in_file(self) -> dict[str, str]:
        """Nothing when it is no plain file of ours that nobody else can read."""
        try:
            handle = os.open(self._file, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
        except OSError:
            return {}
        with os.fdopen(handle, "rb") as file:
            found = os.fstat(handle)
            if not stat.S_ISREG(found.st_mode) or found.st_mode & 0o077 or found.st_uid != os.getuid():
                return {}
            try:
                raw = json.loads(file.read(LARGEST))
            except (ValueError, OSError):
                return {}
        return {k: v for k, v in raw.items() if isinstance(v, str)} if isinstance(raw, dict) else {}

    def _to_file(self, name: str, password: str) -> None:
        with self._lock:
            kept = self._in_file() | {name: password}
            fresh = self._file.with_name(f".{self._file.name}.new")
            try:
                self._file.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
                with contextlib.suppress(FileNotFoundError):
                    fresh.unlink()
                handle = os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o600)
                with os.fdopen(handle, "w", encoding="ascii") as file:
                    json.dump(kept, file)
                fresh.replace(self._file)
            except OSError as error:
                _log.warning("secrets cannot be kept in %s: %s", self._file, error.strerror)


def _load() -> None:
    import keyring

    keyring.get_keyring()
