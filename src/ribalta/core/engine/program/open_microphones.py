"""Which microphones are open now, and how far: the faders, what is muted, and what follows the picture."""

from dataclasses import dataclass

from ribalta.core.engine.program.landing import parts
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.sound import LOWEST_DB, Microphone
from ribalta.core.sound.levels import gain_of


@dataclass(frozen=True, slots=True)
class Channel:
    """What the sound of program has to know of one microphone. `gain` is what is asked for; `own` is without muting
    and following, for headphones."""

    id: str
    address: str
    channel: int
    gain: float
    own: float
    solo: bool
    fade_s: float
    delay_s: float


def channels(state: LiveState) -> tuple[Channel, ...]:
    """Every microphone of the show with how far it is open now."""
    return tuple(_channel(state, mic) for mic in state.show.microphones)


def _channel(state: LiveState, mic: Microphone) -> Channel:
    strip = state.strip(mic.id)
    own = fader_gain(strip.gain_db)
    gain = own if is_open(state, mic) else 0.0
    return Channel(mic.id, mic.address, mic.channel, gain, own, strip.solo, mic.fade_s, mic.delay_s)


def fader_gain(db: float) -> float:
    """A fader at its lowest end is off."""
    return 0.0 if db <= LOWEST_DB else gain_of(db)


def is_open(state: LiveState, mic: Microphone) -> bool:
    """Is a microphone heard now: not muted, not for talking to guests, and in sight if it follows the picture?"""
    if state.strip(mic.id).muted or mic.id == state.show.sound.talkback_id:
        return False
    return not mic.follows or in_sight(state, mic)


def in_sight(state: LiveState, mic: Microphone) -> bool:
    """Is one of its cameras on air, or a framing that shows its mark?"""
    if any(state.on_air(camera_id) for camera_id in mic.camera_ids):
        return True
    shots = (state.program.on_air, *((state.program.in_transition.before,) if state.program.in_transition else ()))
    seen = [state.framing(part) for shot in shots if shot is not None for part in parts(state, shot)]
    return mic.mark_id is not None and any(f is not None and mic.mark_id in f.mark_ids for f in seen)


def with_strips(state: LiveState) -> Show:
    """The show with the faders as they stand, to be saved."""
    microphones = tuple(
        mic.model_copy(update={"gain_db": state.strip(mic.id).gain_db, "muted": state.strip(mic.id).muted})
        for mic in state.show.microphones
    )
    sound = state.show.sound.model_copy(
        update={"master_db": state.sound.master_db, "monitor_db": state.sound.monitor_db}
    )
    if microphones == state.show.microphones and sound == state.show.sound:
        return state.show
    return state.show.model_copy(update={"microphones": microphones, "sound": sound})
