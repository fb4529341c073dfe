"""What a validator found, in words for people: which field, what it was given, what it has to be."""

import re
from collections.abc import Callable, Mapping
from typing import Any

from pydantic import ValidationError

LONGEST_SHOWN = 80
UNITS = {
    "m": "m", "deg": "degrees", "s": "seconds", "ms": "milliseconds", "db": "decibels", "percent": "%",
    "bpm": "beats a minute", "kbit": "kbit/s", "px": "pixels",
}  # fmt: skip


def _plain(number: object) -> str:
    return f"{number:g}" if isinstance(number, int | float) else str(number)


def _one_of(limits: Mapping[str, Any]) -> str:
    return f"has to be {str(limits['expected']).replace(' or ', ', or ', 1)}"


REASONS: dict[str, Callable[[Mapping[str, Any]], str]] = {
    "missing": lambda _: "is missing",
    "extra_forbidden": lambda _: "is not known here",
    "greater_than_equal": lambda of: f"has to be {_plain(of['ge'])} or more",
    "greater_than": lambda of: f"has to be more than {_plain(of['gt'])}",
    "less_than_equal": lambda of: f"has to be {_plain(of['le'])} or less",
    "less_than": lambda of: f"has to be less than {_plain(of['lt'])}",
    "finite_number": lambda _: "has to be a number that is not endless",
    "string_too_long": lambda of: f"has to be at most {of['max_length']} letters long",
    "string_too_short": lambda of: (
        "must not be empty" if of["min_length"] == 1 else f"needs {of['min_length']} letters"
    ),
    "string_pattern_mismatch": lambda _: "is not written as it has to be",
    "too_long": lambda of: f"has to be at most {of['max_length']} of them",
    "too_short": lambda of: f"needs {of['min_length']} of them at least",
    "enum": _one_of,
    "literal_error": _one_of,
    "multiple_of": lambda of: f"has to be a multiple of {_plain(of['multiple_of'])}",
    "int_from_float": lambda _: "has to be a whole number",
}
KINDS = {
    "int": "has to be a whole number",
    "float": "has to be a number",
    "decimal": "has to be a number",
    "string": "has to be text",
    "bool": "has to be on or off",
    "tuple": "has to be a list",
    "list": "has to be a list",
    "dict": "has to be a group of named values",
    "model": "has to be a group of named values",
}


def field_words(name: str) -> str:
    """“hfov_deg” as “hfov (degrees)”."""
    head, _, unit = name.rpartition("_")
    if head and unit in UNITS:
        return f"{head.replace('_', ' ')} ({UNITS[unit]})"
    return name.replace("_", " ")


def reason(error: Mapping[str, Any]) -> str:
    """One error of pydantic's as a phrase. What a check of ours says is said as it is."""
    kind, limits = str(error["type"]), error.get("ctx", {})
    if kind in ("value_error", "assertion_error"):
        return re.sub("^(Value error|Assertion failed), ", "", str(error["msg"]))
    if kind in REASONS:
        return REASONS[kind](limits)
    return KINDS.get(kind.split("_")[0], "cannot be that")


def why_not(error: ValidationError) -> str:
    """The first thing that is wrong, as a phrase."""
    first = error.errors()[0]
    where = ", ".join(field_words(part) if isinstance(part, str) else f"number {part + 1}" for part in first["loc"])
    if first["type"] in ("value_error", "assertion_error"):
        return f"{where}: {reason(first)}" if where else reason(first)
    if first["type"] == "missing":
        return f"{where} is missing"
    given = first["input"]
    text = str(given) if len(str(given)) <= LONGEST_SHOWN else f"{str(given)[:LONGEST_SHOWN]}…"
    said = f" “{text}”" if isinstance(given, str) else f" {text}" if isinstance(given, int | float) else ""
    return f"{where}{said} {reason(first)}".strip()
