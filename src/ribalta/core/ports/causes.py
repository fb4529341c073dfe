"""Why something ran: who or what asked, and what of that had been asked before."""

from dataclasses import dataclass
from enum import StrEnum


class By(StrEnum):
    """Who asks. HAND is a click or key of the desk's own; GUEST is somebody at another machine."""

    HAND = "hand"
    KEY = "key"
    GAMEPAD = "gamepad"
    PAD = "pad"
    MACRO = "macro"
    TRIGGER = "trigger"
    PLAYLIST = "playlist"
    VOICE = "voice follow"
    MIDI = "MIDI"
    OSC = "OSC"
    HTTP = "HTTP"
    GUEST = "guest"
    FADER = "fader"


PEOPLE = (By.HAND, By.KEY, By.GAMEPAD, By.PAD, By.MIDI, By.OSC, By.HTTP, By.GUEST, By.FADER)


@dataclass(frozen=True, slots=True)
class Cause:
    """`words` names it ("Space", "macro “Opening”, step 3"). `parent` is the number of what ran before it and led to
    it; `depth` is how many such there are. `desk` is the number of the desk that asked, empty when none did. `macro`
    and `step` are the id of the macro that asked and the path of its step. `guest` is the id of a guest that asked."""

    by: By = By.HAND
    words: str = ""
    parent: int | None = None
    depth: int = 0
    desk: str = ""
    macro: str = ""
    step: tuple[int, ...] = ()
    guest: str = ""

    def brief(self) -> list[str]:
        """For the journal: who asked, and at which desk."""
        whose = [self.desk, self.guest] if self.guest else [self.desk] if self.desk else []
        return [str(self.by), self.words, *whose]


BY_HAND = Cause()


@dataclass(frozen=True, slots=True)
class ActionRan:
    """One thing that ran. `refused` is the sentence with which it was turned down; `cameras` are those it moved."""

    number: int
    at_s: float
    cause: Cause
    action: str
    words: str
    refused: str = ""
    cameras: tuple[str, ...] = ()
    times: int = 1
