"""The as-run log: what went on air, when, from where, how it was taken and by whom, and whether it landed."""

from dataclasses import dataclass
from enum import StrEnum

from ribalta.core.base.frames import USUAL


class Aired(StrEnum):
    """What a line is about."""

    SHOT = "shot"
    FINISHED = "finished"  # a transition that was ended before its time, or by hand
    ON = "on"  # a title, an inset or the key, over the picture
    OFF = "off"
    WORDS = "words"  # a title that is on has other words
    BLACK = "black"
    CARD = "card"
    RECORDING = "recording"
    STREAM = "stream"
    FILES = "files"  # a recording's files have begun
    SOUND = "sound"  # how loud program was, now and then
    MARKER = "marker"
    CORRECTION = "correction"


@dataclass(frozen=True, slots=True)
class Landing:
    """How a shot landed: `held_s` is how long the take waited, `error_percent` of the frame's width is None for a shot
    as it stands. `lead_s` is how long before the take was asked for it had been readied; None: nobody saw that."""

    landed: bool
    error_percent: float | None
    held_s: float
    forced: bool
    trimmed: bool
    lead_s: float | None = None


@dataclass(frozen=True, slots=True)
class AsRunLine:
    """One line, which is never rewritten. `number` counts from 1; `at_s` is clock time, `wall_s` seconds since 1970.

    `camera_id` and `camera` (its number) are empty and 0 without one; `framing` is its name. `transition_s` and
    `transition` say how a shot came: 0 s is a cut. `by` is what asked, in words, and `desk` the number of the desk;
    `take` counts takes, from 1. `files` are those of a recording, by "program" or a camera's id, `timecode` that of
    their first frame, which was due at `at_s`, and `rate` how many come in a second. `of` is the number of the line
    that a correction is about; `framing_id` is that of its framing. `loudness` of sound is in LUFS, over three seconds.
    """

    number: int
    at_s: float
    wall_s: float
    kind: Aired
    words: str
    camera_id: str = ""
    camera: int = 0
    framing: str = ""
    transition_s: float = 0.0
    transition: str = ""
    landing: Landing | None = None
    by: str = ""
    desk: str = ""
    take: int = 0
    files: tuple[tuple[str, str], ...] = ()
    timecode: str = ""
    rate: str = str(USUAL)
    of: int = 0
    framing_id: str = ""
    loudness: float | None = None


# Reports, which are the first three, and events; the recording and the sound are both


@dataclass(frozen=True, slots=True)
class TakeShown:
    """The first frame of program's clock that has a take in it (`take` counts them, from 1), and when it was due."""

    take: int
    at_s: float


@dataclass(frozen=True, slots=True)
class RecordingBegan:
    """The files of a recording, by "program" or a camera's id; their first frame was due at `at_s`, and has a
    timecode (hours, minutes, seconds, frames). `rate` is how many come in a second, as a fraction."""

    files: tuple[tuple[str, str], ...]
    timecode: str
    at_s: float
    rate: str = str(USUAL)


@dataclass(frozen=True, slots=True)
class SoundHeard:
    """How loud program is, in LUFS over three seconds; told now and then while the show is on."""

    loudness: float


@dataclass(frozen=True, slots=True)
class MarkerSet:
    """Somebody marked this moment for later."""

    note: str


@dataclass(frozen=True, slots=True)
class LineCorrected:
    """What is to be read for a line of the as-run log, which itself stays."""

    line: int
    words: str


@dataclass(frozen=True, slots=True)
class AsRunAdded:
    """The as-run log has another line."""

    line: AsRunLine
