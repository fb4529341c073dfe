"""Where a conversation with a camera may stand, and what leads from one stage to another."""

from enum import Enum, auto


class Stage(Enum):
    """Where a conversation stands: nobody answers, whatever comes is too late to be told apart, or it goes on."""

    GREETING = auto()
    QUIET = auto()
    TALKING = auto()


class Happening(Enum):
    """What leads from one stage to another."""

    ANSWERED = auto()  # a greeting was
    UNANSWERED = auto()  # a message without a number was not, in time
    QUIET_OVER = auto()
    SILENCE = auto()
    RESTARTED = auto()  # the camera has lost count
