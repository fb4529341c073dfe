"""A stored call: an action with its arguments, and which items of the show they mean.

A call follows its items (a framing that moves keeps its key) or, with none named, the position (the key keeps its
place on the board). Items are named by kind and id, because ids are only distinct within a kind.
"""

from collections.abc import Mapping
from enum import StrEnum
from typing import Annotated, Any

from pydantic import Field, JsonValue

from ribalta.core.show.automation.lookup import Lookup
from ribalta.core.show.document.part import Part

LETTERS = "QWERTASDFG"


class Kind(StrEnum):
    """What an argument may refer to."""

    CAMERA = "camera"
    FRAMING = "framing"
    SCENE = "scene"
    MICROPHONE = "microphone"
    TITLE = "title"
    MEDIUM = "medium"
    MACRO = "macro"
    TRIGGER = "trigger"
    PAGE = "page"
    DESTINATION = "destination"
    PLAYLIST = "playlist"


BY_ID = {  # arguments that are ids themselves, whatever the action
    "title": Kind.TITLE,
    "medium": Kind.MEDIUM,
    "macro": Kind.MACRO,
    "trigger": Kind.TRIGGER,
    "pads": Kind.PAGE,
    "destination": Kind.DESTINATION,
    "playlist": Kind.PLAYLIST,
}


class Item(Part):
    """Something of the show that can be named. `called` is what it was called, for when it is no longer there."""

    kind: Kind
    id: Annotated[str, Field(min_length=1, max_length=80)]
    called: Annotated[str, Field(max_length=120)] = ""

    @property
    def key(self) -> tuple[Kind, str]:
        """Kind and id."""
        return self.kind, self.id


class Call(Part):
    """`items` are what its arguments mean, if it follows them; without, it follows the position."""

    action: Annotated[str, Field(min_length=1, max_length=80)]
    arguments: dict[str, JsonValue] = Field(default_factory=dict, max_length=40)
    items: tuple[Item, ...] = ()

    @property
    def follows(self) -> str:
        """ "item" when it refers to things wherever they are moved, "position" when it means places."""
        return "item" if self.items else "position"


class Broken(Exception):
    """What a call refers to is not there; the text is a phrase ("“Hands” was removed")."""


def find(show: Lookup, item: Item) -> Any | None:
    """The part of the show that an item is; None when it is no longer there."""
    return part_of(show, item.kind, item.id)


def part_of(show: Lookup, kind: Kind, part_id: str) -> Any | None:
    """The part of this kind that has this id, which may be any text."""
    match kind:
        case Kind.CAMERA:
            return show.camera(part_id)
        case Kind.FRAMING:
            return show.framing(part_id)
        case Kind.SCENE:
            return show.scene(part_id)
        case Kind.TITLE:
            return show.titled(part_id)
        case Kind.MEDIUM:
            return show.medium(part_id)
        case Kind.MICROPHONE:
            return next((m for m in show.microphones if m.id == part_id), None)
        case Kind.MACRO:
            return show.macro(part_id)
        case Kind.TRIGGER:
            return show.trigger(part_id)
        case Kind.PAGE:
            return show.page(part_id)
        case Kind.DESTINATION:
            return show.destination(part_id)
        case Kind.PLAYLIST:
            return show.playlist(part_id)


def named(show: Lookup, kind: Kind, item_id: str) -> Item:
    """An item as it is called now."""
    found = part_of(show, kind, item_id)
    return Item(kind=kind, id=item_id, called=str(getattr(found, "name", ""))[:120])


def lost(item: Item) -> str:
    """A phrase for something that is not there any more."""
    return f"{f'“{item.called}”' if item.called else f'the {item.kind}'} was removed"


def by_position(show: Lookup, arguments: Mapping[str, Any]) -> tuple[Item, ...]:
    """Which items the numbers and letters among the arguments mean now. Places that are empty mean none."""
    found = []
    camera = show.camera_numbered(arguments["camera"]) if isinstance(arguments.get("camera"), int) else None
    letter = arguments.get("letter")
    if camera is not None and isinstance(letter, str) and len(letter) == 1 and letter in LETTERS:
        page = arguments.get("page")
        slot = (page if isinstance(page, int) else 0) * len(LETTERS) + LETTERS.index(letter)
        framing = show.framing_at(camera.id, slot)
        if framing is not None:
            return (Item(kind=Kind.FRAMING, id=framing.id, called=f"{camera.number} {framing.name}"[:120]),)
    elif camera is not None:
        found.append(Item(kind=Kind.CAMERA, id=camera.id, called=camera.name))
    scene = show.scene_numbered(arguments["scene"]) if isinstance(arguments.get("scene"), int) else None
    if scene is not None:
        found.append(Item(kind=Kind.SCENE, id=scene.id, called=scene.name))
    mic = next((m for m in show.microphones if m.number == arguments.get("mic")), None)
    if mic is not None:
        found.append(Item(kind=Kind.MICROPHONE, id=mic.id, called=mic.name))
    return tuple(found)


def _by_id(show: Lookup, arguments: Mapping[str, Any]) -> tuple[Item, ...]:
    return tuple(
        named(show, kind, value) for name, kind in BY_ID.items() if isinstance(value := arguments.get(name), str)
    )


def following_items(show: Lookup, call: Call) -> Call:
    """The call tied to what it means now."""
    return call.model_copy(update={"items": by_position(show, arguments_of(show, call))})


def following_position(show: Lookup, call: Call) -> Call:
    """The call tied to the place where its items are now. Raises Broken when they are not there."""
    return call.model_copy(update={"items": (), "arguments": arguments_of(show, call)})


def arguments_of(show: Lookup, call: Call) -> dict[str, Any]:
    """The arguments with the numbers and letters that its items have now. Raises Broken."""
    arguments = dict(call.arguments)
    for item in call.items:
        found = find(show, item)
        if found is None:
            raise Broken(lost(item))
        match item.kind:
            case Kind.CAMERA:
                arguments["camera"] = found.number
            case Kind.SCENE:
                arguments["scene"] = found.number
            case Kind.MICROPHONE:
                arguments["mic"] = found.number
            case Kind.FRAMING:
                camera = show.camera(found.camera_id)
                if camera is None:
                    raise Broken(lost(item))
                arguments |= {"camera": camera.number, "letter": found.letter, "page": found.page}
            case _:
                pass
    return arguments


def items_of(show: Lookup, call: Call) -> tuple[Item, ...]:
    """Everything that a call refers to now, followed or by position."""
    return (*(call.items or by_position(show, call.arguments)), *_by_id(show, call.arguments))


def broken(show: Lookup, call: Call) -> str | None:
    """Why it cannot run, as a phrase; None when all that it refers to is there."""
    for item in (*call.items, *_by_id(show, call.arguments)):
        if find(show, item) is None:
            return lost(item)
    return None
