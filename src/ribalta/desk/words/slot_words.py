"""How a layer over program is: on air, coming or going, and whether a title is of another day."""

from datetime import datetime

from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.document.scenes import Title


def old(title: Title, wall_s: float) -> bool:
    """Was it last changed on another day than today? Such a title may be from the last show."""
    if title.changed_at_s is None:
        return True
    return datetime.fromtimestamp(title.changed_at_s).date() != datetime.fromtimestamp(wall_s).date()


def slot_state(state: LiveState, slot: str, layer: object) -> str:
    """Is a layer on air, coming or going with the next take?"""
    now = state.program.overlays.on(slot)
    there = now is not None and (now == layer or not isinstance(layer, str))
    if state.program.next is not None:
        coming = state.overlays_of(state.program.next).on(slot)
        comes = coming is not None and (coming == layer or not isinstance(layer, str))
        if there and not comes:
            return "goes"
        if comes and not there:
            return "next"
    elif slot in state.program.pending and not there and state.program.pending[slot] == layer:
        return "next"
    return "on" if there else ""
