"""The demo's show as it ships with Ribalta, and that show on stand-ins that run."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from ribalta.core.show.document.model import Show

SHIPPED = Path(__file__).parent / "clay-cup.ribalta"
CONVERSATIONS = Path(__file__).with_name("conversations")
LIGHTS = "d1"  # its destination that is a stand-in, too


def connected(show: "Show", announcement: dict[str, Any]) -> "Show":
    """The show with its cameras at the addresses that running stand-ins announced, by camera number."""
    rows = {row["number"]: row for row in announcement["standins"]}
    cameras = []
    for camera in show.cameras:
        row = rows.get(camera.number)
        if row is not None:
            changes: dict[str, Any] = {"picture": camera.picture.model_copy(update={"name": row["picture"]})}
            if "visca-ip" in row and camera.control is not None:
                changes["control"] = camera.control.model_copy(update={"host": row["host"], "port": row["visca-ip"]})
            cameras.append(camera.model_copy(update=changes))
        else:
            cameras.append(camera)
    address = announcement.get("sound", {}).get("address", "")
    mics = tuple(m.model_copy(update={"address": address}) for m in show.microphones)
    partner = announcement.get("partner")
    destinations = show.destinations
    if partner is not None:
        there = {"host": partner["host"], "port": partner["osc"]}
        destinations = tuple(d.model_copy(update=there) if d.id == LIGHTS else d for d in destinations)
    changes = {"cameras": tuple(cameras), "microphones": mics, "destinations": destinations}
    return show.model_copy(update=changes)
