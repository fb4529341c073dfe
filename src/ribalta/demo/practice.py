"""Practice: any show on stand-ins that stand where its cameras do, and nothing that is real is reached."""

from typing import TYPE_CHECKING, Any

from ribalta.core.show.automation.triggers_pads_shortcuts import Wire

if TYPE_CHECKING:
    from ribalta.core.show.document.model import Camera, Show

WORD = "Practice"
NOWHERE = "practice"  # a MIDI port that no machine has


def rows_of(show: "Show") -> list[dict[str, Any]]:
    """Its cameras, as `standins/plans.py` reads them."""
    return [_row(camera) for camera in show.cameras]


def _row(camera: "Camera") -> dict[str, Any]:
    place, lens = camera.place, camera.lens
    row: dict[str, Any] = {
        "number": camera.number,
        "name": camera.name,
        "place": (place.x_m, place.y_m, place.z_m, place.heading_deg, place.tilt_deg, place.roll_deg),
        "hung": place.hung,
        "wide_deg": lens.hfov_deg(0.0),
        "tele_deg": lens.hfov_deg(1.0),
    }
    if camera.head is not None:
        axes = {"pan": camera.head.pan, "tilt": camera.head.tilt, "zoom": camera.head.zoom}
        row |= {name: (axis.speed, axis.acceleration) for name, axis in axes.items()}
    return row


def practised(show: "Show", announcement: dict[str, Any], folder: str) -> "Show":
    """The show with all that it reaches replaced by running stand-ins, or by nothing: cameras, microphones, message
    partners, tally and the stream. Recordings go into `folder`."""
    from ribalta.core.show.document.model import Control, PictureSource

    rows = {row["number"]: row for row in announcement["standins"]}
    cameras = []
    for camera in show.cameras:
        row = rows[camera.number]
        control = Control(host=row["host"], port=row["visca-ip"]) if "visca-ip" in row else None
        picture = PictureSource(name=row["picture"], delay_s=camera.picture.delay_s)
        cameras.append(camera.model_copy(update={"picture": picture, "control": control}))
    sound, partner = announcement["sound"], announcement["partner"]
    mics = tuple(
        mic.model_copy(update={"address": sound["address"], "channel": k % sound["channels"] + 1})
        for k, mic in enumerate(show.microphones)
    )
    destinations = tuple(
        d.model_copy(update={"host": NOWHERE})
        if d.wire is Wire.MIDI
        else d.model_copy(update={"host": partner["host"], "port": partner[str(d.wire)]})
        for d in show.destinations
    )
    outputs = show.outputs.model_copy(update={"stream_to": "", "tally": (), "folder": folder})
    changes = {"cameras": tuple(cameras), "microphones": mics, "destinations": destinations, "outputs": outputs}
    title = show.title if show.title.startswith(WORD) else f"{WORD}: {show.title}"[:80]
    return show.model_copy(update=changes | {"title": title})
