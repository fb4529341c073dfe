"""`ribalta replay`: run a show's journal through the engine again and say what went on air, when, and how it landed."""

import argparse
import json
from collections.abc import Iterator
from datetime import datetime, timedelta, timezone
from typing import Any

from ribalta.app.handover.sittings import evening_beside
from ribalta.core.base.faults import LocalFault
from ribalta.core.ports.as_run import Aired, AsRunLine


def replay_show(arguments: argparse.Namespace) -> int:
    """Raises LocalFault when there is no journal, or a time that is none."""
    until = _time(arguments.until) if arguments.until else None
    found = evening_beside(arguments.show)
    zone = timezone(timedelta(seconds=found.utc_offset_s))
    told: list[dict[str, Any]] = []
    for line in _takes(found.evening.lines):
        at = datetime.fromtimestamp(line.wall_s, zone).replace(tzinfo=None)
        if until is not None and at.time() > until:
            break
        if not arguments.json:
            print(words_of(line, at))
        told.append({"at": at.isoformat(timespec="milliseconds"), **as_told(line)})
    if arguments.json:
        print(json.dumps({"aired": told}))
    elif not told:
        print("Nothing went on air in what the journal has.")
    return 0


def _takes(lines: tuple[AsRunLine, ...]) -> Iterator[AsRunLine]:
    return (line for line in lines if line.kind is Aired.SHOT and line.landing is not None)


def as_told(line: AsRunLine) -> dict[str, Any]:
    landing = line.landing
    assert landing is not None
    return {
        "shot": line.words,
        "camera": line.camera,
        "transition_s": line.transition_s,
        "landed": landing.landed,
        "held_s": landing.held_s,
        "forced": landing.forced,
        "by": line.by,
    }


def words_of(line: AsRunLine, at: datetime) -> str:
    """One line for people; `at` is local time."""
    landing = line.landing
    assert landing is not None
    how = "cut" if not line.transition_s else f"{line.transition_s:.1f} s"
    landed = "landed" if landing.landed else "did not land"
    held = f", held {landing.held_s:.1f} s" if landing.held_s > 0 else ""
    forced = ", forced" if landing.forced else ""
    return f"{at:%H:%M:%S}.{at.microsecond // 10000:02d}  {line.words}, {how}, {landed}{held}{forced}"


def _time(text: str) -> Any:
    for form in ("%H:%M:%S", "%H:%M"):
        try:
            return datetime.strptime(text, form).time()
        except ValueError:
            continue
    raise LocalFault(f"{text} is not a time of day: write it as 21:30 or 21:30:15.")
