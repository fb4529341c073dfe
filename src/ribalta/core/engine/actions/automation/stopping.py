"""One key for when something runs that should not: macros, the playlist and voice follow stop; what is on air stays."""

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.automation import macro_runner, playlist_runner
from ribalta.core.engine.removing import listed
from ribalta.core.engine.state.action import Action, NoParams, Outcome
from ribalta.core.engine.state.automation_state import VoiceMode
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.voice import voice_follow
from ribalta.core.ports.messages import Notice


def runs(state: LiveState) -> tuple[str, ...]:
    """What runs by itself now, in words."""
    macros = tuple(f"macro “{run.name}”" for run in state.automation.runs)
    playing = state.automation.playlist
    playlist = (f"playlist “{playing.name}”",) if playing is not None else ()
    return (*macros, *playlist, *(("voice follow",) if state.voice.mode is VoiceMode.AUTOMATIC else ()))


def stop(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    running = runs(state)
    if not running:
        raise ActionRefused("Nothing runs by itself: no macro, no playlist, and voice follow does not cut.")
    outcome = Outcome(state)
    if state.automation.runs:
        outcome = macro_runner.stop(state, None)
    if outcome.state.automation.playlist is not None:
        outcome = outcome.then(playlist_runner.stop)
    if outcome.state.voice.mode is VoiceMode.AUTOMATIC:
        outcome = outcome.then(lambda s: Outcome(voice_follow.switched(s, VoiceMode.OFF, now_s)))
    return outcome.saying(Notice(f"Stopped: {listed(running)}."))


ACTIONS = (
    Action(
        "stop.running",
        "Stop what runs: macros, the playlist and voice follow",
        NoParams,
        stop,
        recordable=False,
        heeds_voices=True,
        chords={"F12": {}},
        also="panic halt",
    ),
)
