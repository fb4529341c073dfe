"""Framings with their pictures, to and from files: a table with a folder of pictures, or another show."""

import os
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

import cv2

from ribalta.core.base.faults import LocalFault
from ribalta.core.picture.reading import decoded
from ribalta.core.show.document.model import Show
from ribalta.core.show.files import storage
from ribalta.core.show.files.framing_table import read_table, rows_of, write_table
from ribalta.core.show.files.storage import LARGEST_PICTURE
from ribalta.server.import_export.names import name_of

LARGEST_PX = 4096


@dataclass(frozen=True)
class ReadFramings:
    """Arguments of `framings.bring_in`, the pictures that they name, and a sentence for each thing left out."""

    framings: tuple[dict[str, Any], ...]
    pictures: Mapping[str, bytes]
    left_out: tuple[str, ...]


def write_out(path: Path, show: Show, pictures: Mapping[str, bytes]) -> None:
    """The table at `path`, its pictures in a folder of the same name beside it. Raises LocalFault."""
    folder = path.with_suffix("").with_name(f"{path.stem} pictures")
    rows = []
    try:
        for row in rows_of(show):
            data = pictures.get(row.picture or "")
            if data is not None and row.picture is not None and "/" not in row.picture:
                folder.mkdir(exist_ok=True)
                _write(folder, row.picture, data)
                rows.append(replace(row, picture=f"{folder.name}/{row.picture}"))
            else:
                rows.append(replace(row, picture=None))
        path.write_text(write_table(rows), encoding="utf-8", newline="")
    except OSError as error:
        raise LocalFault(f"The framings cannot be written to {path}: {error.strerror or error}.") from None


def _write(folder: Path, name: str, data: bytes) -> None:
    """Into that very folder: neither it nor the file may be a link to elsewhere. Raises OSError."""
    inside = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW)
    try:
        handle = os.open(name, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW, 0o644, dir_fd=inside)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
    finally:
        os.close(inside)


def read_in(path: Path) -> ReadFramings:
    """Raises LocalFault when the table is of no use; a picture that is none is left out, and that is said."""
    table = read_table(path)
    pictures: dict[str, bytes] = {}
    left_out = list(table.left_out)
    rows = []
    for row in table.rows:
        name = None
        if row.picture is not None:
            try:
                data = as_jpeg(path.parent, row.picture)
                name = name_of("p", data, ".jpg")
                pictures[name] = data
            except LocalFault as fault:
                left_out.append(f"“{row.name}” comes without its picture: {fault}")
        rows.append(replace(row, picture=name))
    if not rows:
        raise LocalFault(f"{path.name} has no framings that can be used. {left_out[0] if left_out else ''}".strip())
    return ReadFramings(tuple(asdict(row) for row in rows), pictures, tuple(left_out))


def copy_from(path: Path) -> ReadFramings:
    """All framings of another show, with their pictures. Raises LocalFault."""
    stored = storage.load(path)
    pictures: dict[str, bytes] = {}
    rows = []
    for row in rows_of(stored.show):
        data = stored.pictures.get(row.picture or "")
        if data is not None:
            pictures[name_of("p", data, ".jpg")] = data
        rows.append(replace(row, picture=name_of("p", data, ".jpg") if data is not None else None))
    if not rows:
        raise LocalFault(f"The show “{path.name}” has no framings.")
    return ReadFramings(tuple(asdict(row) for row in rows), pictures, stored.warnings)


def as_jpeg(folder: Path, name: str) -> bytes:
    """A picture file as JPEG. Raises LocalFault when it is none, or lies outside the table's folder."""
    path = (folder / name).resolve()
    if not path.is_relative_to(folder.resolve()):
        raise LocalFault(f"{name[:80]} lies outside the table's folder.")
    try:
        if path.stat().st_size > LARGEST_PICTURE:
            raise LocalFault(f"{path.name} is too large: {LARGEST_PICTURE // 2**20} MB at most.")
        data = path.read_bytes()
    except OSError as error:
        raise LocalFault(f"{path.name} cannot be read: {error.strerror or error}.") from None
    pixels = decoded(data)
    if pixels is None or max(pixels.shape[:2]) > LARGEST_PX:
        raise LocalFault(f"{path.name} is not a picture that can be read.")
    if data[:2] == b"\xff\xd8":
        return data
    return cv2.imencode(".jpg", pixels, [cv2.IMWRITE_JPEG_QUALITY, 90])[1].tobytes()
