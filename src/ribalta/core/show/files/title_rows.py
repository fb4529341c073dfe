"""Rows of words for titles, from a table (CSV, first line names) or a JSON list of objects."""

import csv
import json
from collections.abc import Sequence
from pathlib import Path

from ribalta.core.base.faults import LocalFault

Row = tuple[tuple[str, str], ...]
LARGEST_BYTES, MOST_ROWS, LONGEST = 4 * 1024 * 1024, 5000, 400


def text_of(path: Path, what: str) -> str:
    """What a table has in it, which is to be `what`. Raises LocalFault."""
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise LocalFault(f"{path.name} is too large for {what}: at most 4 MiB.")
        return path.read_text("utf-8-sig")
    except UnicodeDecodeError:
        raise LocalFault(f"{path.name} is not text in UTF-8. Export it again with that encoding.") from None
    except OSError as error:
        raise LocalFault(f"{path.name} cannot be read: {error.strerror or error}.") from None


def read_rows(path: Path) -> tuple[tuple[Row, ...], tuple[str, ...]]:
    """The rows, and a sentence for each that was left out or cut. Raises LocalFault when there are none."""
    text = text_of(path, "rows of titles")
    raw = _from_json(text, path.name) if path.suffix.lower() == ".json" else _from_csv(text)
    rows: list[Row] = []
    said: list[str] = []
    for number, one in raw:
        if len(rows) >= MOST_ROWS:
            said.append(f"Only the first {MOST_ROWS} rows are used.")
            break
        if not isinstance(one, dict) or not any(str(v).strip() for v in one.values() if v is not None):
            said.append(f"Row {number} is empty.")
            continue
        if any(len(str(v)) > LONGEST for v in one.values()):
            said.append(f"Row {number} has words of more than {LONGEST} letters: they are cut.")
        rows.append(tuple((str(k).strip(), str(v if v is not None else "")[:LONGEST]) for k, v in one.items() if k))
    if not rows:
        raise LocalFault(f"{path.name} has no rows: its first line has to name the fields, each other line is a title.")
    return tuple(rows), tuple(said)


def pasted_rows(text: str, names: Sequence[str]) -> tuple[tuple[Row, ...], tuple[str, ...]]:
    """Rows from copied cells: a line each, its words between tabs (or commas, where there is no tab), in the order of
    `names`; a first line of just these names is their order. And a sentence for each that was left out or cut.
    Raises LocalFault when there are none."""
    lines = [line for line in text[:LARGEST_BYTES].splitlines() if line.strip()]
    found = list(csv.reader(lines, delimiter="\t" if any("\t" in line for line in lines) else ","))
    order = [name.casefold() for name in names]
    if found and sorted(cell.strip().casefold() for cell in found[0]) == sorted(order):
        names = [names[order.index(cell.strip().casefold())] for cell in found.pop(0)]
    rows: list[Row] = []
    said: list[str] = []
    for number, cells in enumerate(found, 1):
        if len(rows) >= MOST_ROWS:
            said.append(f"Only the first {MOST_ROWS} rows are used.")
            break
        if len(cells) > len(names):
            said.append(f"Row {number} has {len(cells)} words for {len(names)} fields: it was left out.")
            continue
        if any(len(cell) > LONGEST for cell in cells):
            said.append(f"Row {number} has words of more than {LONGEST} letters: they are cut.")
        words = [cell.strip()[:LONGEST] for cell in cells] + [""] * (len(names) - len(cells))
        rows.append(tuple(zip(names, words, strict=True)))
    if not rows:
        raise LocalFault(" ".join(said) or "There are no rows to paste: copy cells of a table first.")
    return tuple(rows), tuple(said)


def _from_csv(text: str) -> list[tuple[int, object]]:
    try:
        kind = csv.Sniffer().sniff(text[:4000], ",;\t")
    except csv.Error:
        kind = csv.excel
    found = csv.DictReader(text.splitlines(), dialect=kind)
    return [(found.line_num, {k: v for k, v in row.items() if isinstance(k, str)}) for row in found]


def _from_json(text: str, name: str) -> list[tuple[int, object]]:
    try:
        raw = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise LocalFault(f"{name} is not JSON that can be read ({error}).") from None
    if not isinstance(raw, list):
        raise LocalFault(f"{name} has to be a list of objects, one for each title.")
    return list(enumerate(raw, 1))
