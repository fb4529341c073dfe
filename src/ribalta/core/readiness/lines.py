"""What would fail tonight, found before doors: lines of a check, each with what was measured and why it matters."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from ribalta.core.readiness.holding import FrameCost
from ribalta.core.sound.levels import Level


class Group(StrEnum):
    """What a line is about, in the order in which they are read."""

    CAMERAS = "Cameras"
    PICTURES = "Pictures"
    FRAMINGS = "Framings"
    CUES = "Cues"
    PLAYLISTS = "Playlists"
    TITLES = "Titles and media"
    SOUND = "Sound"
    MIX = "Transition and overlays"
    OUTPUTS = "Outputs"
    CONTROL = "Controllers and partners"
    MACHINE = "This machine"


class Rating(StrEnum):
    """How it is: `STOP` would be seen or heard by everyone, `LOOK` wants a look."""

    PASS = "pass"
    LOOK = "look at this"
    STOP = "stop"


WORST = (Rating.STOP, Rating.LOOK, Rating.PASS)


@dataclass(frozen=True, slots=True)
class Fix:
    """One press that mends it: an action and its arguments."""

    label: str
    action: str
    arguments: Mapping[str, object] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Line:
    """`key` is what kind of line it is, as “camera.answers”: a show may leave some out. `measured` is what was found,
    `why` why it matters. `view` and `page` are where it is changed."""

    group: Group
    key: str
    subject: str
    rating: Rating
    measured: str
    why: str = ""
    view: str = ""
    page: str = ""
    fix: Fix | None = None


@dataclass(frozen=True, slots=True)
class PictureLook:
    """A camera's picture over two seconds: its size in pixels, how bright it is and how much is in it (0 to 1, mean and
    deviation), whether anything in it changed, new frames a second, and its delay in seconds; None: nothing is known.
    """

    there: bool
    wide: int = 0
    tall: int = 0
    bright: float = 0.0
    detail: float = 0.0
    changed: bool = False
    rate: float = 0.0


@dataclass(frozen=True, slots=True)
class SoundLook:
    """A microphone over a few seconds: its loudest and quietest level, and why nothing comes, as a phrase."""

    level: Level
    quietest_db: float
    trouble: str = ""


@dataclass(frozen=True, slots=True)
class Mixed:
    """The sound of program over a few seconds: how much of it is mains hum (0 to 1), and microphones that hear exactly
    the same, by their ids."""

    hum: float = 0.0
    alike: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True, slots=True)
class OutputLook:
    """`folder_trouble` as a phrase, free room in minutes, what came of a second of test recording (a phrase, or
    nothing), why the stream's receiver is out of reach, and tally receivers and partners that are, each as a phrase."""

    folder: str = ""
    folder_trouble: str = ""
    room_minutes: float | None = None
    test_trouble: str = ""
    stream_trouble: str = ""
    out_of_reach: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class MachineLook:
    """Frames of program that were composed in so many seconds. `waits`: which share of the time that it wants a core
    this program waits for one, 0 to 1. What power it runs on ("mains", "battery" or ""), its battery in percent, and
    the year of its clock. `costs` are of a frame of program by its lines, on so many `cores`."""

    frames: int = 0
    seconds: float = 0.0
    waits: float = 0.0
    power: str = ""
    battery: float | None = None
    year: int = 0
    costs: Mapping[str, FrameCost] = field(default_factory=dict)
    cores: int = 1


@dataclass(frozen=True)
class Looked:
    """All that was measured. `checks` are by camera: what its own check found wrong, and None while it has no answer.
    `missing` are stored files and clips that are not there, by title or medium; `controls` those devices that are
    plugged in ("midi", "gamepad", or a port's name)."""

    pictures: Mapping[str, PictureLook] = field(default_factory=dict)
    checks: Mapping[str, Sequence[str] | None] = field(default_factory=dict)
    sound: Mapping[str, SoundLook] = field(default_factory=dict)
    mixed: Mixed = Mixed()
    outputs: OutputLook = OutputLook()
    machine: MachineLook = MachineLook()
    missing: Mapping[str, str] = field(default_factory=dict)
    controls: frozenset[str] = frozenset()
    ports: frozenset[str] = frozenset()
    now_s: float = 0.0  # seconds since 1970


def passed(group: Group, key: str, subject: str, measured: str) -> Line:
    """A line of which nothing has to be said."""
    return Line(group, key, subject, Rating.PASS, measured)


@dataclass(frozen=True, slots=True)
class Progress:
    """How a check stands: what is being looked at, and which share of it is over. `lines` are those of the last one
    that came to its end, `at_s` when that was (seconds since 1970, 0: never), and `edits` how often the show had been
    changed by then."""

    running: bool = False
    doing: str = ""
    share: float = 0.0
    lines: tuple[Line, ...] = ()
    at_s: float = 0.0
    edits: int = -1


def worst(lines: Iterable[Line]) -> Rating:
    """The worst rating of some lines; PASS for none."""
    found = {line.rating for line in lines}
    return next((rating for rating in WORST if rating in found), Rating.PASS)


def summary(lines: Iterable[Line]) -> str:
    """What it comes to, in a sentence."""
    ratings = [line.rating for line in lines]
    stops, looks = ratings.count(Rating.STOP), ratings.count(Rating.LOOK)
    if not ratings:
        return "There is nothing to check yet."
    if not stops and not looks:
        return f"All {len(ratings)} lines are well."
    parts = [f"{stops} would be seen by everyone"] if stops else []
    parts += [f"{looks} {'wants' if looks == 1 else 'want'} a look"] if looks else []
    return f"{' and '.join(parts)}; {ratings.count(Rating.PASS)} are well."
