"""How a layer over program is: on air, coming or going."""

from ribalta.core.engine.state.live import LiveState


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
