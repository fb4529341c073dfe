"""What tally, a playlist, voice follow and alarms make of an outcome; each of them fails by itself."""

from collections.abc import Callable
from dataclasses import replace

from ribalta.core.engine import deadlines
from ribalta.core.engine.automation import playlist_runner, triggers
from ribalta.core.engine.mishaps import SwitchedOff, without_playlist, without_voice
from ribalta.core.engine.program.tally import light
from ribalta.core.engine.state.action import Outcome
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.trouble import Trouble
from ribalta.core.engine.voice import voice_follow


def with_followers(before: LiveState, outcome: Outcome, now_s: float, trouble: Trouble) -> Outcome:
    """An outcome with what all of them make of it."""
    if outcome.state.program is not before.program or outcome.state.show is not before.show:
        plain = outcome
        outcome = trouble.beside("Tally on the cameras", plain, lambda: plain.then(light))

    def step(o: Outcome, ended: Callable[[LiveState], SwitchedOff], work: Callable[[Outcome], Outcome]) -> Outcome:
        """With what something that runs by itself makes of it; if that fails, without that."""
        try:
            return work(o)
        except Exception as error:
            without = ended(o.state)
            trouble.failed(without.what, error, without.then)
            return replace(o, state=without.state)

    if outcome.state.automation.playlist is not None:
        outcome = step(outcome, without_playlist, lambda o: _played(before, o, now_s))
    voiced = lambda o: o.then(lambda s: voice_follow.after_change(before, s, now_s))  # noqa: E731
    outcome = step(outcome, without_voice, voiced)
    alarmed = lambda o: replace(o, state=triggers.with_alarm(before, o.state, now_s))  # noqa: E731
    return step(outcome, deadlines.without_failing_alarms, alarmed)


def _played(before: LiveState, outcome: Outcome, now_s: float) -> Outcome:
    outcome = outcome.then(lambda s: playlist_runner.after_change(before, s, now_s))
    if outcome.state.show is not before.show:
        outcome = replace(outcome, state=playlist_runner.retimed(outcome.state))
    return outcome
