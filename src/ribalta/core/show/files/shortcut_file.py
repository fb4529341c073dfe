"""Shortcuts in a file of their own: those of this desk, and sets that are handed from one to another.

A JSON object: {"ribalta": "shortcuts", "schema_version": 6, "shortcuts": [...]}, each as in a show; its JSON Schema is
in `docs/manual/shortcuts.schema.json`.
"""

import json
from pathlib import Path
from typing import Literal

from platformdirs import user_config_path
from pydantic import Field, ValidationError

from ribalta.core.base.faults import LocalFault
from ribalta.core.base.validation import reason
from ribalta.core.show.automation.triggers_pads_shortcuts import Shortcut
from ribalta.core.show.document.model import SCHEMA_VERSION
from ribalta.core.show.document.part import Part
from ribalta.core.show.files.upgrades import upgraded
from ribalta.core.show.files.whole_file import whole_file

LARGEST = 4 * 1024 * 1024


class ShortcutFile(Part):
    """What a file of shortcuts holds."""

    ribalta: Literal["shortcuts"] = "shortcuts"
    schema_version: int = SCHEMA_VERSION
    shortcuts: tuple[Shortcut, ...] = Field(default=(), max_length=5000)


def config_folder() -> Path:
    """Where this desk keeps what belongs to it, whatever show is open."""
    return user_config_path("ribalta")


def desk_path() -> Path:
    """Where this desk's own shortcuts are."""
    return config_folder() / "shortcuts.json"


def read_shortcuts(path: Path) -> tuple[Shortcut, ...]:
    """Raises LocalFault with what is wrong."""
    try:
        if path.stat().st_size > LARGEST:
            raise LocalFault(f"“{path.name}” is too large to be shortcuts.")
        raw = json.loads(path.read_text("utf-8"))
    except OSError as error:
        raise LocalFault(f"“{path.name}” cannot be read: {error.strerror or error}.") from None
    except (ValueError, RecursionError) as error:
        raise LocalFault(f"“{path.name}” is damaged: {error}.") from None
    if not isinstance(raw, dict) or raw.get("ribalta") != "shortcuts":
        raise LocalFault(f"“{path.name}” does not hold shortcuts of Ribalta.")
    version = raw.get("schema_version")
    if isinstance(version, int) and version > SCHEMA_VERSION:
        raise LocalFault(
            f"“{path.name}” was made by a newer Ribalta (schema {version}, this one reads up to {SCHEMA_VERSION})."
            " Nothing was brought in."
        )
    try:
        return ShortcutFile.model_validate(upgraded(raw)).shortcuts
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise LocalFault(f"“{path.name}” is damaged at {where}: {reason(first)}. Nothing was brought in.") from None


def write_shortcuts(path: Path, shortcuts: tuple[Shortcut, ...]) -> None:
    """Whole or not at all. Raises LocalFault."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with whole_file(path) as file:
            file.write(ShortcutFile(shortcuts=shortcuts).model_dump_json(indent=1).encode())
    except OSError as error:
        raise LocalFault(f"The shortcuts could not be kept at {path}: {error.strerror or error}.") from None
