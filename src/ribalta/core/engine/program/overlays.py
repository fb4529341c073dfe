"""What lies over program: insets, a key and titles, on or off now or with the next take. Tally follows it."""

from dataclasses import replace
from types import MappingProxyType

from ribalta.core.engine.program.landing import NEVER_S
from ribalta.core.engine.state.action import Outcome
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import NO_OVERLAYS, Layer, OverlayFade, Overlays
from ribalta.core.show.document.model import Show

FADE_S = 0.32


def put(state: LiveState, slot: str, layer: Layer | None, now_s: float) -> LiveState:
    """Change what is on a slot now, on both sides of a running transition; it comes and goes as it is told to."""
    gone = state.program.overlays.on(slot)
    if gone == layer:
        return state
    shown = layer if layer is not None else gone
    assert shown is not None
    fading = {**state.program.fading, slot: OverlayFade(shown, layer is not None, now_s, lasting_s(state.show, shown))}
    if fading[slot].lasts_s == 0:
        del fading[slot]

    def changed(dress: Overlays) -> Overlays:
        return dress.with_(slot, layer)

    state = state.with_program(overlays=changed(state.program.overlays), fading=MappingProxyType(fading))
    change = state.program.in_transition
    if change is not None:
        before, after = changed(change.before_overlays), changed(change.after_overlays)
        state = state.with_program(in_transition=replace(change, before_overlays=before, after_overlays=after))
    return state


def lasting_s(show: Show, layer: Layer) -> float:
    """How long a layer takes to come or go."""
    title = show.titled(layer) if isinstance(layer, str) else None
    if title is None:
        return FADE_S
    return 0.0 if title.moves == "cut" else title.seconds


def with_next(state: LiveState, slot: str, layer: Layer | None) -> LiveState:
    """Let the next take change a slot too; asked for again, it does not."""
    pending = dict(state.program.pending)
    if slot in pending and pending[slot] == layer:
        del pending[slot]
    else:
        pending[slot] = layer
    return state.with_program(pending=MappingProxyType(pending))


def bared(state: LiveState) -> LiveState:
    """Everything off at once, on both sides of a running transition; a scene on air becomes its base."""
    change = state.program.in_transition
    if change is not None:
        change = replace(
            change,
            before=change.before.base,
            after=change.after.base,
            before_overlays=NO_OVERLAYS,
            after_overlays=NO_OVERLAYS,
            pending=(),
        )
    program = state.program.on_air.base if state.program.on_air is not None else None
    nothing: MappingProxyType[str, Layer | None] = MappingProxyType({})
    return state.with_program(
        on_air=program, overlays=NO_OVERLAYS, in_transition=change, pending=nothing, fading=MappingProxyType({})
    )


def due_s(state: LiveState) -> float:
    """When a layer has come or gone for good; infinite when none is on its way."""
    return min((f.started_s + f.lasts_s for f in state.program.fading.values()), default=NEVER_S)


def settle(state: LiveState, now_s: float) -> Outcome:
    """The state without fades that are over."""
    left = {slot: f for slot, f in state.program.fading.items() if f.started_s + f.lasts_s > now_s}
    return Outcome(state.with_program(fading=MappingProxyType(left)))
