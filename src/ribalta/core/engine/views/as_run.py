"""The as-run log as it grows. What is in it is never changed: what was wrong is corrected by another line."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, fields
from typing import Any

from ribalta.core.engine.program.as_run import WentOut, landing_of, went_out
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.history import CALLED, History
from ribalta.core.ports.as_run import Aired, AsRunAdded, AsRunLine, Landing
from ribalta.core.ports.causes import Cause
from ribalta.core.ports.messages import Event
from ribalta.core.ports.shots import Shot


class AsRun:
    """One thread adds to it, and any may read meanwhile.

    `shown_at_s` says, by take, when the first frame of program's clock that had it was due (clock time); a take that is
    not in it was gone before any frame had it.
    """

    def __init__(self, history: History | None = None) -> None:
        """`history` knows who asked for what; `running` is the number of what runs now, and who asked for that."""
        self._history = history
        self.running: tuple[int, Cause] | None = None
        self._lines: list[AsRunLine] = []
        self._readied: tuple[Shot, float] | None = None  # what is Next, and since when
        self.shown_at_s: dict[int, float] = {}

    @property
    def lines(self) -> tuple[AsRunLine, ...]:
        """The oldest first."""
        return tuple(self._lines)

    def __len__(self) -> int:
        return len(self._lines)

    def add(self, line: AsRunLine) -> None:
        """What was made elsewhere, once; for desks."""
        if not self._lines or line.number > self._lines[-1].number:
            self._lines.append(line)

    def follow(
        self, before: LiveState, after: LiveState, events: Sequence[Event], now_s: float, run: int
    ) -> list[AsRunAdded]:
        """What has just happened, as lines; `run` is the number of what did it, 0 for nothing."""
        added = [
            AsRunAdded(self._write(went, after, now_s, self._cause_of(went.run_id or run)))
            for went in went_out(before, after, events, now_s)
        ]
        shot = after.program.next
        if shot is not None and (self._readied is None or self._readied[0] != shot):
            self._readied = (shot, now_s)
        return added

    def _write(self, went: WentOut, state: LiveState, now_s: float, cause: Cause | None) -> AsRunLine:
        at_s = went.at_s if went.at_s is not None else now_s
        camera = state.show.camera(went.shot.base.camera_id) if went.shot is not None else None
        framing = state.framing(went.shot)
        line = AsRunLine(
            number=len(self._lines) + 1,
            at_s=at_s,
            wall_s=at_s + state.wall_clock.offset_s,
            kind=went.kind,
            words=went.words,
            camera_id=camera.id if camera is not None else "",
            camera=camera.number if camera is not None else 0,
            framing=framing.name if framing is not None else "",
            transition_s=went.record.transition_s if went.record is not None else 0.0,
            transition=went.transition,
            landing=landing_of(went.record, self._readied_s(went.shot)),
            by=by_words(cause),
            desk=cause.desk if cause is not None else "",
            take=went.take,
            files=went.files,
            timecode=went.timecode,
            rate=went.rate,
            of=went.of,
            framing_id=framing.id if framing is not None else "",
            loudness=went.loudness,
        )
        self._lines.append(line)
        return line

    def _readied_s(self, shot: Shot | None) -> float | None:
        return self._readied[1] if self._readied is not None and self._readied[0] == shot else None

    def _cause_of(self, number: int) -> Cause | None:
        if self.running is not None and self.running[0] == number:
            return self.running[1]
        ran = self._history.find(number) if self._history is not None else None
        return ran.cause if ran is not None else None


def as_tree(line: AsRunLine) -> dict[str, Any]:
    """As it is written into a journal."""
    return {name: value for name, value in asdict(line).items() if value not in ("", 0, (), None)}


def line_of(tree: Mapping[str, Any]) -> AsRunLine:
    """What `as_tree` made. Raises TypeError, ValueError or KeyError for what is damaged."""
    known = {f.name for f in fields(AsRunLine)}
    given = {name: value for name, value in tree.items() if name in known}
    landing = given.pop("landing", None)
    files = tuple((str(what), str(path)) for what, path in given.pop("files", ()))
    kind, words = Aired(given.pop("kind")), str(given.pop("words", ""))
    return AsRunLine(kind=kind, words=words, files=files, landing=Landing(**landing) if landing else None, **given)


def by_words(cause: Cause | None) -> str:
    """Who or what asked, as people say it; empty when nothing did."""
    return f"{CALLED.get(cause.by, str(cause.by))} {cause.words}".strip() if cause is not None else ""
