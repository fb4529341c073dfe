"""`ribalta rehearse`: run a playlist, a macro or a conversation with a show in hand-wound time, and say how every cut
would land."""

import argparse
import json
from collections.abc import Sequence
from typing import Protocol

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.dryrun.rehearsal import Report, rehearse
from ribalta.core.engine.dryrun.voice_rehearsal import VoiceReport, follow
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.files.storage import load
from ribalta.core.sound.conversation import read_conversation


class Named(Protocol):
    @property
    def id(self) -> str: ...
    @property
    def name(self) -> str: ...


def rehearse_show(arguments: argparse.Namespace) -> int:
    """Exit code 0 when every cut lands, 1 when one does not. Raises LocalFault for what is not there."""
    show = load(arguments.show).show
    if arguments.voice is not None:
        talk = follow(show, read_conversation(arguments.voice))
        print(json.dumps(voice_as_json(talk)) if arguments.json else voice_as_text(talk))
        return 1 if talk.cuts_to_moving else 0
    if arguments.playlist is not None:
        found = _named(show.playlists, arguments.playlist, "playlist")
        call = Call(action="playlist.start", arguments={"playlist": found.id})
    else:
        found = _named(show.macros, arguments.macro, "macro")
        call = Call(action="macro.run", arguments={"macro": found.id})
    report = rehearse(show, call, 60.0 * max(0.1, arguments.minutes))
    print(json.dumps(as_json(report)) if arguments.json else as_text(found.name, report))
    return 0 if report.landed == len(report.shots) else 1


def _named(parts: Sequence[Named], name: str, kind: str) -> Named:
    for part in parts:
        if part.name.lower() == name.lower():
            return part
    have = ", ".join(f"“{part.name}”" for part in parts) or "none"
    raise LocalFault(f"There is no {kind} “{name}” in this show. It has: {have}.")


def as_json(report: Report) -> dict[str, object]:
    return {
        "seconds": report.seconds,
        "cuts": len(report.shots),
        "landed": report.landed,
        "shots": [
            {"at_s": at, "seconds": long, "shot": words, "landed": landed} for at, long, words, landed in report.shots
        ],
        "on_air_s": dict(report.cameras),
        "troubles": [{"at_s": line.at_s, "words": line.words} for line in report.lines if line.trouble],
    }


def as_text(name: str, report: Report) -> str:
    lines = [f"“{name}”: {report.seconds:.0f} s, {report.landed} of {len(report.shots)} cuts land"]
    for at, long, words, landed in report.shots:
        lines.append(f"{at:9.1f} s  {long:6.1f} s  {words}{'' if landed else '   does not land'}")
    lines += [f"           {line.words}" for line in report.lines if line.trouble and line.landed is None]
    lines += [f"camera {camera}: {seconds:.0f} s on air" for camera, seconds in report.cameras]
    return "\n".join(lines)


def voice_as_json(report: VoiceReport) -> dict[str, object]:
    names = ("at_s", "seconds", "shot", "why", "landed")
    return {
        "name": report.name,
        "seconds": report.seconds,
        "cuts": len(report.shots),
        "right_share": round(report.right_share, 3),
        "short_shots": report.short_shots,
        "cuts_to_moving": report.cuts_to_moving,
        "shots": [dict(zip(names, shot, strict=True)) for shot in report.shots],
    }


def voice_as_text(report: VoiceReport) -> str:
    right = round(100 * report.right_share)
    lines = [f"“{report.name}”: {report.seconds:.0f} s, {len(report.shots)} cuts, who speaks is seen {right} %"]
    for at, long, words, why, landed in report.shots:
        lines.append(f"{at:9.1f} s  {long:6.1f} s  {words:28} {why}{'' if landed else '   does not land'}")
    return "\n".join(lines)
