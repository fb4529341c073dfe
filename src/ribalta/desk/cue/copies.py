"""What the lists of Cue can do with several rows: which call removes one, what a copy of it is, how copies come in."""

from collections.abc import Callable
from typing import Any

from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.macros import Macro, Path, step_at
from ribalta.core.show.automation.playlists import Playlist
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.part import Part
from ribalta.desk.bridge import Bridge
from ribalta.desk.widgets.lists.several import Several
from ribalta.desk.widgets.macro_steps import path_of


def _whole(found: Part | None, *fields: str) -> dict[str, Any] | None:
    """Those fields of it."""
    return found.model_dump(mode="json", include=set(fields)) if found is not None else None


def _added(action: str) -> Callable[[list[dict[str, Any]]], list[Call]]:
    return lambda rows: [Call(action=action, arguments=row) for row in rows]


def _named(bridge: Bridge, one: str, many: str, find: Callable[[Show, str], Part | None], *fields: str) -> Several:
    """Things with a name of their own, whose actions are called after them; `fields` are what makes one like it."""
    return Several(
        bridge,
        (one, many),
        lambda key: Call(action=f"{one}.remove", arguments={one: key}),
        lambda key: _whole(find(bridge.state.show, key), *fields),
        _added(f"{one}.add"),
    )


def of_macros(bridge: Bridge) -> Several:
    return _named(bridge, "macro", "macros", Show.macro, "name", "folder", "steps")


def of_playlists(bridge: Bridge) -> Several:
    return _named(bridge, "playlist", "playlists", Show.playlist, "name", "entries")


def of_triggers(bridge: Bridge) -> Several:
    fields = ("name", "enabled", "when", "only_if", "calls", "on_air_only", "once", "apart_s")
    return _named(bridge, "trigger", "triggers", Show.trigger, *fields)


def of_pages(bridge: Bridge) -> Several:
    return Several(
        bridge, ("page of pads", "pages of pads"), lambda key: Call(action="page.remove", arguments={"pads": key})
    )


def of_scenes(bridge: Bridge) -> Several:
    """By their numbers; what the desk itself lays over is none of them."""
    return Several(
        bridge,
        ("scene", "scenes"),
        lambda key: Call(action="scene.remove", arguments={"scene": int(key)}) if int(key) else None,
    )


def of_media(bridge: Bridge) -> Several:
    return Several(bridge, ("medium", "media"), lambda key: Call(action="medium.remove", arguments={"medium": key}))


def of_titles(bridge: Bridge) -> Several:
    return Several(
        bridge,
        ("title", "titles"),
        lambda key: Call(action="title.remove", arguments={"title": key}),
        lambda key: _title(bridge, key),
        _added("title.add"),
    )


def _title(bridge: Bridge, key: str) -> dict[str, Any] | None:
    title = bridge.state.show.titled(key)
    if title is None:
        return None
    return {"template": title.template, "name": title.name, "layer": title.layer, "fields": dict(title.fields)}


def of_steps(bridge: Bridge, macro: Callable[[], Macro | None], at: Callable[[], Path | None]) -> Several:
    """Of a macro; copies go in behind the step that is selected."""

    def remove(key: str) -> Call:
        shown = macro()
        return Call(
            action="macro.remove_step", arguments={"macro": shown.id if shown else "", "path": list(path_of(key))}
        )

    def copy(key: str) -> dict[str, Any] | None:
        shown = macro()
        return step_at(shown.steps, path_of(key)).model_dump(mode="json") if shown is not None else None

    def paste(rows: list[dict[str, Any]]) -> list[Call]:
        shown, path = macro(), at()
        if shown is None:
            return []
        behind = (*path[:-1], path[-1] + 1) if path is not None else (len(shown.steps),)
        return [Call(action="macro.add_steps", arguments={"macro": shown.id, "path": list(behind), "steps": rows})]

    return Several(bridge, ("step", "steps"), remove, copy, paste)


def of_entries(bridge: Bridge, playlist: Callable[[], Playlist | None], at: Callable[[], int | None]) -> Several:
    """Of a playlist; copies go in behind the entry that is selected."""

    def remove(key: str) -> Call:
        shown = playlist()
        return Call(action="playlist.remove_entry", arguments={"playlist": shown.id if shown else "", "at": int(key)})

    def copy(key: str) -> dict[str, Any] | None:
        shown = playlist()
        return shown.entries[int(key)].model_dump(mode="json") if shown is not None else None

    def paste(rows: list[dict[str, Any]]) -> list[Call]:
        shown, place = playlist(), at()
        if shown is None:
            return []
        behind = place + 1 if place is not None else len(shown.entries)
        return [Call(action="playlist.add_entries", arguments={"playlist": shown.id, "at": behind, "entries": rows})]

    return Several(bridge, ("entry", "entries"), remove, copy, paste)


def of_faders(bridge: Bridge) -> Several:
    return Several(bridge, ("fader", "faders"), lambda key: Call(action="fader.remove", arguments={"fader": key}))
