"""Files of others into the show and out of it: plans, framings, media, titles and their rows.

Done in the background, one after another; what comes of it is an action, and a sentence for what was left out.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any, Protocol

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.document.templates import Template
from ribalta.core.show.files.floorplan import read_plan, write_plan
from ribalta.core.show.files.playlist_table import read_table, write_table
from ribalta.core.show.files.title_rows import read_rows
from ribalta.server.chores import Chores
from ribalta.server.import_export import framing_files, media_files

TOLD = 3
TakeIn = Callable[[Mapping[str, bytes]], None]


class TransferAccess(Protocol):
    """What reading and writing files needs of a running show."""

    @property
    def state(self) -> LiveState: ...
    def act(self, action_id: str, arguments: Mapping[str, Any]) -> None: ...
    def say(self, notice: Notice) -> None: ...
    def stored_picture(self, name: str) -> bytes | None: ...


class Transfers:
    """Any thread may call these; none of them waits. `take_in` keeps files, by name, that an action will refer to."""

    def __init__(self, access: TransferAccess, chores: Chores, take_in: TakeIn) -> None:
        self._access, self._chores, self._take_in = access, chores, take_in

    def bring_in_plan(self, path: Path, units_per_m: float) -> None:
        """Marks from a file, a drawing in units of its own; the bad rows are said."""

        def bring() -> None:
            try:
                plan = read_plan(path, units_per_m)
            except LocalFault as fault:
                self._refuse(str(fault))
                return
            marks = [asdict(mark) for mark in plan.marks]
            self._access.act("plan.import", {"marks": marks})
            if plan.left_out:
                out = "One row was" if len(plan.left_out) == 1 else f"{len(plan.left_out)} rows were"
                self._refuse(f"{out} left out. {' '.join(plan.left_out)}")

        self._chores.put(bring)

    def write_out_plan(self, path: Path) -> None:
        show = self._access.state.show

        def write() -> str:
            write_plan(path, show.marks, show.cameras)
            return f"The plan is written to {path.name}."

        self.write(write)

    def write(self, work: Callable[[], str]) -> None:
        """Write a file on a thread that may take its time; `work` returns what to say then, or raises LocalFault."""

        def run() -> None:
            try:
                said = Notice(work())
            except LocalFault as fault:
                said = Notice(str(fault), Severity.FAULT)
            self._access.say(said)

        self._chores.put(run)

    def write_out_framings(self, path: Path) -> None:
        show = self._access.state.show
        names = {f.picture for f in show.framings if f.picture is not None}

        def write() -> str:
            pictures = {name: data for name in names if (data := self._access.stored_picture(name)) is not None}
            framing_files.write_out(path, show, pictures)
            return f"{len(show.framings)} framings are written to {path.name}."

        self.write(write)

    def bring_in_framings(self, path: Path) -> None:
        """From a table, or from another show; what was left out is said."""

        def bring() -> None:
            try:
                found = framing_files.copy_from(path) if path.suffix == ".ribalta" else framing_files.read_in(path)
            except LocalFault as fault:
                self._refuse(str(fault))
                return
            self._take_in(found.pictures)
            self._access.act("framings.import", {"framings": found.framings})
            if found.left_out:
                more = f" And {len(found.left_out) - TOLD} more." if len(found.left_out) > TOLD else ""
                self._access.say(Notice(f"{' '.join(found.left_out[:TOLD])}{more}", Severity.FAULT))

        self._chores.put(bring)

    def bring_in_media(self, paths: Sequence[Path]) -> None:
        """Pictures, clips, slides; each is tried first, and what cannot be used is said."""

        def bring() -> None:
            for path in paths:
                try:
                    found = media_files.bring(path)
                except LocalFault as fault:
                    self._access.say(Notice(str(fault), Severity.FAULT))
                    continue
                self._take_in(found.files)
                self._access.act("medium.add", found.arguments)

        self._chores.put(bring)

    def bring_in_title(self, path: Path) -> None:
        """A drawing (SVG) or picture that becomes a title with its fields."""

        def bring() -> None:
            try:
                found = media_files.bring(path)
                fields = {}
                if path.suffix.lower() == ".svg":
                    data = next(iter(found.files.values()))
                    fields = {f.name: f.text for f in Template(data, path.name).fields}
            except LocalFault as fault:
                self._access.say(Notice(str(fault), Severity.FAULT))
                return
            if found.kind != "still":
                self._refuse("A title is a drawing (SVG) or one picture.")
                return
            self._take_in(found.files)
            self._access.act("title.add", {"template": next(iter(found.files)), "name": found.name, "fields": fields})
            if not fields and path.suffix.lower() == ".svg":
                self._access.say(Notice(f"{path.name} has no named texts: it is shown as it is."))

        self._chores.put(bring)

    def bring_in_rows(self, title_id: str, path: Path) -> None:
        """Rows of a title from CSV or JSON; what was left out is said."""

        def bring() -> None:
            try:
                rows, said = read_rows(path)
            except LocalFault as fault:
                self._refuse(str(fault))
                return
            self._access.act("title.rows", {"title": title_id, "rows": rows})
            if said:
                self._access.say(Notice(" ".join(said[:TOLD]), Severity.FAULT))

        self._chores.put(bring)

    def bring_in_playlist(self, path: Path) -> None:
        """A table as a playlist of its own, with the name of the file; what was left out is said."""

        def bring() -> None:
            try:
                entries, said = read_table(path, self._access.state.show)
            except LocalFault as fault:
                self._access.say(Notice(str(fault), Severity.FAULT))
                return
            made = [entry.model_dump(mode="json") for entry in entries]
            self._access.act("playlist.add", {"name": path.stem[:80] or "Playlist", "entries": made})
            for sentence in said[:TOLD]:
                self._access.say(Notice(sentence, Severity.FAULT))

        self._chores.put(bring)

    def write_out_playlist(self, playlist_id: str, path: Path) -> None:
        """As a table; nothing when there is no such playlist."""
        show = self._access.state.show
        playlist = show.playlist(playlist_id)
        if playlist is None:
            return

        def write() -> str:
            write_table(path, show, playlist)
            return f"“{playlist.name}” is written to {path.name}."

        self.write(write)

    def _refuse(self, sentence: str) -> None:
        self._access.say(Notice(sentence, Severity.REFUSED))
