"""What tally, a playlist, voice follow and alarms make of an outcome; each of them fails by itself."""

from collections.abc import Callable

from ribalta.core.base.values import changed
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
    if outcome.state.automation.playlist is not None:
        outcome = _step(outcome, without_playlist, lambda o: _played(before, o, now_s), trouble)
    voiced = lambda o: o.then(lambda s: voice_follow.after_change(before, s, now_s))  # noqa: E731
    outcome = _step(outcome, without_voice, voiced, trouble)
    alarmed = lambda o: changed(o, state=triggers.with_alarm(before, o.state, now_s))  # noqa: E731
    return _step(outcome, deadlines.without_failing_alarms, alarmed, trouble)


def _step(
    outcome: Outcome,
    ended: Callable[[LiveState], SwitchedOff],
    work: Callable[[Outcome], Outcome],
    trouble: Trouble,
) -> Outcome:
    """With what something that runs by itself makes of it; if that fails, without that."""
    try:
        return work(outcome)
    except Exception as error:
        without = ended(outcome.state)
        trouble.failed(without.what, error, without.then)
        return changed(outcome, state=without.state)


def _played(before: LiveState, outcome: Outcome, now_s: float) -> Outcome:
    outcome = outcome.then(lambda s: playlist_runner.after_change(before, s, now_s))
    if outcome.state.show is not before.show:
        outcome = changed(outcome, state=playlist_runner.retimed(outcome.state))
    return outcome
