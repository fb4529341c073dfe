"""Which media are on air, Next or under Then: what must be there without waiting."""

from collections.abc import Iterator

from ribalta.core.engine.state.live import LiveState, sources_of
from ribalta.core.ports.shots import Shot


def media_in_use(state: LiveState) -> frozenset[str]:
    """The ids of all media that are seen, are readied or wait, with those in scenes, insets and keys."""
    return frozenset(_media(state))


def _media(state: LiveState) -> Iterator[str]:
    change, held = state.program.in_transition, state.program.held
    shots = (
        state.program.on_air,
        state.program.next,
        *state.program.then,
        *((change.before, change.after) if change is not None else ()),
    )
    for shot in (*shots, held.shot if held is not None else None):
        if shot is not None:
            yield from _of_shot(state, shot)
    dresses = (state.program.overlays, *((change.before_overlays, change.after_overlays) if change is not None else ()))
    layers = [layer for dress in dresses for layer in dress.layers]
    layers += [*state.program.pending.values(), *(fade.layer for fade in state.program.fading.values())]
    yield from (s.medium_id for layer in layers for s in sources_of(layer) if s.medium_id is not None)
    if state.show.settings.card_id is not None:
        yield state.show.settings.card_id


def _of_shot(state: LiveState, shot: Shot) -> Iterator[str]:
    if shot.medium_id is not None:
        yield shot.medium_id
    scene = state.scene(shot)
    if scene is not None:
        yield from (source.medium_id for source in scene.sources if source.medium_id is not None)
