"""How actions are called from outside: OSC and HTTP addresses and their arguments, derived from the catalogue."""

import types
import typing
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.catalogue import CATALOGUE, Catalogue
from ribalta.core.engine.state.action import Action

OSC_ROOT, HTTP_ROOT = "/ribalta", "/actions"


def osc_address(row: Action) -> str:
    """Where an action is asked for by OSC."""
    return f"{OSC_ROOT}/{row.id.replace('.', '/')}"


def http_address(row: Action) -> str:
    """Where an action is asked for by HTTP."""
    return f"{HTTP_ROOT}/{row.id}"


def by_osc(address: str, catalogue: Catalogue = CATALOGUE) -> Action | None:
    """The row of an OSC address; None when it is no address of an action."""
    if not address.startswith(OSC_ROOT + "/"):
        return None
    return catalogue.by_id.get(address.removeprefix(OSC_ROOT + "/").replace("/", "."))


def arguments_of(row: Action, given: Sequence[Any]) -> dict[str, Any]:
    """Arguments by name. They are given in the order of the manual, or as “name=value”; text becomes what is meant.

    Raises ActionRefused for more than there are.
    """
    names = [*row.params.model_fields]
    arguments: dict[str, Any] = {}
    place = 0
    for value in given:
        name, sign, rest = value.partition("=") if isinstance(value, str) else ("", "", "")
        if sign and name in row.params.model_fields:
            arguments[name] = _meant(row, name, rest)
        elif place < len(names):
            arguments[names[place]] = _meant(row, names[place], value)
            place += 1
        else:
            raise ActionRefused(f"{row.sentence}: at most {len(names)} arguments, not {len(given)}.")
    return arguments


def _meant(row: Action, name: str, value: Any) -> Any:
    """Numbers come as floats and switches as numbers from many senders; what was meant is in the row."""
    kinds = set(kinds_of(row.params.model_fields[name].annotation))
    if isinstance(value, float) and int in kinds and float not in kinds and value.is_integer():
        value = int(value)
    if isinstance(value, int) and not isinstance(value, bool) and bool in kinds and int not in kinds:
        return value != 0
    if isinstance(value, str) and str not in kinds:
        if bool in kinds and value.lower() in ("on", "true", "1", "off", "false", "0"):
            return value.lower() in ("on", "true", "1")
        for kind in (int, float):
            if kind in kinds:
                try:
                    return kind(value)
                except ValueError:
                    continue
    return value


def kinds_of(annotation: Any) -> Iterator[type]:
    """The plain types that an annotation allows, without None."""
    origin = typing.get_origin(annotation)
    if origin in (typing.Union, types.UnionType):
        for part in typing.get_args(annotation):
            yield from kinds_of(part)
    elif origin is typing.Annotated:
        yield from kinds_of(typing.get_args(annotation)[0])
    elif isinstance(annotation, type):
        yield str if issubclass(annotation, str) else annotation


def described(row: Action) -> Mapping[str, Any]:
    """A row as others see it, with the JSON Schema of its arguments."""
    return {
        "id": row.id,
        "sentence": row.sentence,
        "osc": osc_address(row),
        "http": http_address(row),
        "keys": list(row.every_key),
        "changes_the_show": row.stores,
        "arguments": row.params.model_json_schema(),
    }
