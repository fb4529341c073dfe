"""The manual of actions, made from the catalogue: what each does, its keys, its addresses, its arguments."""

import json
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.catalogue import CATALOGUE, Catalogue
from ribalta.core.engine.state.action import Action
from ribalta.core.engine.views.addresses import described
from ribalta.core.ports.guests import RANKS, Role
from ribalta.core.show.files.shortcut_file import ShortcutFile
from ribalta.remote.house.topics import ABOUT, SCHEMAS, topic

HEAD = """# Every action

Made from the catalogue by `ribalta manual`; do not edit. What is listed here is all that can be asked of Ribalta, and
everything that asks goes through it: keys, pads, macros, triggers, the palette (F5), OSC and HTTP.

- **OSC**: arguments in the order given here, or as text `name=value`. `/ribalta/ready/framing 2 W` readies camera 2
  on W.
- **HTTP**: `POST` to the address with a JSON object of arguments, or with a query. `GET /actions` lists all of this
  with JSON Schemas, `GET /state` says what is on air.
- From another machine a message carries the token: OSC and lines of text as `token=…`, HTTP as
  `Authorization: Bearer …`. The token is in Rig, under Messages.
"""


def manual(catalogue: Catalogue = CATALOGUE) -> str:
    """The whole page, as Markdown."""
    return "\n".join([HEAD, *_rows(catalogue)]) + "\n"


def _rows(catalogue: Catalogue) -> Iterator[str]:
    family = ""
    for row in sorted(catalogue.rows, key=lambda r: (r.id.split(".")[0], r.id)):
        if row.id.split(".")[0] != family:
            family = row.id.split(".")[0]
            yield f"## {family}\n"
        yield _row(row)


def _row(row: Action) -> str:
    said = described(row)
    sentence = row.sentence.replace("{", "*").replace("}", "*")
    lines = [f"### {row.id}\n", f"{sentence}.{' It changes the show.' if row.stores else ''}\n"]
    doc = (row.params.__doc__ or "").strip()
    if doc and row.params.model_fields and not doc.startswith("Typed arguments"):
        lines.append(" ".join(doc.split()) + "\n")
    keys = ", ".join(f"`{key}`" for key in row.every_key)
    lines.append(f"- OSC `{said['osc']}`, HTTP `{said['http']}`{f', keys {keys}' if keys else ''}")
    lines += [f"- `{name}`: {words}" for name, words in _arguments(said["arguments"])]
    return "\n".join(lines) + "\n"


def _arguments(schema: dict[str, Any]) -> Iterator[tuple[str, str]]:
    needed, definitions = schema.get("required", ()), schema.get("$defs", {})
    for name, part in schema.get("properties", {}).items():
        words = _kind(part, definitions)
        if name in needed:
            words += ", needed"
        elif part.get("default") not in (None, [], {}, ""):
            words += f", {_plain(part['default'])} if not said"
        note = part.get("description")
        yield name, f"{words}{f'; {note}' if note else ''}"


def _kind(part: dict[str, Any], definitions: dict[str, Any]) -> str:
    """A schema in a few words: “number, 1 to 99”."""
    if "anyOf" in part:
        return " or ".join(dict.fromkeys(_kind(p, definitions) for p in part["anyOf"] if p.get("type") != "null"))
    if "$ref" in part:
        name = part["$ref"].rpartition("/")[2]
        found = definitions.get(name, {})
        return _kind(found, definitions) if "enum" in found else f"an object ({name})"
    if "enum" in part or "const" in part:
        return ", ".join(f"`{value}`" for value in part.get("enum", [part.get("const")]))
    low = part.get("minimum", part.get("exclusiveMinimum"))
    high = part.get("maximum", part.get("exclusiveMaximum"))
    span = f", {_plain(low)} to {_plain(high)}" if low is not None and high is not None else ""
    words = {"integer": "whole number", "number": "number", "boolean": "true or false", "string": "text"}
    kind = str(part.get("type", "value"))
    if kind == "array":
        return f"a list of {_kind(part.get('items', {}), definitions)}"
    return words.get(kind, "an object" if kind == "object" else kind) + span


def _plain(value: object) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return f"{value:g}" if isinstance(value, float) else str(value)


def schemas(catalogue: Catalogue = CATALOGUE) -> str:
    """The arguments of every action as JSON Schema, an action a line."""
    rows = ",\n".join(json.dumps(described(row), sort_keys=True, separators=(",", ":")) for row in catalogue.rows)
    return f"[\n{rows}\n]\n"


def shortcuts_schema() -> str:
    """What a file of shortcuts is."""
    return json.dumps(ShortcutFile.model_json_schema(), indent=1, sort_keys=True) + "\n"


ROLES_HEAD = """# What guests may do

Made from the catalogue by `ribalta manual`; do not edit. Whoever asks, by a page or a station, meets these limits in
the show itself: a page only hides what is not allowed.

- A **watcher** sees and hears what the invitation says, and can ask for nothing.
- An **operator** does this with the cameras of the invitation, and with no others:
{operator}
- A **deputy** may do all that the director may, but for this:
{director}
- What a desk does for itself (its menus, its help, which view is in front) is done at a desk of one's own.
- Nobody but the director at the show's own machine opens the door, invites, or ends the evening; no macro, trigger or
  playlist does either.

| action | watcher | operator | deputy | director |
|---|---|---|---|---|
"""


def roles(catalogue: Catalogue = CATALOGUE) -> str:
    """Which role may do what, as Markdown."""

    def listed(role: Role) -> str:
        rows = (row for row in catalogue.rows if row.role is role)
        return "\n".join(f"  - {row.sentence.replace('{', '*').replace('}', '*')}" for row in rows)

    head = ROLES_HEAD.format(operator=listed(Role.OPERATOR), director=listed(Role.DIRECTOR))
    rows = sorted((row for row in catalogue.rows if row.role is not Role.DOOR), key=lambda row: row.id)
    return head + "".join(f"| `{row.id}` | {' | '.join(_may(row))} |\n" for row in rows)


def _may(row: Action) -> Iterator[str]:
    for role in (Role.WATCHER, Role.OPERATOR, Role.DEPUTY, Role.DIRECTOR):
        may = RANKS[role] >= RANKS[row.role] and (role is Role.DIRECTOR or not row.at_desk)
        yield "" if not may else "its cameras" if role is Role.OPERATOR else "yes"


TOPICS_HEAD = """# Topics of a broker

Made by `ribalta manual`; do not edit. `NAME` is the server's name in the house, which is typed in Rig, under House. All
but `event` are retained. Payloads are JSON; their schemas are in `topics.schema.json`.

| topic | what it says |
|---|---|
"""


def topics_page() -> str:
    """What a house's broker is told, as Markdown."""
    rows = (f"| `{topic('NAME', *name.split('/'))}` | {words} |\n" for name, words in ABOUT.items())
    return TOPICS_HEAD + "".join(rows)


def topics_schema() -> str:
    """The same as JSON Schema."""
    return json.dumps({topic("NAME", *n.split("/")): s for n, s in SCHEMAS.items()}, indent=1, sort_keys=True) + "\n"


FILES: dict[str, Callable[[], str]] = {
    "actions.md": manual,
    "actions.schema.json": schemas,
    "shortcuts.schema.json": shortcuts_schema,
    "what-guests-may-do.md": roles,
    "topics.md": topics_page,
    "topics.schema.json": topics_schema,
}


def write(folder: Path) -> None:
    """Every page that is made. Raises LocalFault when one cannot be written."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for name, make in FILES.items():
            (folder / name).write_text(make(), "utf-8")
    except OSError as error:
        raise LocalFault(f"The manual cannot be written to {folder}: {error.strerror or error}.") from None
