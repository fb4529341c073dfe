"""What an ONVIF driver and its link say to each other: one JSON object a message.

The SOAP itself is left to a well-kept client library, which sits behind the link; so the driver stays a state machine
over bytes. Calls: {"id": n, "call": name, ...}. Answers: {"id": n, ...} or {"id": n, "error": phrase}.

Positions are in the generic spaces of the published PTZ specification: -1..1 across the travel of pan and of tilt,
and 0..1 of zoom.
"""

import json
import math
from dataclasses import dataclass
from typing import Any

from ribalta.core.base.aim import Aim
from ribalta.core.show.document.model import Head
from ribalta.core.show.document.settings import BY_ID

LONGEST = 65536


@dataclass(frozen=True, slots=True)
class Answer:
    """`error` is a phrase, None when the call went well."""

    id: int
    error: str | None
    fields: dict[str, Any]


def call(number: int, name: str, **fields: Any) -> bytes:
    """A call to the link, as JSON with a number that its answer repeats."""
    return json.dumps({"id": number, "call": name, **fields}).encode()


def read(data: bytes) -> Answer | None:
    """None for anything that is not an answer."""
    if len(data) > LONGEST:
        return None
    try:
        fields = json.loads(data)
    except (ValueError, RecursionError):
        return None
    if not isinstance(fields, dict) or not isinstance(fields.get("id"), int):
        return None
    error = fields.get("error")
    return Answer(fields["id"], error if isinstance(error, str) else None, fields)


def lamp_commands(said: object) -> tuple[str, str] | None:
    """Of a camera's auxiliary commands, those that light and darken its tally lamp; None when there is no such pair.

    The PTZ specification writes its own commands as "name|On" and "name|Off"; the names of others are the makers'.
    """
    commands = [c for c in said[:100] if isinstance(c, str)] if isinstance(said, list) else []
    for command in commands:
        name, bar, state = command.rpartition("|")
        if bar and state.lower() == "on" and "tally" in name.lower():
            off = next((c for c in commands if c.lower() == f"{name}|off".lower()), None)
            if off is not None:
                return command, off
    return None


def settings_of(said: object) -> list[tuple[str, str | int]]:
    """What a camera says of its settings, as (id, value) with the values that Ribalta's settings have: the link gives
    words, and shares from 0 to 1 of a range. What cannot be is left out."""
    found: list[tuple[str, str | int]] = []
    for name, value in said.items() if isinstance(said, dict) else ():
        setting = BY_ID.get(name)
        if setting is None:
            continue
        if setting.choices:
            found += [(name, value)] if value in setting.choices else []
        elif isinstance(value, int | float) and not isinstance(value, bool) and 0 <= value <= 1:
            found.append((name, round(setting.low + value * (setting.high - setting.low))))
    return found


def to_setting(name: str, value: str | int) -> str | float:
    """A value as the link takes it: a word, or the share of its range."""
    setting = BY_ID[name]
    return value if isinstance(value, str) else (value - setting.low) / (setting.high - setting.low)


def to_spaces(aim: Aim, head: Head) -> dict[str, float]:
    """An aim in degrees and zoom as generic x, y and z."""
    return {
        "x": _share(aim.pan_deg, head.pan_min_deg, head.pan_max_deg),
        "y": _share(aim.tilt_deg, head.tilt_min_deg, head.tilt_max_deg),
        "z": min(1.0, max(0.0, aim.zoom)),
    }


def by_spaces(pan_deg: float, tilt_deg: float, head: Head) -> dict[str, object]:
    """A turn by degrees as a generic translation."""
    return {
        "x": max(-1.0, min(1.0, 2 * pan_deg / (head.pan_max_deg - head.pan_min_deg))),
        "y": max(-1.0, min(1.0, 2 * tilt_deg / (head.tilt_max_deg - head.tilt_min_deg))),
        "z": 0.0,
    }


def from_spaces(fields: dict[str, Any], head: Head) -> Aim | None:
    """The aim in an answer's x, y and z; None when one of them is missing or no number."""
    values = [fields.get(name) for name in ("x", "y", "z")]
    if not all(isinstance(v, int | float) and math.isfinite(v) and abs(v) <= 2 for v in values):
        return None
    x, y, z = (float(v) for v in values if v is not None)
    pan = head.pan_min_deg + (x + 1) / 2 * (head.pan_max_deg - head.pan_min_deg)
    tilt = head.tilt_min_deg + (y + 1) / 2 * (head.tilt_max_deg - head.tilt_min_deg)
    return Aim(pan, tilt, min(1.0, max(0.0, z)))


def _share(value: float, low: float, high: float) -> float:
    return min(1.0, max(-1.0, (value - low) / (high - low) * 2 - 1))
