"""Choosing a picture: every camera as it stands, every framing, all media, in one list."""

from ribalta.core.show.automation.calls import Item, Kind, find
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.scenes import Source
from ribalta.desk.widgets.fields import Choice

NOTHING = ""


def words_of(show: Show) -> dict[str, str]:
    """Value to words, cameras first; the value is what `arguments_of` takes apart."""
    found = {NOTHING: "–"}
    for camera in sorted(show.cameras, key=lambda c: c.number):
        found[f"c {camera.number}"] = f"{camera.number}  {camera.name}, as it stands"
        mine = sorted((f for f in show.framings if f.camera_id == camera.id), key=lambda f: f.slot)
        for f in mine:
            found[f"c {camera.number} {f.letter} {f.page}"] = f"{camera.number}{f.letter}  {f.name}"
    found |= {f"m {medium.id}": f"Medium: {medium.name}" for medium in show.media}
    return found


def value_of(show: Show, source: Source) -> str:
    if source.medium_id is not None:
        return f"m {source.medium_id}"
    camera, framing = show.camera(source.camera_id or ""), show.framing(source.framing_id or "")
    if camera is None:
        return NOTHING
    return f"c {camera.number} {framing.letter} {framing.page}" if framing is not None else f"c {camera.number}"


def arguments_of(value: str) -> dict[str, object]:
    """As actions name a picture; empty for nothing."""
    kind, _, rest = value.partition(" ")
    if kind == "m":
        return {"medium": rest}
    if kind != "c":
        return {}
    parts = rest.split()
    return {"camera": int(parts[0])} | ({"letter": parts[1], "page": int(parts[2])} if len(parts) > 1 else {})


def arguments_for(show: Show, item: Item) -> dict[str, object]:
    """An item as actions name a picture; empty for what is none."""
    part = find(show, item)
    if part is None:
        return {}
    match item.kind:
        case Kind.CAMERA:
            return {"camera": part.number}
        case Kind.FRAMING:
            camera = show.camera(part.camera_id)
            return {} if camera is None else {"camera": camera.number, "letter": part.letter, "page": part.page}
        case Kind.MEDIUM:
            return {"medium": part.id}
        case _:
            return {}


class SourceChoice(Choice):
    """Filled anew when the show changes."""

    _filled_for: Show | None = None

    def fill(self, show: Show, chosen: Source | None) -> None:
        if show is not self._filled_for and not self.view().isVisible():
            self._filled_for = show
            self.clear()
            for value, word in words_of(show).items():
                self.addItem(word, value)
        self.show_value(value_of(show, chosen) if chosen is not None else NOTHING)
