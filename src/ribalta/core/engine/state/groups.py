"""The groups that the live state is made of: whether one changed is whether it is another object."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from ribalta.core.engine.state.automation_state import Fired, MacroRecording, PlaylistState, Run
from ribalta.core.ports.shots import (
    NO_OVERLAYS,
    NOT_BLACK,
    FadeToBlack,
    HeldTake,
    LandingRecord,
    Layer,
    MarkAsked,
    MediumLive,
    OutputLive,
    OverlayFade,
    Overlays,
    Shot,
    StripLive,
    TransitionState,
)
from ribalta.core.show.automation.triggers_pads_shortcuts import Shortcut
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.scenes import Transition

VIEWS = ("Rig", "Frame", "Cue", "Check", "Air", "Wrap")  # that a desk may show


@dataclass(frozen=True)
class ProgramState:
    """What is on air since when, what is next, and what lies over it.

    `then` is the queue behind Next. `held` is a take that waits for its cameras. `overlays` lie over program's base;
    `pending` are slots that the next take changes too, to what (None: off); `fading` are those that come or go now.
    `transition` is what the next take will use, `in_transition` one that is under way; `black` and `card` hide program
    for everybody. `media` say, by medium, what of it is shown. `takes` counts takes, `records` says how they landed.
    """

    on_air: Shot | None = None
    since_s: float = 0.0
    next: Shot | None = None
    then: tuple[Shot, ...] = ()
    held: HeldTake | None = None
    in_transition: TransitionState | None = None
    overlays: Overlays = NO_OVERLAYS
    pending: Mapping[str, Layer | None] = field(default_factory=lambda: MappingProxyType({}))
    fading: Mapping[str, OverlayFade] = field(default_factory=lambda: MappingProxyType({}))
    transition: Transition = field(default_factory=Transition)
    black: FadeToBlack = NOT_BLACK
    card: bool = False
    media: Mapping[str, MediumLive] = field(default_factory=lambda: MappingProxyType({}))
    records: tuple[LandingRecord, ...] = ()
    takes: int = 0


@dataclass(frozen=True)
class SoundState:
    """`strips` are faders by microphone; one that is not in it stands where the show has it. `monitor_db` is how loudly
    it is listened to by headphones."""

    strips: Mapping[str, StripLive] = field(default_factory=lambda: MappingProxyType({}))
    master_db: float = 0.0
    monitor_db: float = 0.0


@dataclass(frozen=True)
class OutputsState:
    """`live`: by output, whether it is on. `room_minutes`: for how long the disk has room, None when nobody said."""

    live: Mapping[str, OutputLive] = field(default_factory=lambda: MappingProxyType({}))
    room_minutes: float | None = None


@dataclass(frozen=True)
class AutomationState:
    """What goes on by itself.

    `runs` are macros under way, `waiting_macros` those that wait for them, `playlist` one that runs, `recording` a
    macro that is being recorded. `fired` is how triggers have fared, by id; `were_set` the cameras that were set when
    triggers last looked. What waits on a time has come up to `times_done_s`, and comes next at `alarm_s` (clock time).
    `reserved` are marks that cameras are kept for, by camera; `asked` is the mark that was asked for last. `layers` are
    layers of shortcuts in force, the last one on top. `fader_bank` is the bank of faders under the hands, from 1, and
    `fader_fine` whether they move finely.
    """

    runs: tuple[Run, ...] = ()
    waiting_macros: tuple[tuple[str, int], ...] = ()
    playlist: PlaylistState | None = None
    recording: MacroRecording | None = None
    fired: Mapping[str, Fired] = field(default_factory=lambda: MappingProxyType({}))
    were_set: frozenset[str] = frozenset()
    times_done_s: float = 0.0
    alarm_s: float = float("inf")
    reserved: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    asked: MarkAsked | None = None
    layers: tuple[str, ...] = ()
    fader_bank: int = 1
    fader_fine: bool = False


@dataclass(frozen=True)
class DeskState:
    """`row` is the camera that letters refer to, or SCENE_ROW; `page` counts from 0; `view` is the one in front.
    `bank` is which nine cameras the number keys are, from 0; `numbered_at_s` when a number selected the row, if nothing
    was done with it since. `shortcuts` belong to this machine, whatever show is open. `id` is which desk's this is;
    empty: nobody's yet."""

    row: str | None = None
    page: int = 0
    view: str = "Air"
    shortcuts: tuple[Shortcut, ...] = ()
    id: str = ""
    bank: int = 0
    numbered_at_s: float | None = None


@dataclass(frozen=True)
class EditState:
    """`count` counts what people changed in the show. What is learned of cameras changes it too, but is no edit."""

    undo: tuple[Show, ...] = field(default=(), repr=False)
    redo: tuple[Show, ...] = field(default=(), repr=False)
    undo_words: tuple[str, ...] = ()  # what each was, as “stored “Hands””, in the same order
    redo_words: tuple[str, ...] = ()
    count: int = 0


@dataclass(frozen=True)
class CrewState:
    """What the crew did around the show: steps of its lists that were ticked by hand, and when (seconds since 1970);
    when everything was checked, and what came of it; how many takes there had been as the evening was ended.
    `practice`: no real device is reached."""

    ticked: Mapping[str, float] = field(default_factory=lambda: MappingProxyType({}))
    checked_at_s: float | None = None
    stops: int = 0
    looks: int = 0
    closed_takes: int | None = None
    practice: bool = False


@dataclass(frozen=True)
class WallClock:
    """Clock time plus `offset_s` is seconds since 1970; local time is `utc_offset_s` ahead of UTC."""

    offset_s: float = 0.0
    utc_offset_s: float = 0.0


@dataclass(frozen=True)
class RunState:
    """`count` is how many actions have run; `id` is the number of the one that runs now, 0 for none, `depth` how far it
    is behind what set it off, and `subject` the shot that it speaks of (None: what is on air)."""

    count: int = 0
    id: int = 0
    depth: int = 0
    subject: Shot | None = None
