"""Documents of older schemas, made into this one's: one function a version, run in order.

A new version is one function more at the end of UPGRADES, and one show of the version before in `tests/golden`. Most
only add fields, whose defaults are in the model: then there is nothing to do but to say so.
"""

from collections.abc import Callable
from typing import Any

from ribalta.core.show.document.model import READABLE_FROM, SCHEMA_VERSION

Document = dict[str, Any]


def from_1(raw: Document) -> Document:
    """Control protocols, kinds of pictures and what is measured were added, all with defaults."""
    return raw


def from_2(raw: Document) -> Document:
    """What a framing is about (marks, age, rating, kept settings) and furniture were added, all with defaults."""
    return raw


def from_3(raw: Document) -> Document:
    """Scenes, titles and media; the length of a mix became the show's normal transition."""
    settings = raw.get("settings")
    if not isinstance(settings, dict) or "mix_frames" not in settings:
        return raw
    rest = {name: value for name, value in settings.items() if name != "mix_frames"}
    return {**raw, "settings": {**rest, "normal": {"kind": "mix", "frames": settings["mix_frames"]}}}


def from_4(raw: Document) -> Document:
    """Macros, triggers, shortcuts, pads and messages were added, all with defaults."""
    return raw


UPGRADES: tuple[Callable[[Document], Document], ...] = (from_1, from_2, from_3, from_4)
assert len(UPGRADES) == SCHEMA_VERSION - 1


def upgraded(raw: Document) -> Document:
    """A document of an older schema as this one has it; one of this schema or a newer one stays as it is."""
    version = raw.get("schema_version", 1)
    if not isinstance(version, int) or version >= SCHEMA_VERSION:
        return raw
    for upgrade in UPGRADES[max(1, version) - 1 :]:
        raw = upgrade(raw)
    return {**raw, "schema_version": SCHEMA_VERSION, "readable_from": READABLE_FROM}
