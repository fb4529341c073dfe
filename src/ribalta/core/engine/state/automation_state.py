"""What of macros, triggers and playlists is under way: small values that the live state is made of."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from types import MappingProxyType

from ribalta.core.base.values import replaced
from ribalta.core.planning.voice import NOBODY, Voices
from ribalta.core.ports.causes import BY_HAND, By, Cause
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.macros import Path, Step, StepKind
from ribalta.core.show.automation.playlists import Entry


@dataclass(frozen=True, slots=True)
class StepPosition:
    """A list of steps that a strand is in: the next one, how often the list is still to be gone through after this
    time (None: until it is stopped), and where the list is in its macro."""

    steps: tuple[Step, ...]
    path: Path = ()
    start: int = 0
    at: int = 0
    left: int | None = 0
    macro_id: str = ""


@dataclass(frozen=True, slots=True)
class Waiting:
    """What a strand waits for: a kind of step, or TOGETHER for the strands that it has begun. `takes` is how many
    there had been when the wait began."""

    kind: StepKind
    since_s: float
    until_s: float
    step: Step
    takes: int = 0


@dataclass(frozen=True, slots=True)
class Strand:
    """One line of steps of a run; its next step is due at `ready_s` if it waits for nothing."""

    id: int
    parent: int | None
    stack: tuple[StepPosition, ...]
    ready_s: float
    waiting: Waiting | None = None

    @property
    def step_path(self) -> tuple[str, Path]:
        """Where it is: the macro and the path of its last step."""
        top = self.stack[-1]
        return top.macro_id, (*top.path, top.start + max(0, top.at - 1))


@dataclass(frozen=True, slots=True)
class Run:
    """A macro that runs. `paused_s` is since when it is paused."""

    id: int
    macro_id: str
    name: str
    started_s: float
    cause: Cause
    strands: tuple[Strand, ...]
    paused_s: float | None = None
    made: int = 1

    def with_strand(self, strand: Strand) -> "Run":
        """The run with a strand in place of the one of the same id."""
        return replace(self, strands=replaced(self.strands, strand))


@dataclass(frozen=True, slots=True)
class Owner:
    """What asks for a call by itself, and is switched off when that fails: a macro's run, a trigger, a playlist."""

    by: By
    id: str


@dataclass(frozen=True, slots=True)
class Queued:
    """A call that is to run as soon as what led to it is done. `about` is the shot that it speaks of, if that is not
    what is on air. `spare_air`: it is only tried, and left out if it would change what is on air."""

    call: Call
    cause: Cause = BY_HAND
    owner: Owner | None = None
    about: Shot | None = None
    spare_air: bool = False


@dataclass(frozen=True, slots=True)
class Fired:
    """How a trigger has fared: when it fired last and how often, and why it did not when it last did not. `broken`: it
    failed, and does nothing until it is switched on again."""

    count: int = 0
    last_s: float | None = None
    why_not: str = ""
    why_not_s: float = 0.0
    recent: tuple[float, ...] = ()
    spent: bool = False
    broken: bool = False


@dataclass(frozen=True, slots=True)
class MacroRecording:
    """A macro that is being recorded: since when, with its waits or without, and what was done when."""

    name: str
    timed: bool
    since_s: float
    calls: tuple[tuple[float, Call], ...] = ()


@dataclass(frozen=True, slots=True)
class RoundEntry:
    """One entry of a round, where it stands (its playlist and its place there), and the shot that it is, if any.

    `outer` is the place in the playlist whose round it is: its own, or that of the playlist it came with."""

    playlist_id: str
    place: int
    entry: Entry
    shot: Shot | None = None
    outer: int = 0


@dataclass(frozen=True, slots=True)
class PlaylistState:
    """A playlist that runs. `at` is the entry that it is at, -1 before the first; `ends_s` when that is over.

    `asked`: its shot was taken and is not on air yet (it waits to be set). `readied` and `queued` are the shots that it
    has put under Next and Then. `paused_s`: since when it is paused; `aside_s`: since when it has stepped aside.
    """

    playlist_id: str
    name: str
    plays: tuple[RoundEntry, ...]
    seed: int
    at: int = -1
    since_s: float = 0.0
    ends_s: float = 0.0
    asked: bool = False
    readied: Shot | None = None
    queued: tuple[Shot, ...] = ()
    paused_s: float | None = None
    aside_s: float | None = None
    kept: bool = False
    round: int = 1

    @property
    def play(self) -> RoundEntry | None:
        """The entry that it is at; None before the first."""
        return self.plays[self.at] if 0 <= self.at < len(self.plays) else None

    def coming(self, count: int) -> tuple[RoundEntry, ...]:
        """The entries behind the one that it is at."""
        return self.plays[self.at + 1 : self.at + 1 + count]


class VoiceMode(StrEnum):
    """Whether voice follow takes by itself, only suggests (readies Next; the director takes), or is off."""

    OFF = "off"
    SUGGEST = "suggest"
    AUTOMATIC = "automatic"

    @classmethod
    def _missing_(cls, value: object) -> "VoiceMode | None":
        """As calls in older shows have it."""
        return {"propose": cls.SUGGEST, "by itself": cls.AUTOMATIC}.get(str(value))


@dataclass(frozen=True, slots=True)
class VoiceFollowState:
    """Voice follow as it is now. `mics` are microphones that are spoken into, whatever its mode, and `quiet` since when
    others no longer are. `shot` shows what is wanted, None when that is on air or cannot be had; `short` why
    it is not what was wanted. `readied` and `queued` are what it has put under Next and Then. `due_s` is when it looks
    again, `until_s` until when it leaves the desk to the director."""

    mode: VoiceMode = VoiceMode.OFF
    mics: frozenset[str] = frozenset()
    quiet: Mapping[str, float] = field(default_factory=lambda: MappingProxyType({}))
    voices: Voices = NOBODY
    shot: Shot | None = None
    short: str = ""
    readied: Shot | None = None
    queued: tuple[Shot, ...] = ()
    due_s: float = float("inf")
    until_s: float = 0.0


VOICE_FOLLOW_OFF = VoiceFollowState()
