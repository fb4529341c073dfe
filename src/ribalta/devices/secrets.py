"""Passwords, in the desktop's keyring where there is one. They are never in a show, a journal or a log.

Where there is no keyring they are kept in memory until Ribalta ends, and have to be typed again.
"""

import logging

import keyring
import keyring.errors

SERVICE = "Ribalta"
_log = logging.getLogger(__name__)


class Secrets:
    """A password belongs to a user at an address; all cameras that share both share it. `changes` counts new ones."""

    def __init__(self) -> None:
        self._kept: dict[tuple[str, str], str] = {}
        self.changes = 0

    def get(self, where: str, user: str) -> str:
        """The password, or an empty one. May wait for the keyring the first time that it is asked for one."""
        key = (where, user)
        if key not in self._kept:
            try:
                self._kept[key] = keyring.get_password(SERVICE, f"{user} at {where}") or ""
            except (keyring.errors.KeyringError, RuntimeError):
                self._kept[key] = ""
        return self._kept[key]

    def put(self, where: str, user: str, password: str) -> bool:
        """Keep a password. False when it could only be kept until Ribalta ends."""
        self._kept[(where, user)] = password
        self.changes += 1
        try:
            keyring.set_password(SERVICE, f"{user} at {where}", password)
        except (keyring.errors.KeyringError, RuntimeError):
            return False
        return True
