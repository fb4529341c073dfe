"""A `.ribalta` file: a ZIP of `show.json` and `pictures/*.jpg`. Written whole or not at all.

Nothing read from a file is trusted: names, sizes and values are checked, and every refusal says which part is
wrong and what can be done.
"""

import json
import os
import stat
import struct
import zipfile
import zlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ribalta.core.base.faults import LocalFault
from ribalta.core.base.validation import reason
from ribalta.core.show.document.model import SCHEMA_VERSION, Show
from ribalta.core.show.files.upgrades import upgraded
from ribalta.core.show.files.whole_file import whole_file

UNREADABLE = (zipfile.BadZipFile, zlib.error, struct.error, EOFError, RuntimeError, UnicodeError, ValueError)
LARGEST_DOCUMENT = 32 * 1024 * 1024
LARGEST_PICTURE = 24 * 1024 * 1024
LARGEST_FILE, LARGEST_WHOLE, MOST_PARTS = 1024**3, 1024**3, 20_000  # of a ZIP: bytes, bytes when unpacked, parts
DEEPEST = 60


@dataclass(frozen=True)
class StoredShow:
    """A show and its files: name ("f3-7.jpg") to bytes. `warnings` are sentences about lost parts."""

    show: Show
    pictures: Mapping[str, bytes] = field(default_factory=dict)
    warnings: tuple[str, ...] = ()


def parse_show(text: str | bytes, whose: str) -> Show:
    """Raises LocalFault with the first thing that is wrong and where."""
    try:
        raw = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise LocalFault(f"{whose} is damaged: its show.json cannot be read ({error}). Open a backup copy.") from None
    if _deeper(raw, DEEPEST):
        raise LocalFault(f"{whose} is damaged: its show.json is nested too deep. Open a backup copy.")
    if not isinstance(raw, dict):
        raise LocalFault(f"{whose} is damaged: its show.json is not a show. Open a backup copy.")
    oldest_reader = raw.get("readable_from", 1)
    if isinstance(oldest_reader, int) and oldest_reader > SCHEMA_VERSION:
        raise LocalFault(
            f"{whose} was made by a newer Ribalta (schema {raw.get('schema_version')}, this one reads up to"
            f" {SCHEMA_VERSION}). Open it with that version, or update this one. The file has not been touched."
        )
    try:
        return Show.model_validate(upgraded(raw))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "the whole"
        raise LocalFault(
            f"{whose} is damaged at {where}: {reason(first)}. Correct show.json inside the file, or open a backup copy."
        ) from None


def load(path: Path) -> StoredShow:
    """Read a show. A missing or damaged picture is a warning; a damaged document raises LocalFault."""
    whose = f"The show “{path.name}”"
    try:
        _bounded(path, whose)
        with zipfile.ZipFile(path) as archive:
            parts = archive.infolist()
            if len(parts) > MOST_PARTS or sum(part.file_size for part in parts) > LARGEST_WHOLE:
                raise LocalFault(f"{whose} has more in it than a show can have: it is not opened.")
            info = archive.getinfo("show.json")
            if info.file_size > LARGEST_DOCUMENT:
                raise LocalFault(f"{whose} is damaged: its show.json is too large ({info.file_size} bytes).")
            show = parse_show(archive.read(info), whose)
            pictures, warnings = _pictures(archive, show)
    except FileNotFoundError:
        raise LocalFault(f"{whose} is not at {path.parent}. Check the name, or start without one.") from None
    except KeyError:
        raise LocalFault(f"{whose} is not a Ribalta show: it has no show.json inside.") from None
    except UNREADABLE as error:
        raise LocalFault(
            f"{whose} is damaged: it is not a readable ZIP ({error}). Open a backup copy; its journal may help too."
        ) from None
    except OSError as error:
        raise LocalFault(f"{whose} cannot be read: {error.strerror or error}.") from None
    return StoredShow(show, pictures, warnings)


def _bounded(path: Path, whose: str) -> None:
    """Raises LocalFault for what is no plain file, or larger than any show; OSError."""
    found = os.stat(path)
    if not stat.S_ISREG(found.st_mode):
        raise LocalFault(f"{whose} is no file: choose one that ends in .ribalta.")
    if found.st_size > LARGEST_FILE:
        raise LocalFault(f"{whose} has more in it than a show can have: it is not opened.")


def _deeper(value: Any, most: int) -> bool:
    """Is anything in it nested deeper than so many levels?"""
    level: list[Any] = [value] if isinstance(value, dict | list) else []
    for _ in range(most):
        parts = (part for one in level for part in (one.values() if isinstance(one, dict) else one))
        level = [part for part in parts if isinstance(part, dict | list)]
        if not level:
            return False
    return True


def files_of(show: Show) -> dict[str, str]:
    """Every file that a show keeps, by name, with what it belongs to, as in a sentence."""
    files = {f.picture: f"framing “{f.name}”" for f in show.framings if f.picture is not None}
    files |= {s.picture: f"scene “{s.name}”" for s in show.scenes if s.picture is not None}
    files |= {t.template: f"title “{t.name}”" for t in show.titles if "." in t.template}
    files |= {s.picture: f"step “{s.words}”" for s in (*show.opening, *show.closing) if s.picture is not None}
    return files | {name: f"“{m.name}” among the media" for m in show.media for name in m.files}


def _pictures(archive: zipfile.ZipFile, show: Show) -> tuple[dict[str, bytes], tuple[str, ...]]:
    pictures: dict[str, bytes] = {}
    warnings: list[str] = []
    for name, whose in files_of(show).items():
        try:
            info = archive.getinfo(f"pictures/{name}")
            if info.file_size > LARGEST_PICTURE:
                raise zipfile.BadZipFile("too large")
            pictures[name] = archive.read(info)
        except (KeyError, OSError, *UNREADABLE):
            again = "store it again" if whose.startswith(("framing", "scene")) else "bring it in again"
            warnings.append(f"The picture of {whose} is missing or damaged: {again}.")
    return pictures, tuple(warnings)


def _mode(path: Path) -> int:
    """That of the file that is there, or what a new one has."""
    try:
        return stat.S_IMODE(path.stat().st_mode)
    except OSError:
        return 0o644


def save(path: Path, stored: StoredShow) -> None:
    """Write the show atomically: temporary file beside it, fsync, rename, fsync of the folder.

    Only files that the show names are written. Raises LocalFault; the file that was there stays as it was.
    """
    named = files_of(stored.show).keys()
    try:
        path = path.resolve()  # a link stays one, and what it points to is written
        with whole_file(path, _mode(path)) as file, zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("show.json", stored.show.model_dump_json(indent=1))
            for name in sorted(named & set(stored.pictures)):
                archive.writestr(f"pictures/{name}", stored.pictures[name], zipfile.ZIP_STORED)
    except OSError as error:
        raise LocalFault(
            f"The show could not be saved as {path}: {error.strerror or error}. The copy saved before is untouched;"
            " make room or choose another place, then save again."
        ) from None
