"""What a call does, in words: the action's sentence with what its arguments mean."""

import string
from collections.abc import Mapping
from typing import Any

from ribalta.core.engine.state.action import Action, Params
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.automation.calls import BY_ID, Kind, by_position, part_of

HIDDEN = ("hand", "stroke", "page", "users", "live")


def words_of(state: LiveState, row: Action, params: Params) -> str:
    """“Send camera 2 back to “Ines hands””: what the row's action does with these arguments."""
    if row.says is not None:
        said = row.says(state, params)
        if said:
            return said
    given = params.model_dump(mode="json", exclude_defaults=True)
    named = {name for _, name, _, _ in string.Formatter().parse(row.sentence) if name}
    meant = {name: _meaning(state, name, given, value) for name, value in given.items()}
    said = row.sentence.format_map(_Left({name: meant[name] for name in named & set(meant)}))
    rest = [_rest(name, value, meant[name]) for name, value in given.items() if name not in named | set(HIDDEN)]
    return f"{said} ({', '.join(rest)})" if rest else said


class _Left(dict[str, str]):
    def __missing__(self, key: str) -> str:
        return "…"


def _meaning(state: LiveState, name: str, given: Mapping[str, Any], value: Any) -> str:
    show = state.show
    if name == "letter":
        framing = next((i for i in by_position(show, given) if i.kind is Kind.FRAMING), None)
        return f"“{framing.called}”" if framing is not None else str(value)
    if name == "scene":
        scene = show.scene_numbered(value)
        return f"“{scene.name}”" if scene is not None else str(value)
    kind = BY_ID.get(name)
    if kind is not None and isinstance(value, str):
        found = part_of(show, kind, value) if value else None
        return f"“{found.name}”" if found is not None else "something that was removed"
    return _plain(value)


def _plain(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return f"{value:g}"
    if isinstance(value, list | tuple):
        return f"{len(value)}" if len(value) > 4 else " ".join(_plain(v) for v in value)
    return "…" if isinstance(value, dict) else str(value)[:60]


def _rest(name: str, value: Any, meaning: str) -> str:
    return meaning if name == "on" or name in BY_ID else f"{name.replace('_', ' ')} {meaning}"
