"""The as-run log as a table (CSV) and as JSON, with the schema of that; chapters and titles as captions (WebVTT)."""

import csv
import io
import json
from collections.abc import Iterator, Mapping
from dataclasses import asdict
from datetime import datetime, timedelta, timezone
from fractions import Fraction
from typing import Any

from ribalta.core.base.frames import nearest_frame
from ribalta.core.handover.evening import Evening, Recorded, corrected
from ribalta.core.handover.timecodes import caption_time, frames_of, timecode_of
from ribalta.core.ports.as_run import Aired, AsRunLine

FORM = 2
COLUMNS = (
    *("number", "time", "timecode", "kind", "camera", "framing", "words", "transition", "transition_s", "length_s"),
    *("landed", "held_s", "forced", "off_percent", "by", "desk", "of"),
)
SHORT_CHAPTER_S = 10  # video sites refuse shorter ones


def rows_of(evening: Evening, utc_offset_s: float) -> Iterator[dict[str, Any]]:
    """A row each, in the order of `COLUMNS`; times of day are `utc_offset_s` ahead of UTC."""
    said = corrected(evening.lines)
    zone = timezone(timedelta(seconds=utc_offset_s))
    for line in evening.lines:
        landing = line.landing
        yield {
            "number": line.number,
            "time": datetime.fromtimestamp(line.wall_s, zone).isoformat(timespec="milliseconds"),
            "timecode": _timecode(evening, line),
            "kind": str(line.kind),
            "camera": line.camera or None,
            "framing": line.framing or None,
            "words": said.get(line.number, line.words),
            "transition": line.transition or None,
            "transition_s": line.transition_s if line.kind is Aired.SHOT else None,
            "length_s": evening.lengths_s.get(line.number),
            "landed": landing.landed if landing is not None else None,
            "held_s": landing.held_s if landing is not None else None,
            "forced": landing.forced if landing is not None else None,
            "off_percent": landing.error_percent if landing is not None else None,
            "by": line.by or None,
            "desk": line.desk or None,
            "of": line.of or None,
        }


def _timecode(evening: Evening, line: AsRunLine) -> str | None:
    """In the recording that ran then."""
    for recorded in evening.recorded:
        frame = nearest_frame(line.wall_s - recorded.wall_s, recorded.rate)
        if 0 <= frame < recorded.frames:
            return timecode_of(frames_of(recorded.timecode, recorded.rate) + frame, recorded.rate)
    return None


def as_csv(evening: Evening, utc_offset_s: float) -> str:
    """With a first line of names. What a program for tables could take for a formula is kept from being one."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, lineterminator="\r\n")
    writer.writeheader()
    for row in rows_of(evening, utc_offset_s):
        writer.writerow({name: _harmless(value) for name, value in row.items()})
    return out.getvalue()


def _harmless(value: Any) -> Any:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"'{value}" if isinstance(value, str) and value[:1] in ("=", "+", "-", "@", "\t", "\r") else value


def as_json(evening: Evening, utc_offset_s: float) -> str:
    """See `SCHEMA`."""
    whole = {
        "ribalta": "as-run",
        "version": FORM,
        "show": evening.title,
        "lines": list(rows_of(evening, utc_offset_s)),
        "recordings": [_recording(recorded) for recorded in evening.recorded],
    }
    return json.dumps(whole, ensure_ascii=False, indent=1) + "\n"


def _recording(recorded: Recorded) -> Mapping[str, Any]:
    return {
        "files": dict(recorded.files),
        "timecode": recorded.timecode,
        "rate": str(recorded.rate),
        "frames": recorded.frames,
        "markers": [asdict(marked) for marked in recorded.markers],
    }


def _or_null(kind: str, **more: Any) -> Mapping[str, Any]:
    return {"type": [kind, "null"], **more}


_LINE: Mapping[str, Any] = {
    "number": {"type": "integer", "minimum": 1},
    "time": {"type": "string", "format": "date-time"},
    "timecode": _or_null("string", pattern=r"^\d\d:\d\d:\d\d[:;]\d\d$"),
    "kind": {"enum": [str(kind) for kind in Aired]},
    "camera": _or_null("integer", minimum=1),
    "framing": _or_null("string"),
    "words": {"type": "string"},
    "transition": _or_null("string"),
    "transition_s": _or_null("number", minimum=0),
    "length_s": _or_null("number", minimum=0),
    "landed": _or_null("boolean"),
    "held_s": _or_null("number", minimum=0),
    "forced": _or_null("boolean"),
    "off_percent": _or_null("number", minimum=0),
    "by": _or_null("string"),
    "desk": _or_null("string"),
    "of": _or_null("integer", minimum=1),
}
SCHEMA: Mapping[str, Any] = {
    "$schema": "https://json-schema.org/draft/2020-12/schema",
    "title": "As-run log of a show",
    "type": "object",
    "required": ["ribalta", "version", "show", "lines", "recordings"],
    "properties": {
        "ribalta": {"const": "as-run"},
        "version": {"const": FORM},
        "show": {"type": "string"},
        "lines": {
            "type": "array",
            "items": {"type": "object", "required": list(COLUMNS), "properties": _LINE, "additionalProperties": False},
        },
        "recordings": {
            "type": "array",
            "items": {"type": "object", "required": ["files", "timecode", "rate", "frames", "markers"]},
        },
    },
}


def chapters(recorded: Recorded) -> list[tuple[int, str]]:
    """Where each begins, in frames, and its name: markers, or where there are none, shots; none shorter than ten
    seconds, the first at the beginning."""
    marked = [(m.frame, m.words) for m in recorded.markers] or [(p.begin, p.words) for p in recorded.pieces]
    found: list[tuple[int, str]] = [(0, recorded.pieces[0].words if recorded.pieces else "Beginning")]
    short = SHORT_CHAPTER_S * recorded.rate
    for frame, words in marked:
        if frame - found[-1][0] >= short and recorded.frames - frame >= short:
            found.append((frame, words))
    return found


def chapters_vtt(recorded: Recorded) -> str:
    """The same as captions of the kind that players show as chapters (WebVTT)."""
    begun = chapters(recorded)
    ends = [*(frame for frame, _ in begun[1:]), recorded.frames]
    return _captions(((begin, end, words) for (begin, words), end in zip(begun, ends, strict=True)), recorded.rate)


def chapters_list(recorded: Recorded) -> str:
    """A line each, as video sites take them in a description: minutes and seconds, and the name."""
    lines = []
    for frame, words in chapters(recorded):
        seconds = int(frame / recorded.rate)
        clock = f"{seconds // 60 % 60:02d}:{seconds % 60:02d}"
        lines.append(
            f"{seconds // 3600}:{clock} {words}" if recorded.frames >= 3600 * recorded.rate else f"{clock} {words}"
        )
    return "\n".join(lines) + "\n"


def titles_vtt(recorded: Recorded) -> str:
    """The words of titles, as long as each was on."""
    return _captions(iter(sorted(recorded.titles)), recorded.rate)


def _captions(cues: Iterator[tuple[int, int, str]], rate: Fraction) -> str:
    blocks = ["WEBVTT\n"]
    for number, (begin, end, words) in enumerate(cues, 1):
        escaped = words.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
        plain = " ".join(escaped.split()).replace("-->", "→")
        blocks.append(f"{number}\n{caption_time(begin, rate)} --> {caption_time(end, rate)}\n{plain}\n")
    return "\n".join(blocks)
