"""Where each item of a show is used, and what is broken: one walk over everything that refers to something."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ribalta.core.show.automation.calls import Call, Item, Kind, broken, find, items_of, lost
from ribalta.core.show.automation.macros import Macro, Step, StepKind, items_in, walk
from ribalta.core.show.automation.playlists import Playlist
from ribalta.core.show.automation.triggers_pads_shortcuts import Pad, Page, Shortcut, Trigger

if TYPE_CHECKING:
    from ribalta.core.show.document.model import Show


@dataclass(frozen=True, slots=True)
class User:
    """Something that refers to items. `kind` is "macro", "trigger", "shortcut", "playlist", "pad" or "fader"; `id`
    finds it."""

    kind: str
    id: str
    name: str

    @property
    def words(self) -> str:
        """What it is called in a sentence."""
        return f"{self.kind} {self.name if self.kind == 'shortcut' else f'“{self.name}”'}"


def shortcut_id(shortcut: Shortcut) -> str:
    """A shortcut has no id: its place stands for one."""
    return "|".join(shortcut.place)


def users(show: "Show") -> Iterator[tuple[User, tuple[Item, ...], tuple[Call, ...]]]:
    """Everything that refers to something: who, the items it names itself, and the calls it runs."""
    for macro in show.macros:
        calls = tuple(step.call for _, step in walk(macro.steps) if step.call is not None)
        yield User("macro", macro.id, macro.name), tuple(items_in(macro.steps)), calls
    for trigger in show.triggers:
        asked = [c.item for c in trigger.only_if if c.item is not None]
        of = (trigger.when.item,) if trigger.when.item is not None else ()
        yield User("trigger", trigger.id, trigger.name), (*of, *asked), trigger.calls
    for shortcut in show.shortcuts:
        if shortcut.call is not None:
            name = shortcut.control.partition(" ")[2]
            yield User("shortcut", shortcut_id(shortcut), name), (), (shortcut.call,)
    for fader in show.faders:
        if fader.item is not None:
            yield User("fader", fader.id, fader.control.partition(" ")[2]), (fader.item,), ()
    for playlist in show.playlists:
        named = (i for e in playlist.entries for i in (e.item, e.mic, *e.choices) if i is not None)
        yield User("playlist", playlist.id, playlist.name), tuple(named), ()
    for page in show.pages:
        for pad in page.pads:
            calls = tuple(call for call in (pad.call, pad.long_call) if call is not None)
            name = pad.label or f"{page.name} {pad.at + 1}"
            yield User("pad", f"{page.id}:{pad.at}", name), (pad.picture,) if pad.picture else (), calls
    for step in (*show.opening, *show.closing):
        if step.call is not None:
            yield User("step", step.id, step.words), (), (step.call,)


def uses(show: "Show") -> Mapping[tuple[Kind, str], tuple[User, ...]]:
    """Who uses what, by kind and id."""
    return show.memo.of_whole("uses", lambda: _found(show))


def _found(show: "Show") -> Mapping[tuple[Kind, str], tuple[User, ...]]:
    found: dict[tuple[Kind, str], dict[User, None]] = {}
    for user, items, calls in users(show):
        for item in (*items, *(item for call in calls for item in items_of(show, call))):
            found.setdefault(item.key, {})[user] = None
    return {key: tuple(who) for key, who in found.items()}


def used_words(show: "Show", kind: Kind, item_id: str) -> str:
    """“Used by macro “Welcome” and pad “Ines”.”; empty when nothing uses it."""
    found = uses(show).get((kind, item_id), ())
    words = [user.words for user in found]
    if not words:
        return ""
    return f"Used by {' and '.join([', '.join(words[:-1]), words[-1]] if len(words) > 1 else words)}."


def faults(show: "Show") -> Mapping[tuple[str, str], str]:
    """What is broken, as a phrase, by the kind and id of its user."""
    return show.memo.of_whole("faults", lambda: _broken(show))


def _broken(show: "Show") -> Mapping[tuple[str, str], str]:
    found: dict[tuple[str, str], str] = {}
    for user, items, calls in users(show):
        for item in items:
            if find(show, item) is None:
                found.setdefault((user.kind, user.id), lost(item))
        for call in calls:
            said = broken(show, call)
            if said is not None:
                found.setdefault((user.kind, user.id), said)
    return found


def without_uses(show: "Show", item: Item) -> "Show":
    """The show with everything taken out that refers to an item: steps, triggers, shortcuts and pads."""

    def meant(call: Call | None) -> bool:
        return call is not None and any(i.key == item.key for i in items_of(show, call))

    def step_meant(step: Step) -> bool:
        of = step.item or (step.condition.item if step.condition is not None else None)
        runs = step.kind is StepKind.MACRO and (Kind.MACRO, step.macro) == item.key
        return meant(step.call) or runs or (of is not None and of.key == item.key)

    def cleaned(steps: tuple[Step, ...]) -> tuple[Step, ...]:
        kept = (s for s in steps if not step_meant(s))
        return tuple(
            s.model_copy(update={"steps": cleaned(s.steps), "otherwise": cleaned(s.otherwise)})
            if s.steps or s.otherwise
            else s
            for s in kept
        )

    def macro(one: Macro) -> Macro:
        return one.model_copy(update={"steps": cleaned(one.steps)})

    def trigger(one: Trigger) -> Trigger | None:
        asked = (one.when.item, *(c.item for c in one.only_if))
        if any(i is not None and i.key == item.key for i in asked):
            return None
        calls = tuple(c for c in one.calls if not meant(c))
        return one.model_copy(update={"calls": calls}) if calls or not one.calls else None

    def playlist(one: Playlist) -> Playlist:
        kept = []
        for entry in one.entries:
            if any(i is not None and i.key == item.key for i in (entry.item, entry.mic)):
                continue
            choices = tuple(i for i in entry.choices if i.key != item.key)
            if choices or not entry.choices:
                kept.append(entry.model_copy(update={"choices": choices}))
        return one.model_copy(update={"entries": tuple(kept)})

    def pad(one: Pad) -> Pad | None:
        changes = {name: None for name in ("call", "long_call") if meant(getattr(one, name))}
        if one.picture is not None and one.picture.key == item.key:
            changes["picture"] = None
        left = one.model_copy(update=changes)
        return left if left.call is not None or left.long_call is not None or not changes else None

    def page(one: Page) -> Page:
        return one.model_copy(update={"pads": tuple(p for p in map(pad, one.pads) if p is not None)})

    return show.model_copy(
        update={
            "macros": tuple(macro(m) for m in show.macros),
            "triggers": tuple(t for t in map(trigger, show.triggers) if t is not None),
            "shortcuts": tuple(s for s in show.shortcuts if not meant(s.call)),
            "faders": tuple(f for f in show.faders if f.item is None or f.item.key != item.key),
            "pages": tuple(page(p) for p in show.pages),
            "playlists": tuple(playlist(p) for p in show.playlists),
        }
    )
