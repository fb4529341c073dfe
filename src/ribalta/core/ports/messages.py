"""What comes into the engine besides actions (reports), and what goes out of it (requests and events)."""

from dataclasses import dataclass
from enum import StrEnum
from typing import get_args

from ribalta.core.base.aim import Aim
from ribalta.core.base.faults import NextStep
from ribalta.core.ports.as_run import (
    AsRunAdded,
    LineCorrected,
    MarkerSet,
    RecordingBegan,
    SoundHeard,
    TakeShown,
)
from ribalta.core.ports.causes import ActionRan
from ribalta.core.ports.crew import CheckDone, EndWanted, EveningEnded
from ribalta.core.ports.saving import CopySaved, SaveWanted
from ribalta.core.ports.shots import LandingRecord, Shot
from ribalta.core.show.automation.faders import Coding
from ribalta.core.show.automation.triggers_pads_shortcuts import Destination, Shortcut

# Reports: what devices and pictures said.


@dataclass(frozen=True, slots=True)
class Position:
    """A camera reported where it stands; `sampled_s` is the best guess of when it stood there."""

    camera_id: str
    aim: Aim
    sampled_s: float


@dataclass(frozen=True, slots=True)
class Contact:
    """A steered camera began or ceased to answer."""

    camera_id: str
    answers: bool


@dataclass(frozen=True, slots=True)
class PicturePresence:
    """A camera's picture began or ceased to arrive."""

    camera_id: str
    arrives: bool


@dataclass(frozen=True, slots=True)
class PictureStalled:
    """A camera's picture is late: its newest frame was captured at `captured_s`. None: new ones come again."""

    camera_id: str
    captured_s: float | None


@dataclass(frozen=True, slots=True)
class DeviceRefused:
    """A device answered with an error; `sentence` says what it would not do."""

    camera_id: str
    sentence: str


@dataclass(frozen=True, slots=True)
class LineMeasured:
    """How a camera has answered since the last of these: seconds from asking to answer, the mean and how far from it
    they are on the mean; how many questions were asked, and how many of them got no answer in time."""

    camera_id: str
    round_trip_s: float
    at_s: float
    uneven_s: float = 0.0
    asked: int = 0
    unanswered: int = 0


@dataclass(frozen=True, slots=True)
class LinkTrouble:
    """Why a camera's line is not open, as a phrase; None when it is."""

    camera_id: str
    phrase: str | None


@dataclass(frozen=True, slots=True)
class NoPosition:
    """A camera answers, but will not say where it stands."""

    camera_id: str


@dataclass(frozen=True, slots=True)
class Arrived:
    """A camera says that it has finished going to one of its own memories."""

    camera_id: str


@dataclass(frozen=True, slots=True)
class SettingReported:
    """The value of a setting as the camera has it; see `core/show/document/settings.py`."""

    camera_id: str
    setting: str
    value: str | int


@dataclass(frozen=True, slots=True)
class OutputEnded:
    """A recording, the stream or another output stopped by itself; `phrase` says why. Not `began`: it could not begin,
    and the phrase is the whole sentence."""

    output: str
    phrase: str
    began: bool = True


@dataclass(frozen=True, slots=True)
class ClipKnown:
    """How long a clip is."""

    medium_id: str
    length_s: float


@dataclass(frozen=True, slots=True)
class Compared:
    """A camera's picture, taken at an aim, was compared with a framing's stored one; numbers as in `Verdict`."""

    camera_id: str
    framing_id: str
    right_percent: float
    down_percent: float
    turn_deg: float
    growth: float
    sure: float
    alike: float
    looked: Aim


@dataclass(frozen=True, slots=True)
class RoomLeft:
    """For how many minutes of recording there is room on the disk."""

    minutes: float


@dataclass(frozen=True, slots=True)
class MessageCame:
    """A message from outside, as one line: how it came and what it says ("osc /go 1", "midi note 1 60")."""

    line: str


@dataclass(frozen=True, slots=True)
class VoicesHeard:
    """Into which microphones somebody speaks from now on, by id."""

    mic_ids: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class ClockSet:
    """The clock on the wall goes otherwise than it did: somebody set it, the machine slept, or summer time began or
    ended. Clock time plus `wall_offset_s` is seconds since 1970, and local time is `utc_offset_s` ahead of that."""

    wall_offset_s: float
    utc_offset_s: float


Report = (
    Position
    | Contact
    | PicturePresence
    | PictureStalled
    | DeviceRefused
    | LineMeasured
    | LinkTrouble
    | NoPosition
    | Arrived
    | SettingReported
    | Compared
    | OutputEnded
    | ClipKnown
    | RoomLeft
    | MessageCame
    | VoicesHeard
    | ClockSet
    | TakeShown
    | RecordingBegan
    | CheckDone
    | EveningEnded
    | SoundHeard
)
# a journal has their fields in this order and without names: new ones come last
REPORT_KINDS: tuple[type[Report], ...] = get_args(Report)

# Requests: what the rig is to do.


@dataclass(frozen=True, slots=True)
class GoTo:
    """Send a camera to an aim. `pace` is the share of its full speed, above 0 up to 1."""

    camera_id: str
    aim: Aim
    pace: float = 1.0


@dataclass(frozen=True, slots=True)
class GlideTo:
    """Move a camera to an aim in a given time (seconds, above 0), all axes together and eased."""

    camera_id: str
    aim: Aim
    seconds: float


@dataclass(frozen=True, slots=True)
class Recall:
    """Send a camera to one of its own memories."""

    camera_id: str
    memory: int


@dataclass(frozen=True, slots=True)
class Remember:
    """Have a camera keep where it stands in one of its own memories."""

    camera_id: str
    memory: int


@dataclass(frozen=True, slots=True)
class GoHome:
    """Send a camera to its home position."""

    camera_id: str


@dataclass(frozen=True, slots=True)
class Drive:
    """Turn and zoom at shares of full speed, -1 to 1 (right, up and in are positive), for a moment.

    It ends by itself unless it is asked for again; zeros end it at once.
    """

    camera_id: str
    pan: float
    tilt: float
    zoom: float


@dataclass(frozen=True, slots=True)
class TurnBy:
    """Turn by so many degrees from where the camera is, in its own axes."""

    camera_id: str
    pan_deg: float
    tilt_deg: float


@dataclass(frozen=True, slots=True)
class Adjust:
    """Ask for a value of a setting; the value was checked against `core/show/document/settings.py`."""

    camera_id: str
    setting: str
    value: str | int


Request = GoTo | GlideTo | Recall | Remember | GoHome | Drive | TurnBy | Adjust

# Events: what has just happened, for those who draw, mix, store and log.


class Severity(StrEnum):
    """How much a sentence matters."""

    INFO = "info"
    REFUSED = "refused"
    FAULT = "fault"


@dataclass(frozen=True, slots=True)
class Notice:
    """A sentence for people. `step`: what can be done about it, as one press."""

    sentence: str
    severity: Severity = Severity.INFO
    step: NextStep | None = None


@dataclass(frozen=True, slots=True)
class ProgramChanged:
    """Program goes from one shot to another: `transition_s` 0 is a cut, more is a transition of that length."""

    before: Shot | None
    after: Shot
    transition_s: float


@dataclass(frozen=True, slots=True)
class ChangeFinished:
    """The running transition is over, by itself or because it was cut short."""


@dataclass(frozen=True, slots=True)
class Logged:
    """A shot went on air; how it landed."""

    record: LandingRecord


@dataclass(frozen=True, slots=True)
class ShowEdited:
    """The document changed; `what` is a phrase ("stored “Hands”")."""

    what: str


@dataclass(frozen=True, slots=True)
class PictureWanted:
    """The picture of a camera as it is now is to be kept under a name."""

    camera_id: str
    name: str


@dataclass(frozen=True, slots=True)
class OutputWanted:
    """A recording or the stream is to begin or end; "chapter" begins a chapter called `name`."""

    output: str
    on: bool
    name: str = ""


@dataclass(frozen=True, slots=True)
class Readied:
    """A shot was set up as Next, perhaps once more."""

    shot: Shot


@dataclass(frozen=True, slots=True)
class DeskAsked:
    """Something was asked that only a desk can do: the id of an action, and the view that it speaks of, if any."""

    action: str
    view: str = ""


@dataclass(frozen=True, slots=True)
class Send:
    """A message is to go out. `ran` is the number of what asked for it; `fields` depend on the wire."""

    destination: Destination
    fields: tuple[tuple[str, str | int | float | tuple[str | int | float, ...]], ...]
    ran: int


@dataclass(frozen=True, slots=True)
class DeskShortcuts:
    """The shortcuts of this desk changed: they are to be kept."""

    shortcuts: tuple[Shortcut, ...]


@dataclass(frozen=True, slots=True)
class Learned:
    """A control was worked while somebody wanted to know which; of a fader or knob also on which `port`, and how it
    counts."""

    control: str
    port: str = ""
    coding: Coding | None = None


@dataclass(frozen=True, slots=True)
class InUse:
    """Something was to be removed that others use. The same action again, with `users` saying what is to happen."""

    action: str
    arguments: tuple[tuple[str, str | int], ...]
    called: str
    users: tuple[str, ...]


Event = (
    Notice | ProgramChanged | ChangeFinished | Logged | ShowEdited | PictureWanted | OutputWanted | Readied | ActionRan
    | Send | DeskShortcuts | Learned | InUse | SaveWanted | CopySaved | DeskAsked | MarkerSet | LineCorrected
    | RecordingBegan | AsRunAdded | EndWanted | SoundHeard
)  # fmt: skip
