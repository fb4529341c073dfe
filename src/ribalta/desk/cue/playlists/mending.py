"""What a proposal for something late comes to, as a call."""

from pydantic import JsonValue

from ribalta.core.engine.views.playlist_outlook import Outlook
from ribalta.core.planning.mending import Mend
from ribalta.core.show.automation.calls import Call, Kind, named
from ribalta.core.show.automation.playlists import Entry, Unit
from ribalta.core.show.document.model import Show


def mending_call(show: Show, outlook: Outlook, mend: Mend) -> Call | None:
    """None when it cannot be done any more."""
    play = outlook.plays[mend.at]
    where: dict[str, JsonValue] = {"playlist": play.playlist_id, "at": play.place}
    if mend.kind == "longer":
        playlist = show.playlist(play.playlist_id)
        long = playlist.length_s(play.entry) if playlist is not None else play.entry.amount
        seconds = round(long + mend.seconds, 2)
        return Call(action="playlist.length", arguments=seconds_arguments(play.playlist_id, play.place, seconds))
    if mend.kind == "swap":
        return Call(action="playlist.move", arguments=where | {"by": 1})
    if mend.kind == "instead":
        made = play.entry.model_copy(update={"item": named(show, Kind.FRAMING, mend.framing_id)})
        entries: dict[str, JsonValue] = {"entries": [made.model_dump(mode="json")], "instead": True}
        return Call(action="playlist.add_entries", arguments=where | entries)
    cover_id = show.settings.cover_camera_id
    if cover_id is None:
        return None
    made = Entry(item=named(show, Kind.CAMERA, cover_id), amount=mend.seconds)
    return Call(action="playlist.add_entries", arguments=where | {"entries": [made.model_dump(mode="json")]})


def seconds_arguments(playlist_id: str, place: int, seconds: float) -> dict[str, JsonValue]:
    """The arguments of a new length in seconds."""
    return {"playlist": playlist_id, "at": place, "amount": seconds, "unit": str(Unit.SECONDS)}
