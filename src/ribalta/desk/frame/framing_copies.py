"""What can be done with several framings at once: removed as one edit, copied, and put in again at free letters."""

from typing import Any

from ribalta.core.engine.actions import board
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.model import Framing
from ribalta.desk.bridge import Bridge
from ribalta.desk.widgets.lists.several import Several

FIELDS = {"name", "pan_deg", "tilt_deg", "zoom", "size", "rating", "picture"}


def place_of(bridge: Bridge, framing: Framing) -> dict[str, Any]:
    """The arguments by which an action means it."""
    camera = bridge.state.show.camera(framing.camera_id)
    assert camera is not None  # a framing has one
    return dict(board.place_of(camera, framing))


def of_framings(bridge: Bridge) -> Several:
    def remove(key: str) -> Call | None:
        framing = bridge.state.show.framing(key)
        return Call(action="framing.remove", arguments=place_of(bridge, framing)) if framing is not None else None

    def copy(key: str) -> dict[str, Any] | None:
        framing = bridge.state.show.framing(key)
        if framing is None:
            return None
        seen = [mark.name for mark in bridge.state.show.marks if mark.id in framing.mark_ids]
        named = {"camera": place_of(bridge, framing)["camera"], "marks": seen}
        return {**framing.model_dump(mode="json", include=FIELDS), **named}

    def paste(rows: list[dict[str, Any]]) -> list[Call]:
        return [Call(action="framings.import", arguments={"framings": rows})]

    return Several(bridge, ("framing", "framings"), remove, copy, paste)
