"""Documents of older schemas, made into this one's: one function a version, run in order.

A new version is one function more at the end of UPGRADES, and one show of the version before in `tests/golden`. Most
only add fields, whose defaults are in the model: then there is nothing to do but to say so.
"""

from collections.abc import Callable, Mapping
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


RENAMED_IN_6 = {
    "macro.go_on": "macro.continue",
    "macro.tape": "macro.record",
    "macro.put": "macro.add_steps",
    "macro.take_out": "macro.remove_step",
    "macro.twice": "macro.duplicate_step",
    "playlist.put": "playlist.add_entries",
    "playlist.take_out": "playlist.remove_entry",
    "take.over": "take.transition",
    "take.back": "unready",
    "take.let_go": "take.release",
    "row.name": "row.select",
    "framing.protect": "framing.lock",
    "camera.level": "camera.relevel",
    "medium.bring": "medium.add",
    "page.bring_in": "page.import",
    "shortcuts.bring_in": "shortcuts.import",
    "framings.bring_in": "framings.import",
    "transition.turn_back": "transition.reverse",
    "desk.protect": "desk.lock_framing",
}


def from_5(raw: Document) -> Document:
    """Actions were called by the field's words, wherever a call names one."""
    renamed = _renamed(raw, RENAMED_IN_6)
    assert isinstance(renamed, dict)
    return renamed


def _renamed(value: Any, names: Mapping[str, str]) -> Any:
    """The same, with every “action” that has another name now."""
    if isinstance(value, list):
        return [_renamed(part, names) for part in value]
    if not isinstance(value, dict):
        return value
    made = {key: _renamed(part, names) for key, part in value.items()}
    if isinstance(action := made.get("action"), str):
        made["action"] = names.get(action, action)
    return made


def from_6(raw: Document) -> Document:
    """What is looked at before doors, and the crew's lists, were added, with defaults."""
    return raw


FRAMES_UP_TO_7 = 25  # a second, in every show


def from_7(raw: Document) -> Document:
    """What lasts is in seconds, and not in frames, of which a second may have any number now; calls too."""
    made = in_seconds(raw)
    assert isinstance(made, dict)
    return made


def in_seconds(value: Any) -> Any:
    """What was counted in frames up to version 7, wherever it is in a document or a call."""
    if isinstance(value, list):
        return [in_seconds(part) for part in value]
    if not isinstance(value, dict):
        return value
    made = {key: in_seconds(part) for key, part in value.items()}
    for old, new in (("frames", "seconds"), ("fade_frames", "fade_s")):
        if isinstance(count := made.get(old), int | float) and not isinstance(count, bool):
            del made[old]
            made[new] = count / FRAMES_UP_TO_7
    if made.get("unit") == "frames" and isinstance(amount := made.get("amount"), int | float):
        made |= {"unit": "seconds", "amount": amount / FRAMES_UP_TO_7}
    return made


UPGRADES: tuple[Callable[[Document], Document], ...] = (from_1, from_2, from_3, from_4, from_5, from_6, from_7)
assert len(UPGRADES) == SCHEMA_VERSION - 1


def upgraded(raw: Document) -> Document:
    """A document of an older schema as this one has it; one of this schema or a newer one stays as it is."""
    version = raw.get("schema_version", 1)
    if not isinstance(version, int) or version >= SCHEMA_VERSION:
        return raw
    for upgrade in UPGRADES[max(1, version) - 1 :]:
        raw = upgrade(raw)
    return {**raw, "schema_version": SCHEMA_VERSION, "readable_from": READABLE_FROM}
