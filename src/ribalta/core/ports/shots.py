"""Small values that the live state is made of."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from types import MappingProxyType

from ribalta.core.base.aim import STILL, Aim
from ribalta.core.show.document.scenes import SLOTS, Inset, Key, Transition


@dataclass(frozen=True, slots=True)
class Shot:
    """A camera at a framing, or as it stands when `framing_id` is None; a medium; or a scene.

    A scene's shot has its base in the other fields. Without a camera, `camera_id` is empty.
    """

    camera_id: str
    framing_id: str | None = None
    medium_id: str | None = None
    scene_id: str | None = None

    @property
    def base(self) -> "Shot":
        """What is below everything else."""
        return self if self.scene_id is None else Shot(self.camera_id, self.framing_id, self.medium_id)


class LandingState(StrEnum):
    """Where a shot stands between unknown and set."""

    SET = "set"
    TRAVELLING = "travelling"
    OFF = "off"
    NO_CONTACT = "no contact"


@dataclass(frozen=True, slots=True)
class SettingLive:
    """A setting as the camera reported it, and the value that was asked for until the two agree."""

    reported: str | int | None = None
    asked: str | int | None = None


@dataclass(frozen=True, slots=True)
class LineQuality:
    """A camera's line: questions in all, those without an answer, and how unevenly answers came lately (seconds)."""

    asked: int = 0
    unanswered: int = 0
    uneven_s: float = 0.0


@dataclass(frozen=True, slots=True)
class Hand:
    """What moves a camera by hand ("mouse", "keys", "gamepad"): which press or push of it, and when it last did."""

    name: str
    stroke: int
    at_s: float


class Judgement(StrEnum):
    """What comparing a stored picture with the live one came to."""

    HOLDS = "holds"
    OFF = "aim is off"
    CHANGED = "scene changed"
    UNCLEAR = "not comparable"


@dataclass(frozen=True, slots=True)
class Verdict:
    """Is a framing still true? See `core/picture/comparison.py` for the numbers; `at_s` is clock time.

    They say where the middle of the stored picture was in a picture taken at `looked`, which is the framing's own aim
    unless nothing of it could be seen from there.
    """

    judgement: Judgement
    right_percent: float
    down_percent: float
    turn_deg: float
    growth: float
    sure: float
    at_s: float
    looked: Aim

    @property
    def off_percent(self) -> float:
        """How far the picture is off, in percent of its width."""
        return math.hypot(self.right_percent, self.down_percent)


@dataclass(frozen=True)
class CameraLive:
    """What is known of one camera now. Aims are what it reported; `goal` is what it was asked for.

    `still_since_s` is the time of the first report of an unbroken run that shows it standing still.
    `trim` is the correction of this visit to the framing that it was sent to.
    `asked_from` is where it stood still when it was asked, until that move has taught something; else None.
    `trouble` is why its line is not open; `no_position`: it answers, but will not say where it stands.
    A camera that goes to its own memories is at `left_framing_id` until it leaves, and counts as arrived from
    `expected_s` on. `due_s` is when a move in a given time is to arrive. `hand` moved it last; pushes and presses that
    were `overruled` by another hand have no effect until they are let go. `moved_by` is the number of what sent it last
    (see `causes.py`); `was_lost`: it has been there before, and gone. `newest_s` is when the newest frame of a picture
    that is late was captured, None while frames come as they should; `late_s` is when that was told, and `seen_s` when
    the first frame came after the last time that a late picture kept it from being set.
    """

    answers: bool = False
    picture: bool = False
    aim: Aim | None = None
    velocity: Aim = STILL
    sampled_s: float = 0.0
    still_since_s: float | None = None
    goal: Aim | None = None
    goal_framing_id: str | None = None
    trim: Aim = STILL
    pace: float = 1.0
    asked_s: float = 0.0
    asked_travel_s: float = 0.0
    asked_from: Aim | None = None
    trouble: str | None = None
    no_position: bool = False
    round_trip_s: float | None = None
    line: LineQuality = LineQuality()
    heard_s: float = 0.0
    left_framing_id: str | None = None
    expected_s: float = 0.0
    due_s: float | None = None
    hand: Hand | None = None
    overruled: tuple[tuple[str, int], ...] = ()
    moved_by: int = 0
    was_lost: bool = False
    newest_s: float | None = None
    late_s: float = 0.0
    seen_s: float = 0.0
    settings: Mapping[str, SettingLive] = field(default_factory=lambda: MappingProxyType({}))


@dataclass(frozen=True, slots=True)
class HeldTake:
    """A take that waits until every camera of Next is set; `doing` is the number of what asked for it."""

    shot: Shot
    transition: Transition
    since_s: float
    run_id: int = 0


Layer = Inset | Key | str  # what is on a slot: a picture in the picture, a key, or the id of a title


@dataclass(frozen=True, slots=True)
class Overlays:
    """What lies over the base of a picture, by slot (see `show/document/scenes`); `by_scene` are slots that a scene
    brought, which leave with it."""

    layers: tuple[Layer | None, ...] = (None,) * len(SLOTS)
    by_scene: frozenset[str] = frozenset()

    def on(self, slot: str) -> Layer | None:
        """What is on a slot; None for nothing."""
        return self.layers[SLOTS.index(slot)]

    def with_(self, slot: str, layer: Layer | None, by_scene: bool = False) -> "Overlays":
        """With something else on a slot (None: nothing)."""
        k = SLOTS.index(slot)
        theirs = self.by_scene | {slot} if by_scene and layer is not None else self.by_scene - {slot}
        return Overlays((*self.layers[:k], layer, *self.layers[k + 1 :]), frozenset(theirs))

    @property
    def in_use(self) -> dict[str, Layer]:
        """What is there, from the lowest to the topmost."""
        return {slot: layer for slot, layer in zip(SLOTS, self.layers, strict=True) if layer is not None}


NO_OVERLAYS = Overlays()


@dataclass(frozen=True, slots=True)
class TransitionState:
    """A transition on its way; both pictures are on air until it ends.

    It is at `progress` (0 before, 1 after) at `at_s` and goes on by `direction` (1 on, -1 back, 0 it is moved by hand).
    A transition by hand that is back at 0 has not happened. `pending` is what was put down for this take.
    """

    before: Shot
    after: Shot
    before_overlays: Overlays
    after_overlays: Overlays
    transition: Transition
    started_s: float
    at_s: float
    progress: float = 0.0
    direction: int = 1
    pending: tuple[tuple[str, Layer | None], ...] = ()

    def progress_at(self, now_s: float) -> float:
        """How far it is, in time: 0 to 1, before easing."""
        gone = self.direction * (now_s - self.at_s) / self.transition.length_s
        return min(1.0, max(0.0, self.progress + gone))

    @property
    def ends_s(self) -> float:
        """When it is over if nothing is done; infinite by hand."""
        if self.direction == 0:
            return float("inf")
        left = 1 - self.progress if self.direction > 0 else self.progress
        return self.at_s + left * self.transition.length_s


@dataclass(frozen=True, slots=True)
class OverlayFade:
    """A layer that comes or goes by itself: which, since when, and for how long."""

    layer: Layer
    comes: bool
    started_s: float
    lasts_s: float


@dataclass(frozen=True, slots=True)
class FadeToBlack:
    """Program fades to black, or back from it: since when, for how long, and how dark it was then (0 to 1)."""

    black: bool
    started_s: float
    lasts_s: float
    start: float = 0.0

    def darkness_at(self, now_s: float) -> float:
        """How dark it is, 0 to 1."""
        gone = min(1.0, max(0.0, (now_s - self.started_s) / self.lasts_s)) if self.lasts_s else 1.0
        goal = 1.0 if self.black else 0.0
        return self.start + (goal - self.start) * gone


@dataclass(frozen=True, slots=True)
class StripLive:
    """A microphone's fader as it stands; `solo`: it is listened to alone."""

    gain_db: float = 0.0
    muted: bool = False
    solo: bool = False


@dataclass(frozen=True, slots=True)
class OutputLive:
    """Is a recording or stream wanted, since when; `trouble` is why it ended by itself, as a sentence."""

    on: bool = False
    since_s: float = 0.0
    trouble: str = ""


@dataclass(frozen=True, slots=True)
class MediumLive:
    """Which slide of a deck is turned to, from 0; since when a clip plays, and how long it is, if that is known."""

    slide: int = 0
    started_s: float | None = None
    length_s: float | None = None


@dataclass(frozen=True, slots=True)
class MarkAsked:
    """The mark that somebody asked for last, which of its framings that came to, from 0, and how many takes there had
    been by then."""

    mark_id: str
    place: int
    takes: int


NOT_BLACK = FadeToBlack(False, 0.0, 0.0)
VIRTUAL = "virtual camera"  # an output, beside "recording" and "stream"


@dataclass(frozen=True, slots=True)
class LandingRecord:
    """One line of the as-run log. `error_percent` is None for a shot as it stands; times are clock seconds.

    `camera_number` 0 is a shot without a camera; `framing_name` is the name of a scene or medium for those. `run_id` is
    the number of what asked for the take (see `causes.py`).
    """

    at_s: float
    shot: Shot
    camera_number: int
    framing_name: str | None
    transition_s: float
    landed: bool
    error_percent: float | None
    held_s: float
    forced: bool
    trimmed: bool
    run_id: int = 0
