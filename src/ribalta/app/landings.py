"""`ribalta landings`: what landed, evening by evening, and which changes would have helped the last one most."""

import argparse
import json
from dataclasses import asdict
from typing import Any

from ribalta.app.handover.sittings import evening_beside
from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.dryrun.evening import asked_of
from ribalta.core.handover.landings import Tally, by_evening, lines_of_last
from ribalta.core.handover.proposals import Proposals, proposals_for
from ribalta.core.show.files.storage import load


def tell_landings(arguments: argparse.Namespace) -> int:
    """Raises LocalFault when there is no journal, or nothing went on air in it."""

    def said(words: str, share: float) -> None:
        if arguments.json:
            print(json.dumps({"doing": words, "share": round(share, 3)}), flush=True)

    show = load(arguments.show).show
    said("Reading the journals", 0.0)
    found = evening_beside(
        arguments.show, show.title, lambda count: said(f"{count} lines of the journals are read", 0.05)
    )
    evenings = by_evening(found.evening.lines, found.utc_offset_s)
    if not evenings:
        raise LocalFault("Nothing was taken in what the journals have.")
    last = asked_of(lines_of_last(found.evening.lines, found.utc_offset_s))
    proposals = proposals_for(show, last, lambda words, share: said(words, 0.1 + 0.9 * share))
    if arguments.json:
        print(json.dumps({"done": as_told(evenings, proposals)}), flush=True)
    else:
        for date, tally in evenings:
            print(f"{date}: {tally.takes} takes, {tally.held} waited {tally.held_s:.1f} s in all, {tally.late} late")
        for one in proposals.found:
            print(f"{one.words} ({one.saves_s:.1f} s less)")
        if not proposals.found:
            print("No change that was tried would have saved half a second of waiting.")
    return 0


def as_told(evenings: tuple[tuple[str, Tally], ...], proposals: Proposals) -> dict[str, Any]:
    """As it is printed for programs."""
    rows = [{"date": date} | asdict(tally) for date, tally in evenings]
    return {"evenings": rows, "proposals": asdict(proposals)}
