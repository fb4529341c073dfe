"""The journal beside a show (`NAME.ribalta.journal`): one JSON object a line, in the order in which things happened.

- `{"ribalta": "journal", "version": 2, ...}`: how the show stood as this file was begun (`engine/journal/replaying`).
- `{"t": s, "action": id, "params": {...}}` and `{"t": s, "report": [kind, ...]}`: inputs of the engine.
- `{"keep": document}`: the document after an edit, as JSON, compressed (zlib) and in base64.
- `{"picture": name, "data": base64}`: a picture that belongs to it.
- `{"saved": true}`: everything before this line is in the show file.

- `{"standing": …}`, `{"t": s, "aired": …}`, `{"ended": true}`: see `engine/journal/standing`.

A line that was torn by a crash or a full disk is passed over; all others count. When a show is saved, a new journal is
begun; those before it are kept for a while (`.journal.past.1` …). One with unsaved changes, or that cannot be read, is
set aside at the next start (`.journal.1` …): it stays until somebody has answered for it.
"""

import base64
import contextlib
import fcntl
import glob
import json
import mmap
import os
import stat
import zlib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import IO, Any

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.files.storage import LARGEST_DOCUMENT, LARGEST_PICTURE, StoredShow, files_of, parse_show

VERSION = 2
KEPT_PAST = 24 * 1024 * 1024  # bytes of journals that are over
KEEP, PICTURE, SAVED, NEWLINE = b'{"keep":', b'{"picture":', b'{"saved"', ord("\n")


def journal_path(show_path: Path) -> Path:
    """Where the journal of a show is."""
    return show_path.with_name(show_path.name + ".journal")


def line_of(value: Mapping[str, Any]) -> bytes:
    """One line. What JSON does not know is written as its text; half characters are written as escapes."""
    return json.dumps(value, separators=(",", ":"), default=repr).encode("ascii") + b"\n"


def packed(document: str) -> str:
    """A document for a journal's line: compressed, in plain letters."""
    return base64.b64encode(zlib.compress(document.encode("utf-8", "backslashreplace"), 1)).decode("ascii")


def unpacked(data: str) -> str:
    """Raises ValueError for what is no document, or too large to be one."""
    turn = zlib.decompressobj()
    try:
        found = turn.decompress(base64.b64decode(data, validate=True), LARGEST_DOCUMENT)
    except zlib.error as error:
        raise ValueError(str(error)) from None
    if turn.unconsumed_tail:
        raise ValueError("too large")
    return found.decode("utf-8")


def keep_line(document: str) -> bytes:
    """A line with the document after an edit (JSON)."""
    return line_of({"keep": packed(document)})


def picture_line(name: str, data: bytes) -> bytes:
    """A line with a stored picture (JPEG)."""
    return line_of({"picture": name, "data": base64.b64encode(data).decode("ascii")})


def _plain(path: Path) -> bool:
    """Is it a file, and not a link, a pipe or a device in its place?"""
    return stat.S_ISREG(path.lstat().st_mode)


def _open_to_read(path: Path) -> IO[bytes]:
    """Raises OSError for what is no plain file; does not wait for a pipe."""
    handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
    if not stat.S_ISREG(os.fstat(handle).st_mode):
        os.close(handle)
        raise OSError(0, "it is no plain file")
    return os.fdopen(handle, "rb")


def refuse_if_open_elsewhere(show_path: Path) -> None:
    """Raises LocalFault when another Ribalta has this show open: two would write over each other."""
    try:
        with _open_to_read(journal_path(show_path)) as file:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        raise LocalFault(
            f"The show “{show_path.name}” is open in another Ribalta on this machine. Close it there, or open a copy."
        ) from None
    except OSError:
        return


class JournalFile:
    """Appends lines to a new file, which its owner alone can read. Not thread-safe. All raise OSError."""

    def __init__(self, path: Path, opening: bytes = b"") -> None:
        """What is at `path` must have been made way for: see `make_way`."""
        self.path = path
        self._handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_NOFOLLOW | os.O_NONBLOCK, 0o600)
        try:
            found = os.fstat(self._handle)
            if not stat.S_ISREG(found.st_mode):
                raise OSError(0, "it is no plain file")
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            self.size, self._torn, self.inode = found.st_size, found.st_size > 0, found.st_ino
            if not self.size and opening:
                self.append(opening)
            folder = os.open(path.parent, os.O_RDONLY)
            try:
                os.fsync(folder)
            finally:
                os.close(folder)
        except OSError:
            os.close(self._handle)
            raise

    def append(self, data: bytes) -> None:
        """Whole lines, handed to the system, so that they outlive this process. After a failure the next begin on a
        line of their own."""
        if self._torn:
            data = b"\n" + data
        self._torn = True
        left = memoryview(data)
        while left:
            left = left[os.write(self._handle, left) :]
        self._torn = False
        self.size += len(data)

    def take_place_of(self, path: Path, past: Path) -> None:
        """From now on this is the journal at `path`; what was there is at `past`. Raises OSError."""
        if os.path.lexists(path):
            os.link(path, past, follow_symlinks=False)
        os.replace(self.path, path)
        self.path = path

    def is_in_place(self) -> bool:
        """Not so when its disk was pulled, or somebody has moved it."""
        try:
            return self.path.lstat().st_ino == self.inode
        except OSError:
            return False

    def sync(self) -> None:
        """Wait until the disk has it."""
        os.fsync(self._handle)

    def close(self) -> None:
        """Nothing more is written."""
        with contextlib.suppress(OSError):
            os.close(self._handle)


def _aside(show_path: Path) -> Path:
    number = 1 + max((int(path.suffix[1:]) for path in _set_aside_before(show_path)), default=0)
    journal = journal_path(show_path)
    return journal.with_name(f"{journal.name}.{number}")


def make_way(show_path: Path, keeps: bool) -> None:
    """Make room for a new journal: what is there is set aside when it `keeps` what nothing else has, or else kept with
    those that are over. Raises LocalFault; nothing is lost then."""
    journal = journal_path(show_path)
    try:
        if not os.path.lexists(journal):
            return
        if not _plain(journal):
            raise OSError(0, "it is no plain file, but a link or the like. Take it away")
        if keeps:
            journal.rename(_aside(show_path))
        else:
            journal.rename(next_past(show_path))
            prune_past(show_path)
    except OSError as error:
        raise LocalFault(
            f"The journal {journal} cannot be used: {error.strerror or error}. What is edited now would be lost in a"
            " crash: save often."
        ) from None


def fresh_path(show_path: Path) -> Path:
    """Where a new journal is written until it takes the place of the old one; nothing is there."""
    path = journal_path(show_path).with_name(f".{show_path.name}.journal.new")
    path.unlink(missing_ok=True)
    return path


def next_past(show_path: Path) -> Path:
    """Where the journal goes when a new one is begun."""
    number = 1 + max((int(path.suffix[1:]) for path in past_journals(show_path)), default=0)
    journal = journal_path(show_path)
    return journal.with_name(f"{journal.name}.past.{number}")


def past_journals(show_path: Path) -> list[Path]:
    """Those that are over, the oldest first."""
    journal = journal_path(show_path)
    found = [p for p in journal.parent.glob(f"{glob.escape(journal.name)}.past.*") if p.suffix[1:].isdigit()]
    return sorted(found, key=lambda path: int(path.suffix[1:]))


def prune_past(show_path: Path) -> None:
    """Drop the oldest of those that are over, until the rest is small enough."""
    whole = 0
    for path in reversed(past_journals(show_path)):
        with contextlib.suppress(OSError):
            whole += path.lstat().st_size
            if whole > KEPT_PAST:
                path.unlink()


@dataclass(frozen=True)
class Recovery:
    """What a journal holds that the show file does not."""

    changes: int
    stored: StoredShow
    journal: Path

    def set_aside(self, show_path: Path) -> "Recovery":
        """Make room for a new journal. Raises LocalFault; the changes stay where they are then."""
        if self.journal != journal_path(show_path):
            return self
        aside = _aside(show_path)
        make_way(show_path, True)
        return replace(self, journal=aside)

    def forget(self) -> None:
        """The offer was answered: the journal is not needed any more."""
        with contextlib.suppress(OSError):
            self.journal.unlink()


def _set_aside_before(show_path: Path) -> list[Path]:
    """The newest first."""
    journal = journal_path(show_path)
    found = [p for p in journal.parent.glob(f"{glob.escape(journal.name)}.*") if p.suffix[1:].isdigit()]
    found = [p for p in found if ".past." not in p.name]
    return sorted(found, key=lambda path: -int(path.suffix[1:]))


def find_recovery(show_path: Path, saved: StoredShow | None) -> Recovery | None:
    """The newest unsaved changes of an earlier session, or None. An unreadable journal is passed over."""
    for path in (journal_path(show_path), *_set_aside_before(show_path)):
        found = _unsaved_in(path, saved)
        if found is not None:
            return found
    return None


def holds_something(show_path: Path) -> bool:
    """Is there a journal with what is not saved, or one that cannot be read, so that it must not be dropped?"""
    try:
        with _open_to_read(journal_path(show_path)) as file:
            first = file.readline(LARGEST_DOCUMENT)
            opening = _json(first)
            newer = opening.get("ribalta") == "journal" and opening.get("version", 0) > VERSION
            return newer or bool(first and not opening) or bool(_look_through(file).keeps)
    except FileNotFoundError:
        return False
    except OSError:
        return True


def _json(line: bytes) -> dict[str, Any]:
    try:
        found = json.loads(line)
    except (ValueError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


@dataclass
class _Found:
    """Where in a journal what counts is."""

    keeps: list[tuple[int, int]]
    pictures: dict[str, tuple[int, int]]


def _look_through(file: IO[bytes]) -> _Found:
    """Without taking apart what is passed over: a long evening is a million lines. What follows on a torn line in the
    same line counts too; whether it is whole is seen when it is read."""
    found = _Found([], {})
    if not os.fstat(file.fileno()).st_size:
        return found
    with mmap.mmap(file.fileno(), 0, prot=mmap.PROT_READ) as data:
        saved = data.rfind(SAVED + b":true}\n")
        while saved > 0 and data[saved - 1] != NEWLINE:
            saved = data.rfind(SAVED + b":true}\n", 0, saved)
        for at in _places(data, KEEP, max(0, saved)):
            found.keeps.append((at, _end_of(data, at) - at))
        for at in _places(data, PICTURE, 0):
            name = _name_in(data[at : at + 2000])
            if name is not None:
                found.pictures[name] = (at, _end_of(data, at) - at)
    return found


def _places(data: mmap.mmap, mark: bytes, start: int) -> Iterator[int]:
    at = data.find(mark, start)
    while at >= 0:
        yield at
        at = data.find(mark, at + 1)


def _end_of(data: mmap.mmap, at: int) -> int:
    end = data.find(b"\n", at)
    return end + 1 if end >= 0 else len(data)


def _name_in(line: bytes) -> str | None:
    try:
        name = json.JSONDecoder().raw_decode(line[len(PICTURE) :].decode("ascii", "replace"))[0]
    except ValueError:
        return None
    return name if isinstance(name, str) else None


def _unsaved_in(path: Path, saved: StoredShow | None) -> Recovery | None:
    try:
        with _open_to_read(path) as file:
            opening = _json(file.readline(LARGEST_DOCUMENT))
            version = opening.get("version")
            if isinstance(version, int) and version > VERSION:
                return None  # it stays where it is, for a newer one
            file.seek(0)
            found = _look_through(file)
            for count in range(len(found.keeps), 0, -1):
                stored = _stored(file, found, count, saved)
                if stored is not None:
                    return Recovery(count, stored, path)
    except OSError:
        return None
    return None


def _stored(file: IO[bytes], found: _Found, count: int, saved: StoredShow | None) -> StoredShow | None:
    """The document of one line with its pictures; None when that line is damaged."""
    entry = _at(file, found.keeps[count - 1])
    keep, pictures = entry.get("keep"), dict(saved.pictures) if saved else {}
    try:
        document = unpacked(keep) if isinstance(keep, str) else json.dumps(keep)
        show = parse_show(document, "The journal")
    except (ValueError, LocalFault):
        return None
    for name, data in _old_pictures(entry):
        pictures[name] = data
    for name in files_of(show):
        if name in found.pictures:
            fresh = _decoded(_at(file, found.pictures[name]).get("data"))
            if fresh is not None:
                pictures[name] = fresh
    return StoredShow(show, pictures)


def _at(file: IO[bytes], place: tuple[int, int]) -> dict[str, Any]:
    if place[1] > 2 * LARGEST_PICTURE:
        return {}
    file.seek(place[0])
    return _json(file.read(place[1]))


def _decoded(data: object) -> bytes | None:
    try:
        return base64.b64decode(data, validate=True) if isinstance(data, str) else None
    except ValueError:
        return None


def _old_pictures(entry: Mapping[str, Any]) -> Iterator[tuple[str, bytes]]:
    """Version 1 had them in the same line."""
    pictures = entry.get("pictures")
    for name, data in pictures.items() if isinstance(pictures, dict) else ():
        found = _decoded(data)
        if found is not None:
            yield name, found


def lines_of(path: Path) -> Iterator[dict[str, Any]]:
    """Every whole line of a journal, in order; what is torn is passed over. Raises LocalFault if it cannot be read."""
    try:
        with _open_to_read(path) as file:
            for line in file:
                found = _json(line)
                if found:
                    yield found
    except OSError as error:
        raise LocalFault(f"The journal {path} cannot be read: {error.strerror or error}.") from None
