"""Tally beyond the desk: the lamps of the cameras themselves, and what others are told."""

from types import MappingProxyType

from ribalta.core.engine.state.action import Outcome
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Adjust
from ribalta.core.ports.shots import SettingLive

LAMP, LIT, OFF = "tally", "lit", "off"


def light(state: LiveState) -> Outcome:
    """Ask for the lamp of every camera that has one and is not as it should be."""
    if not state.show.outputs.tally_cameras:
        return Outcome(state)
    requests = []
    for camera in state.show.cameras:
        live = state.live(camera.id)
        if camera.head is None or LAMP not in camera.head.settings or not live.answers:
            continue
        now, wanted = live.settings.get(LAMP, SettingLive()), LIT if state.on_air(camera.id) else OFF
        known = now.asked if now.asked is not None else now.reported
        if wanted == (known if known is not None else OFF):
            continue
        settings = MappingProxyType({**live.settings, LAMP: SettingLive(now.reported, wanted)})
        state = state.with_live(camera.id, settings=settings)
        requests.append(Adjust(camera.id, LAMP, wanted))
    return Outcome(state, (), tuple(requests))


def rows(state: LiveState) -> tuple[tuple[int, str, bool, bool], ...]:
    """(number, name, on air, next) of each camera, in order."""
    return tuple(
        (camera.number, camera.name, state.on_air(camera.id), state.is_next(camera.id))
        for camera in sorted(state.show.cameras, key=lambda c: c.number)
    )
