"""What the people of a show are told and ask of the desk around it: the check, the lists, the end of an evening."""

from dataclasses import dataclass
from enum import StrEnum

# Reports


@dataclass(frozen=True, slots=True)
class CheckDone:
    """Everything was looked at: when (seconds since 1970), and how many lines would be seen by everyone, or want a
    look."""

    at_s: float
    stops: int
    looks: int


@dataclass(frozen=True, slots=True)
class EveningEnded:
    """Everything was closed down."""


# Events


@dataclass(frozen=True, slots=True)
class EndWanted:
    """The evening is to be ended, in order; `again`: only what failed the last time."""

    again: bool = False


# How the end of an evening goes


class Ending(StrEnum):
    """How far a part of it is."""

    WAITS = "waits"
    DOES = "under way"
    DONE = "done"
    FAILED = "failed"


@dataclass(frozen=True, slots=True)
class EndingStep:
    """`words` are what is ended, `said` what really happened, as a sentence without its full stop."""

    key: str
    words: str
    ending: Ending = Ending.WAITS
    said: str = ""


@dataclass(frozen=True, slots=True)
class EveningEnd:
    """The end of an evening, in order; no steps: it was not asked for yet. `at_s`: when it was over (since 1970)."""

    running: bool = False
    steps: tuple[EndingStep, ...] = ()
    at_s: float = 0.0

    @property
    def failed(self) -> tuple[EndingStep, ...]:
        """What can be tried again."""
        return tuple(step for step in self.steps if step.ending is Ending.FAILED)
