"""`ribalta replay`: run a show's journal through the engine again and say what went on air, when, and how it landed."""

import argparse
import json
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.journal.replaying import run_again, state_of
from ribalta.core.engine.loop import Engine
from ribalta.core.ports.messages import Logged
from ribalta.core.show.files.journal import journal_path, lines_of, past_journals


@dataclass(frozen=True)
class Aired:
    """One change of program. `at` is local time; `landed` is None where nothing had to land."""

    at: datetime
    shot: str
    camera: int
    frames: int
    landed: bool
    held_s: float
    forced: bool

    @property
    def words(self) -> str:
        number = f"{self.camera} " if self.camera else ""
        how = "cut" if not self.frames else f"{self.frames} frames"
        landed = "landed" if self.landed else "did not land"
        held = f", held {self.held_s:.1f} s" if self.held_s > 0 else ""
        forced = ", forced" if self.forced else ""
        return (
            f"{self.at:%H:%M:%S}.{self.at.microsecond // 10000:02d}  {number}{self.shot}, {how}, {landed}{held}{forced}"
        )


def aired(paths: list[Path]) -> Iterator[Aired]:
    """What these journals show, in order. What a damaged one began with is passed over, up to the next."""
    for path in paths:
        engine: Engine | None = None
        ahead_s = 0.0
        for line in lines_of(path):
            if line.get("ribalta") == "journal":
                engine, ahead_s = Engine(state_of(line)), float(line["wall_s"]) - float(line["t"])
                continue
            if engine is None or not run_again(engine, line):
                continue
            for event in engine.drain()[0]:
                if isinstance(event, Logged):
                    record = event.record
                    yield Aired(
                        datetime.fromtimestamp(record.at_s + ahead_s),
                        record.framing_name or engine.state.shot_words(record.shot),
                        record.camera_number,
                        record.frames,
                        record.landed,
                        record.held_s,
                        record.forced,
                    )


def replay_show(arguments: argparse.Namespace) -> int:
    """Raises LocalFault when there is no journal, or a time that is none."""
    until = _time(arguments.until) if arguments.until else None
    journal = journal_path(arguments.show)
    paths = [*past_journals(arguments.show), *([journal] if journal.exists() else [])]
    if not paths:
        raise LocalFault(f"There is no journal beside {arguments.show}: nothing was run from it here, or it was moved.")
    found: list[dict[str, Any]] = []
    for one in aired(paths):
        if until is not None and one.at.time() > until:
            break
        if not arguments.json:
            print(one.words)
        at = one.at.isoformat(timespec="milliseconds")
        found.append({**one.__dict__, "at": at})
    if arguments.json:
        print(json.dumps({"aired": found}))
    elif not found:
        print("Nothing went on air in what the journal has.")
    return 0


def _time(text: str) -> Any:
    for form in ("%H:%M:%S", "%H:%M"):
        try:
            return datetime.strptime(text, form).time()
        except ValueError:
            continue
    raise LocalFault(f"{text} is not a time of day: write it as 21:30 or 21:30:15.")
