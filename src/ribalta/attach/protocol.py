"""What a server and its desks say to each other: every question and every value that there is, each once.

A message is a list whose first item says what it is (`Said`). A desk says HELLO, then CALLs of what `CALLS` has; the
server says WELCOME or REFUSED, then UPDATEs: what changed of the state, of `VALUES`, the events since the last one in
their order, and the answers to calls. A desk that does not read gets fewer and larger updates, never a queue of them.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import IntEnum, StrEnum
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ribalta.core.ports.causes import Cause
from ribalta.core.ports.crew import EveningEnd
from ribalta.core.ports.messages import Event
from ribalta.core.ports.shots import Overlays, Shot
from ribalta.core.readiness.lines import Progress
from ribalta.core.show.document.profiles import Profile
from ribalta.core.sound.gates import GateView
from ribalta.core.sound.levels import Level
from ribalta.core.survey.job import Job, Kind

VERSION = 3  # both ends have to have the same
LARGEST_MESSAGE = 32 * 1024 * 1024
Sizes = Mapping[str, tuple[int, int]]


class Said(IntEnum):
    """What a message is: the first item of its list."""

    HELLO = 1  # version, process id, the view it was started with ("" for any), who it is (`Who`), a station's guest
    CALL = 2  # number, name, arguments
    WELCOME = 3  # the number of the desk; on another machine, by how many seconds the show's clock is ahead, too
    REFUSED = 4  # a sentence
    UPDATE = 5  # a dict: state, values, events, answers, lines, log, pictures and crew (a file of each goes along)


@dataclass(frozen=True, slots=True)
class OtherSeen:
    """See `remote/house/status.Other`."""

    name: str
    online: bool
    on_air: str


@dataclass(frozen=True, slots=True)
class HouseSeen:
    """See `remote/house/status.HouseStatus`."""

    word: str = "off"
    trouble: str = ""
    others: tuple[OtherSeen, ...] = ()


class Who(StrEnum):
    """Who attaches: a window, the part of the server that lets guests in and speaks for each of them, or what speaks
    for one guest's window on another machine."""

    DESK = "desk"
    DOOR = "door"
    STATION = "station"


@dataclass(frozen=True, slots=True)
class DoorSeen:
    """How the guests' door stands: at which addresses it is, the fingerprint of its certificate, what is wrong with it,
    and the delay of pictures that each guest's page measured (ms, by guest)."""

    addresses: tuple[str, ...] = ()
    fingerprint: str = ""
    trouble: str = ""
    delays_ms: Mapping[str, float] = field(default_factory=dict)
    tries: int = 0  # wrong codes so far


@dataclass(frozen=True, slots=True)
class UnsavedChanges:
    """What an earlier session left unsaved."""

    changes: int


@dataclass(frozen=True, slots=True)
class SoundSeen:
    """See `media/sound/sound_desk.SoundStatus`."""

    levels: Mapping[str, Level]
    gains: Mapping[str, float]
    troubles: Mapping[str, str]
    master: Level
    loudness: float
    reduced_db: float
    gates: Mapping[str, GateView]


@dataclass(frozen=True, slots=True)
class RecordingSeen:
    """See `media/outputs/recorder.Status`."""

    path: Path
    what: str
    running: bool
    seconds: float
    lost: int
    minutes_left: float | None
    trouble: str
    proof: NDArray[np.uint8] | None
    profile: str


@dataclass(frozen=True, slots=True)
class StreamSeen:
    """See `media/outputs/streamer.StreamStatus`."""

    word: str
    since_s: float
    kbit_s: float
    dropped: int
    again: int
    trouble: str


@dataclass(frozen=True, slots=True)
class LineSeen:
    """See `remote/log.MessageLine`."""

    at_s: float
    way: str
    who: str
    words: str
    answer: str
    failed: bool
    times: int


# What a desk may call, with the types of what it hands over: parts and methods of `desk/running_show.RunningShow`.
CALLS: Mapping[str, tuple[Any, ...]] = {
    "act": (str, dict[str, Any], bool, Cause),
    "media.show_at": (Mapping[str, tuple[int, int]],),
    "media.preview": (Shot | None, Overlays),
    "media.sound_devices": (),
    "controls.work": (str, bool),
    "controls.lost": (str,),
    "controls.learn": (bool,),
    "controls.faders.learn": (bool,),
    "outside.messages.token": (),
    "file.save": (Path | None,),
    "file.picture": (str,),
    "file.answer_recovery": (bool,),
    "file.answer_deeds": (bool,),
    "outside.guests.tell": (DoorSeen,),
    "outside.guests.listen": (),
    "evening.readiness.begin": (),
    "evening.readiness.cancel": (),
    "setup.jobs.begin": (Kind, str),
    "setup.jobs.cancel": (Kind, str),
    "setup.jobs.find": (str,),
    "setup.placing.take_sight": (str, str),
    "setup.placing.forget_sights": (str,),
    "setup.placing.solve_place": (str,),
    "setup.passwords.keep": (str, str, str),
    "file.transfers.bring_in_plan": (Path, float),
    "file.transfers.write_out_plan": (Path,),
    "file.transfers.write_out_framings": (Path,),
    "file.transfers.bring_in_framings": (Path,),
    "file.transfers.bring_in_media": (tuple[Path, ...],),
    "file.transfers.bring_in_title": (Path,),
    "file.transfers.bring_in_rows": (str, Path),
    "file.transfers.bring_in_playlist": (Path,),
    "file.transfers.write_out_playlist": (str, Path),
    "end_show": (),
}

# What a desk on another machine may call; what it asks of the show by `act` meets the role of its guest.
OF_STATIONS = frozenset(
    ("act", "media.show_at", "media.preview", "media.sound_devices", "controls.work", "controls.lost", "file.picture")
)
# And what one with the role of a deputy may, too.
OF_DEPUTIES = frozenset(name for name in CALLS if name.startswith(("setup.", "evening.readiness.")))

# What calls answer, where they do.
ANSWERS: Mapping[str, Any] = {
    "act": str,  # the refusal
    "media.sound_devices": tuple[list[str], list[str]],
    "outside.messages.token": str,
    "file.picture": bytes | None,
}

# What a desk is told of by itself whenever it is another than before.
VALUES: Mapping[str, Any] = {
    "media.heard": SoundSeen,
    "media.troubles": Mapping[str, str],
    "outputs.recordings": tuple[RecordingSeen, ...],
    "outputs.stream": StreamSeen,
    "outside.messages.lines": tuple[LineSeen, ...],
    "outside.messages.house": HouseSeen,
    "outside.messages.midi_names": tuple[tuple[str, ...], tuple[str, ...]],
    "outside.messages.midi_trouble": str,
    "outside.messages.troubles": Mapping[str, str],
    "file.path": Path | None,
    "file.unsaved": bool,
    "file.recovery": UnsavedChanges | None,
    "file.foreign_deeds": tuple[str, ...],
    "evening.closing.now": EveningEnd,
    "outside.guests.door": DoorSeen,
    "evening.readiness.now": Progress,
    "setup.jobs.jobs": Mapping[tuple[Kind, str], Job],
    "setup.jobs.profiles": tuple[Profile, ...],
    "setup.placing.words": Mapping[str, str],
}
EVENT: Any = Event
