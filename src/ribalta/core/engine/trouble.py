"""Mistakes of ours, told once and logged, while the show goes on."""

import logging
from collections.abc import Callable
from typing import TypeVar

from ribalta.core.engine.mishaps import mistake
from ribalta.core.ports.messages import Event, Notice, Severity

SAY_AGAIN_S, MOST_SAID = 10.0, 200
T = TypeVar("T")
_log = logging.getLogger(__name__)


class Trouble:
    """`events` gives the list that notices are put into, `now_s` the clock time."""

    def __init__(self, events: Callable[[], list[Event]], now_s: Callable[[], float]) -> None:
        self._events, self._now_s = events, now_s
        self._said: dict[str, float] = {}

    def failed(self, what: str, error: Exception, then: str) -> None:
        """Say it once, and not again for SAY_AGAIN_S, however often it fails; with all that is known of it in the log.

        `what` begins the sentence, `then` is a sentence of its own: what comes of it.
        """
        sentence, now_s = f"{what} met {mistake(error)}. {then}", self._now_s()
        if now_s - self._said.get(sentence, float("-inf")) < SAY_AGAIN_S:
            return
        if len(self._said) > MOST_SAID:
            self._said.clear()
        self._said[sentence] = now_s
        _log.error("%s", sentence, exc_info=error)
        self._events().append(Notice(sentence, Severity.FAULT))

    def beside(self, what: str, otherwise: T, work: Callable[[], T]) -> T:
        """What `work` gives, or if it fails `otherwise`: what only goes with an input must not stop it."""
        try:
            return work()
        except Exception as error:
            self.failed(what, error, "The show goes on.")
            return otherwise
