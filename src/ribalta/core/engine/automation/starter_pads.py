"""A page of pads to begin with, for a controller of 8 by 4."""

from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.triggers_pads_shortcuts import Pad, Page, Surface

MOMENTS = (
    ("Take", "take"),
    ("Over", "take.transition"),
    ("Cover", "cover"),
    ("Back", "unready"),
    ("Clear", "clear"),
    ("Black", "black"),
    ("Card", "card"),
    ("Continue", "macro.continue"),
)


def page_of_32(state: LiveState, page_id: str, name: str = "32 pads") -> Page:
    """Three rows of the board's first eight framings of three steered cameras, and a row for takes and bad moments."""
    pads: list[Pad] = []
    steered = sorted((c for c in state.show.cameras if c.steered), key=lambda c: c.number)[:3]
    for row, camera in enumerate(steered):
        framings = sorted((f for f in state.show.framings if f.camera_id == camera.id), key=lambda f: f.slot)[:8]
        for column, framing in enumerate(framings):
            place = {"camera": camera.number, "letter": framing.letter, "page": framing.page}
            call = Call(action="ready.framing", arguments=dict(place))
            pads.append(Pad(at=8 * row + column, label=framing.name[:60], call=call))
    for column, (label, action) in enumerate(MOMENTS):
        pads.append(Pad(at=24 + column, label=label, call=Call(action=action)))
    return Page(id=page_id, name=name, columns=8, rows=4, pads=tuple(pads), surface=Surface())
