"""Small values that the live state is made of."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from types import MappingProxyType

from ribalta.core.base.aim import STILL, Aim


@dataclass(frozen=True, slots=True)
class Shot:
    """A camera at a framing, or as it stands when `framing_id` is None."""

    camera_id: str
    framing_id: str | None = None


class LandingState(StrEnum):
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
        return math.hypot(self.right_percent, self.down_percent)


@dataclass(frozen=True, slots=True)
class CameraLive:
    """What is known of one camera now. Aims are what it reported; `goal` is what it was asked for.

    `still_since_s` is the time of the first report of an unbroken run that shows it standing still.
    `trim` is the correction of this visit to the framing that it was sent to.
    `asked_from` is where it stood still when it was asked, until that move has taught something; else None.
    `trouble` is why its line is not open; `no_position`: it answers, but will not say where it stands.
    A camera that goes to its own memories is at `left_framing_id` until it leaves, and counts as arrived from
    `expected_s` on. `due_s` is when a move in a given time is to arrive. `hand` moved it last; pushes and presses that
    were `overruled` by another hand have no effect until they are let go.
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
    settings: Mapping[str, SettingLive] = field(default_factory=lambda: MappingProxyType({}))


@dataclass(frozen=True, slots=True)
class HeldTake:
    """A take that waits until the camera of Next is set. `frames` 0 is a cut."""

    shot: Shot
    frames: int
    since_s: float


@dataclass(frozen=True, slots=True)
class Mixing:
    """A mix on its way; both shots are on air until `ends_s`."""

    before: Shot
    after: Shot
    frames: int
    started_s: float
    ends_s: float


@dataclass(frozen=True, slots=True)
class LandingRecord:
    """One line of the as-run log. `error_percent` is None for a shot as it stands; times are clock seconds."""

    at_s: float
    shot: Shot
    camera_number: int
    framing_name: str | None
    frames: int
    landed: bool
    error_percent: float | None
    held_s: float
    forced: bool
    trimmed: bool
