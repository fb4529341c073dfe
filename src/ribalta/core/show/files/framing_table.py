"""Framings in a table that other programs read: CSV in UTF-8, one row a framing, units in the header.

camera (its number), page (from 1), letter, name, pan_deg, tilt_deg (degrees in the head's own axes), zoom_0_to_1,
marks (names, with semicolons between), size, protected (yes or no), rating_0_to_100, focus (automatic, or a position
on the device's own scale), picture (a file in the folder beside the table). What is empty is not known.
"""

import csv
import io
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.document.model import LETTERS, Framing, ShotSize, Show

COLUMNS = (
    "camera",
    "page",
    "letter",
    "name",
    "pan_deg",
    "tilt_deg",
    "zoom_0_to_1",
    "marks",
    "size",
    "protected",
    "rating_0_to_100",
    "focus",
    "picture",
)
NEEDED = ("camera", "name", "pan_deg", "tilt_deg", "zoom_0_to_1")
LARGEST, MOST_ROWS = 8 * 1024 * 1024, 5000
RANGES = {"pan_deg": 360.0, "tilt_deg": 180.0}


@dataclass(frozen=True)
class FramingRow:
    """One framing of a table. `slot` is None when its place is not said; `marks` are names."""

    camera: int
    slot: int | None
    name: str
    pan_deg: float
    tilt_deg: float
    zoom: float
    marks: tuple[str, ...] = ()
    size: ShotSize | None = None
    protected: bool = False
    rating: int | None = None
    kept: tuple[tuple[str, str | int], ...] = ()
    picture: str | None = None


@dataclass(frozen=True)
class FramingTable:
    """The good rows of a table, and a sentence for each bad one."""

    rows: tuple[FramingRow, ...]
    left_out: tuple[str, ...] = ()


def rows_of(show: Show) -> tuple[FramingRow, ...]:
    """All framings of a show, in board order."""
    numbers = {c.id: c.number for c in show.cameras}
    names = {m.id: m.name for m in show.marks}
    framings = sorted(show.framings, key=lambda f: (numbers[f.camera_id], f.slot))
    return tuple(_row_of(f, numbers[f.camera_id], names) for f in framings)


def _row_of(framing: Framing, number: int, names: Mapping[str, str]) -> FramingRow:
    marks = tuple(names[m] for m in framing.mark_ids if m in names)
    return FramingRow(
        number,
        framing.slot,
        framing.name,
        framing.pan_deg,
        framing.tilt_deg,
        framing.zoom,
        marks,
        framing.size,
        framing.protected,
        framing.rating,
        framing.kept,
        framing.picture,
    )


def write_table(rows: Sequence[FramingRow]) -> str:
    """Framings as CSV text, with a heading."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    for row in rows:
        page, letter = divmod(row.slot or 0, len(LETTERS))
        place = (page + 1, LETTERS[letter]) if row.slot is not None else ("", "")
        aim = (f"{row.pan_deg:.4f}", f"{row.tilt_deg:.4f}", f"{row.zoom:.6f}")
        kept = dict(row.kept)
        focus = kept.get("focus", kept.get("focus.mode", ""))
        size, rating = row.size.value if row.size else "", "" if row.rating is None else row.rating
        about = ("; ".join(row.marks), size, "yes" if row.protected else "no", rating, focus, row.picture or "")
        writer.writerow([row.camera, *place, row.name, *aim, *about])
    return out.getvalue()


def read_table(path: Path) -> FramingTable:
    """Raises LocalFault when the file as a whole is of no use."""
    try:
        if path.stat().st_size > LARGEST:
            raise LocalFault(f"{path.name} is too large: {LARGEST // 2**20} MB at most.")
        text = path.read_bytes().decode("utf-8-sig")
        lines = list(csv.reader(io.StringIO(text)))
    except OSError as error:
        raise LocalFault(f"{path.name} cannot be read: {error.strerror or error}.") from None
    except UnicodeDecodeError:
        raise LocalFault(f"{path.name} is not text in UTF-8.") from None
    except csv.Error as error:
        raise LocalFault(f"{path.name} is not a CSV file: {error}.") from None
    header = [cell.strip().lower() for cell in lines[0]] if lines else []
    missing = [name for name in NEEDED if name not in header]
    if missing:
        raise LocalFault(f"{path.name} has no column {', '.join(missing)} in its first row.")
    rows: list[FramingRow] = []
    left_out: list[str] = []
    for k, cells in enumerate(lines[1 : MOST_ROWS + 1], 2):
        if any(cell.strip() for cell in cells):
            try:
                rows.append(_read_row(dict(zip(header, (c.strip() for c in cells), strict=False))))
            except ValueError as error:
                left_out.append(f"Row {k}: {error}.")
    if len(lines) > MOST_ROWS + 1:
        left_out.append(f"Only the first {MOST_ROWS} rows were read.")
    return FramingTable(tuple(rows), tuple(left_out))


def _read_row(cells: Mapping[str, str]) -> FramingRow:
    """Raises ValueError with what is wrong."""
    name = cells.get("name", "")
    if not 0 < len(name) <= 80:
        raise ValueError(f"a name has 1 to 80 letters, not {len(name)}")
    pan, tilt = (_number(cells, column, -most, most) for column, most in RANGES.items())
    return FramingRow(
        camera=int(_number(cells, "camera", 1, 99)),
        slot=_slot(cells),
        name=name,
        pan_deg=pan,
        tilt_deg=tilt,
        zoom=_number(cells, "zoom_0_to_1", 0, 1),
        marks=tuple(m.strip() for m in cells.get("marks", "").split(";") if m.strip()),
        size=_size(cells.get("size", "")),
        protected=cells.get("protected", "").lower() in ("yes", "true", "1"),
        rating=int(_number(cells, "rating_0_to_100", 0, 100)) if cells.get("rating_0_to_100") else None,
        kept=_focus(cells),
        picture=cells.get("picture") or None,
    )


def _number(cells: Mapping[str, str], column: str, low: float, high: float) -> float:
    text = cells.get(column, "")
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        raise ValueError(f"{column} “{text[:40]}” is not a number") from None
    if not math.isfinite(value) or not low <= value <= high:
        raise ValueError(f"{column} {text[:40]} is outside {low:g} to {high:g}")
    return value


def _slot(cells: Mapping[str, str]) -> int | None:
    letter = cells.get("letter", "").upper()
    if not letter:
        return None
    if len(letter) != 1 or letter not in LETTERS:
        raise ValueError(f"letter “{letter[:10]}” is none of {' '.join(LETTERS)}")
    page = int(_number(cells, "page", 1, 100)) if cells.get("page") else 1
    return (page - 1) * len(LETTERS) + LETTERS.index(letter)


def _size(text: str) -> ShotSize | None:
    if not text:
        return None
    try:
        return ShotSize(text.lower())
    except ValueError:
        raise ValueError(f"size “{text[:30]}” is none of {', '.join(s.value for s in ShotSize)}") from None


def _focus(cells: Mapping[str, str]) -> tuple[tuple[str, str | int], ...]:
    text = cells.get("focus", "").lower()
    if not text:
        return ()
    if text in ("automatic", "manual"):
        return (("focus.mode", text),)
    return (("focus.mode", "manual"), ("focus", int(_number(cells, "focus", 0x1000, 0xF000))))
