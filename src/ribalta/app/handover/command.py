"""`ribalta handover`: everything that others get after a show, in one folder, with a file of checksums."""

import argparse
import hashlib
import json
import shutil
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

from ribalta.app.handover.papers import write_papers
from ribalta.app.handover.sittings import Found, evening_beside, files_named
from ribalta.app.handover.timeline import timeline_of
from ribalta.core.base.faults import LocalFault
from ribalta.core.handover import tables
from ribalta.core.handover.edit_list import edit_list
from ribalta.core.handover.landings import landings_of
from ribalta.core.show.files.storage import load
from ribalta.core.show.files.whole_file import whole_file

SUMS = "checksums.sha256"
BLOCK = 1 << 20
LEAST_FREE = 20 * 1024 * 1024
Said = Callable[[str, float], None]


def hand_over(arguments: argparse.Namespace) -> int:
    """Raises LocalFault when the folder cannot be written, or there is nothing to hand over."""

    def said(words: str, share: float) -> None:
        if arguments.json:
            print(json.dumps({"doing": words, "share": round(share, 3)}), flush=True)
        elif not arguments.quiet:
            print(words, flush=True)

    made = write_all(arguments.show, arguments.folder, arguments.recordings, said)
    last = {"done": [str(path) for path in made.files], "troubles": made.troubles}
    if arguments.json:
        print(json.dumps(last), flush=True)
    else:
        for trouble in made.troubles:
            print(trouble)
        print(f"{len(made.files)} files are in {arguments.folder}.")
    return 0


class Made:
    """What was written, and sentences on what could not be."""

    def __init__(self) -> None:
        self.files: list[Path] = []
        self.troubles: list[str] = []


def write_all(show: Path, folder: Path, recordings: Path | None, said: Said) -> Made:
    """`recordings`: where the files of recordings are, if they were moved. Raises LocalFault."""
    stored = load(show)
    said("Reading the journals", 0.0)
    found = evening_beside(show, stored.show.title, lambda count: said(f"{count} lines of the journals are read", 0.2))
    if not found.evening.lines:
        raise LocalFault("Nothing went on air in what the journals have, so there is nothing to hand over.")
    made = Made()
    made.troubles += found.troubles
    found = pointed(found, recordings)
    made.troubles += missing_files(found)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        if shutil.disk_usage(folder).free < LEAST_FREE:
            raise LocalFault(f"There is no room in {folder}: 20 MB have to be free.")
        said("Writing the log, edit lists and chapters", 0.4)
        for name, text in texts_of(found):
            made.files.append(_write(folder / name, text.encode()))
        said("Drawing the report and the contact sheet", 0.6)
        report, shows = landings_of(found.evening), found.evening
        made.files += write_papers(folder, stored, shows, report, found.utc_offset_s)
        said("Adding up checksums", 0.8)
        sums = folder / SUMS
        kept = [*made.files, *(path for path in map(Path, files_named(found.evening)) if path.is_file())]
        lines = [f"{_sum(path)}  {path.name if path.parent == folder else path}\n" for path in kept]
        made.files.append(_write(sums, "".join(lines).encode()))
    except OSError as error:
        raise LocalFault(
            f"It cannot be handed over into {folder}: {error.strerror or error}. What is there already stays."
        ) from None
    said("All is handed over", 1.0)
    return made


def texts_of(found: Found) -> Iterator[tuple[str, str]]:
    """Files of text by name; those of a recording have its number where there are several."""
    evening, offset_s = found.evening, found.utc_offset_s
    yield "as-run.csv", tables.as_csv(evening, offset_s)
    yield "as-run.json", tables.as_json(evening, offset_s)
    yield "as-run.schema.json", json.dumps(tables.SCHEMA, indent=1) + "\n"
    for number, recorded in enumerate(evening.recorded, 1):
        which = f" {number}" if len(evening.recorded) > 1 else ""
        yield f"edit list{which}.edl", edit_list(recorded, f"{evening.title}{which}")
        yield f"timeline{which}.otio", timeline_of(recorded, f"{evening.title}{which}")
        yield f"chapters{which}.vtt", tables.chapters_vtt(recorded)
        yield f"chapters{which}.txt", tables.chapters_list(recorded)
        yield f"titles{which}.vtt", tables.titles_vtt(recorded)


def pointed(found: Found, recordings: Path | None) -> Found:
    """With files of recordings where they are now: in `recordings`, if one of that name is there."""
    if recordings is None:
        return found

    def now(name: str) -> str:
        moved = recordings / Path(name).name
        return str(moved.absolute()) if moved.is_file() else name

    recorded = tuple(
        replace(one, files={what: now(name) for what, name in one.files.items()}) for one in found.evening.recorded
    )
    return replace(found, evening=replace(found.evening, recorded=recorded))


def missing_files(found: Found) -> list[str]:
    """A sentence for each file of a recording that is not there."""
    gone = [Path(name) for name in files_named(found.evening) if not Path(name).is_file()]
    return [
        f"The recording {path.name} is not at {path.parent} any more; the edit list names it still." for path in gone
    ]


def _write(path: Path, data: bytes) -> Path:
    with whole_file(path) as file:
        file.write(data)
    return path


def _sum(path: Path) -> str:
    found = hashlib.sha256()
    with path.open("rb") as file:
        while block := file.read(BLOCK):
            found.update(block)
    return found.hexdigest()
