"""A playlist as a table (CSV): one line an entry, to be made or changed in a spreadsheet.

    kind,what,length,unit,microphone,transition,seconds,note,off
    framing,1 W,6,seconds,,mix,0.8,Ines centres the clay,
    camera,5,4,seconds,,cut,,,
    scene,2,8,beats,,cut,,,
    group,1 W | 2 F | 5,5,seconds,,cut,,,
    framing,2 A,,until the microphone closes,8,cut,,,
    macro,Opening,,,,,,,
    key,,,,,,,,

A framing is its camera's number and its letter, with the page behind a point if it is not the first ("1 W.2"); cameras,
scenes and microphones go by number, everything else by name. Only "kind" and "what" must be there. Wipes and dips keep
their kind and length, not their shape and colour.
"""

import csv
import io
from collections.abc import Mapping, Sequence
from pathlib import Path

from pydantic import ValidationError

from ribalta.core.base.faults import LocalFault
from ribalta.core.base.validation import why_not
from ribalta.core.show.automation.calls import LETTERS, Item, Kind, named
from ribalta.core.show.automation.playlists import Entry, EntryKind, Playlist, Unit
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.scenes import CUT, Transition, TransitionKind
from ribalta.core.show.files.title_rows import text_of

COLUMNS = ("kind", "what", "length", "unit", "microphone", "transition", "seconds", "note", "off")
MOST = 1000
FRAMES_OF_BEFORE = 25  # a second
OF_SHOTS = {Kind.FRAMING, Kind.CAMERA, Kind.SCENE, Kind.MEDIUM}
OTHERS = {"macro": (EntryKind.MACRO, Kind.MACRO), "playlist": (EntryKind.PLAYLIST, Kind.PLAYLIST)}


class _Wrong(Exception):
    """What is wrong with a line, as a phrase."""


# Writing


def as_table(show: Show, playlist: Playlist) -> str:
    """A playlist's entries as CSV text, with a heading."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, lineterminator="\n")
    writer.writeheader()
    for entry in playlist.entries:
        writer.writerow(_row(show, entry))
    return out.getvalue()


def _row(show: Show, entry: Entry) -> dict[str, str]:
    if entry.kind is EntryKind.GROUP:
        kind, what = "group", " | ".join(_what(show, item) for item in entry.choices)
    elif entry.item is None:
        kind, what = str(entry.kind), ""
    else:
        kind, what = str(entry.item.kind), _what(show, entry.item)
    plain = entry.unit is not Unit.UNTIL_CLOSED and entry.kind is not EntryKind.KEY
    mic = next((m for m in show.microphones if entry.mic is not None and m.id == entry.mic.id), None)
    moves = entry.transition.kind is not TransitionKind.CUT
    return {
        "kind": kind,
        "what": what,
        "length": f"{entry.amount:g}" if plain else "",
        "unit": str(entry.unit),
        "microphone": str(mic.number) if mic is not None else "",
        "transition": str(entry.transition.kind),
        "seconds": f"{entry.transition.seconds!r}" if moves else "",
        "note": entry.note,
        "off": "yes" if entry.off else "",
    }


def _what(show: Show, item: Item) -> str:
    framing = show.framing(item.id) if item.kind is Kind.FRAMING else None
    if framing is not None:
        camera = show.camera(framing.camera_id)
        page = f".{framing.page + 1}" if framing.page else ""
        return f"{camera.number if camera is not None else '?'} {framing.letter}{page}"
    if item.kind is Kind.CAMERA:
        camera = show.camera(item.id)
        return str(camera.number) if camera is not None else item.called
    if item.kind is Kind.SCENE:
        scene = show.scene(item.id)
        return str(scene.number) if scene is not None else item.called
    return named(show, item.kind, item.id).called or item.called


def write_table(path: Path, show: Show, playlist: Playlist) -> None:
    """Raises LocalFault."""
    try:
        path.write_text(as_table(show, playlist), "utf-8")
    except OSError as error:
        raise LocalFault(f"{path.name} could not be written: {error.strerror or error}.") from None


# Reading


def read_table(path: Path, show: Show) -> tuple[tuple[Entry, ...], tuple[str, ...]]:
    """The entries, and a sentence for each line that was left out. Raises LocalFault when there are none."""
    text = text_of(path, "a playlist")
    first = text.split("\n", 1)[0]
    delimiter = max(",;\t", key=first.count)
    rows = csv.DictReader(io.StringIO(text, newline=""), delimiter=delimiter)
    entries: list[Entry] = []
    said: list[str] = []
    try:
        for row in rows:
            known = {str(k).strip().lower(): str(v or "").strip() for k, v in row.items() if isinstance(k, str)}
            if not any(known.values()):
                continue
            if len(entries) >= MOST:
                said.append(f"Only the first {MOST} entries are used.")
                break
            try:
                _in_seconds(known)
                entries.append(_entry(show, known))
            except _Wrong as wrong:
                said.append(f"Line {rows.line_num} is left out: {wrong}.")
    except csv.Error as error:
        raise LocalFault(f"{path.name} is no table that can be read ({error}).") from None
    if not entries:
        why = said[0] if said else f"Its first line has to name the columns: {', '.join(COLUMNS)}."
        raise LocalFault(f"{path.name} has no entry for this show. {why}")
    return tuple(entries), tuple(said)


def _in_seconds(row: dict[str, str]) -> None:
    """Tables of before counted in frames."""
    for column, into, is_frames in (
        ("frames", "seconds", "frames" in row),
        ("length", "length", row.get("unit", "").lower() == "frames"),
    ):
        if is_frames and row.get(column):
            row[into] = repr(_number(row[column], column) / FRAMES_OF_BEFORE)
    if row.get("unit", "").lower() == "frames":
        row["unit"] = str(Unit.SECONDS)


def _entry(show: Show, row: Mapping[str, str]) -> Entry:
    kind, what = row.get("kind", "").lower(), row.get("what", "")
    fields: dict[str, object] = {
        "note": row.get("note", "")[:200],
        "off": row.get("off", "").lower() in ("yes", "x", "1"),
    }
    if kind == "key":
        fields["kind"] = EntryKind.KEY
    elif kind == "group":
        fields |= {"kind": EntryKind.GROUP, "choices": tuple(_shot(show, part.strip()) for part in what.split("|"))}
    elif kind in OTHERS:
        fields["kind"], of = OTHERS[kind]
        fields["item"] = _by_name(show, of, what)
    elif kind in OF_SHOTS:
        fields["item"] = _item(show, Kind(kind), what)
    else:
        raise _Wrong(f"“{kind}” is none of framing, camera, scene, medium, group, macro, playlist, key")
    fields |= _length(show, row) | {"transition": _transition(row)}
    try:
        return Entry.model_validate(fields)
    except ValidationError as error:
        raise _Wrong(why_not(error)) from None


def _length(show: Show, row: Mapping[str, str]) -> dict[str, object]:
    found: dict[str, object] = {}
    if row.get("unit"):
        try:
            found["unit"] = Unit(row["unit"].lower())
        except ValueError:
            raise _Wrong(f"“{row['unit']}” is none of {', '.join(Unit)}") from None
    if row.get("length"):
        found["amount"] = _number(row["length"], "length")
    if row.get("microphone"):
        mic = next((m for m in show.microphones if str(m.number) == row["microphone"]), None)
        if mic is None:
            raise _Wrong(f"there is no microphone {row['microphone']} in this show")
        found["mic"] = named(show, Kind.MICROPHONE, mic.id)
    return found


def _number(text: str, column: str) -> float:
    try:
        return float(text.replace(",", "."))
    except ValueError:
        raise _Wrong(f"its {column} “{text}” is no number") from None


def _transition(row: Mapping[str, str]) -> Transition:
    kind = row.get("transition", "").lower() or "cut"
    if kind == "cut":
        return CUT
    try:
        if row.get("seconds"):
            return Transition(kind=TransitionKind(kind), seconds=_number(row["seconds"], "seconds"))
        return Transition(kind=TransitionKind(kind))
    except ValueError:
        raise _Wrong(f"“{kind}” for “{row.get('seconds', '')}” seconds is no transition") from None


def _shot(show: Show, text: str) -> Item:
    """One of a group: a framing or a camera."""
    return _item(show, Kind.FRAMING if " " in text else Kind.CAMERA, text)


def _item(show: Show, kind: Kind, text: str) -> Item:
    if kind is Kind.FRAMING:
        number, _, place = text.partition(" ")
        letter, _, page = place.strip().upper().partition(".")
        camera = next((c for c in show.cameras if str(c.number) == number), None)
        good = camera is not None and len(letter) == 1 and letter in LETTERS and (page.isdigit() or not page)
        slot = (int(page or 1) - 1) * len(LETTERS) + LETTERS.index(letter) if good else -1
        framing = show.framing_at(camera.id, slot) if camera is not None and good else None
        if framing is None:
            raise _Wrong(f"there is no framing “{text}” in this show")
        return named(show, kind, framing.id)
    if kind is Kind.MEDIUM:
        return _by_name(show, kind, text)
    parts: Sequence[object] = show.cameras if kind is Kind.CAMERA else show.scenes
    found = next((p for p in parts if str(getattr(p, "number", "")) == text), None)
    if found is None:
        raise _Wrong(f"there is no {kind} “{text}” in this show")
    return named(show, kind, str(getattr(found, "id", "")))


def _by_name(show: Show, kind: Kind, text: str) -> Item:
    ids = {m.name.lower(): m.id for m in reversed(show.media)}
    if kind is Kind.MACRO:
        ids = {m.name.lower(): m.id for m in reversed(show.macros)}
    elif kind is Kind.PLAYLIST:
        ids = {p.name.lower(): p.id for p in reversed(show.playlists)}
    if text.lower() not in ids:
        raise _Wrong(f"there is no {kind} “{text}” in this show")
    return named(show, kind, ids[text.lower()])
