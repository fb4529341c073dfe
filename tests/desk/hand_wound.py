"""A running show without threads or devices: what the desk needs, over a hand-wound hall."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np
from numpy.typing import NDArray
from PySide6.QtWidgets import QApplication, QDialog, QFileDialog

from ribalta.attach.protocol import DoorSeen, HouseSeen
from ribalta.core.base.clock import Clock
from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.controls import Controls, Shortcuts
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.show_log import ShowLog
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.causes import BY_HAND, Cause
from ribalta.core.ports.crew import EveningEnd
from ribalta.core.ports.messages import Event, Notice, Severity
from ribalta.core.ports.saving import SaveWanted
from ribalta.core.ports.shots import Overlays, Shot
from ribalta.core.readiness.lines import Progress
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.profiles import SHIPPED, Profile, all_profiles
from ribalta.core.show.files.journal import Recovery
from ribalta.core.sound.gates import GateView
from ribalta.core.sound.levels import Level
from ribalta.core.survey.job import Job, Kind
from ribalta.desk.running_show import MessageLine, RecordingStatus, RunningShow
from ribalta.desk.window import Window
from ribalta.server.chores import Chores
from ribalta.server.import_export.transfers import Transfers
from tests.core.hand_wound import Hall
from tests.pictures import grey

Dialog = TypeVar("Dialog", bound=QDialog)
Asked = list[tuple[object, ...]]


class AtOnce(Chores):
    """What is put off is done at once."""

    def put(self, chore: Callable[[], None]) -> None:
        chore()


@dataclass
class FakePictures:
    shown: dict[str, Picture] = field(default_factory=dict)
    captured_s: dict[str, float] = field(default_factory=dict)


@dataclass
class FakeHeard:
    levels: dict[str, Level] = field(default_factory=dict)
    gains: dict[str, float] = field(default_factory=dict)
    troubles: dict[str, str] = field(default_factory=dict)
    master: Level = field(default_factory=Level)
    loudness: float = -70.0
    reduced_db: float = 0.0
    gates: dict[str, GateView] = field(default_factory=dict)


@dataclass
class FakeRecording:
    path: Path
    what: str = "program"
    running: bool = True
    seconds: float = 0.0
    lost: int = 0
    minutes_left: float | None = None
    trouble: str = ""
    proof: NDArray[np.uint8] | None = None
    profile: str = ""


@dataclass
class FakeStream:
    word: str = "off"
    since_s: float = 0.0
    kbit_s: float = 0.0
    dropped: int = 0
    again: int = 0
    trouble: str = ""


@dataclass
class FakeMedia:
    """Every camera shows one grey."""

    pictures: FakePictures = field(default_factory=FakePictures)
    heard: FakeHeard = field(default_factory=FakeHeard)
    troubles: dict[str, str] = field(default_factory=dict)
    sizes: dict[str, tuple[int, int]] = field(default_factory=dict)
    previewed: tuple[Shot | None, Overlays | None] = (None, None)

    def show_at(self, sizes: Mapping[str, tuple[int, int]]) -> None:
        self.sizes = dict(sizes)
        self.pictures.shown = {place: grey(90, w, h) for place, (w, h) in sizes.items()}

    def preview(self, shot: Shot | None, dress: Overlays) -> None:
        self.previewed = (shot, dress)

    def give_way(self) -> None: ...

    def sound_devices(self) -> tuple[list[str], list[str]]:
        return [], []


@dataclass
class FakeOutputs:
    recordings: Sequence[RecordingStatus] = ()
    stream: FakeStream = field(default_factory=FakeStream)


@dataclass
class FakeFaders:
    learning: bool = False

    def learn(self, on: bool) -> None:
        self.learning = on


@dataclass
class FakeMessages:
    lines: Sequence[MessageLine] = ()
    midi_names: tuple[Sequence[str], Sequence[str]] = ((), ())
    midi_trouble: str = ""
    house: HouseSeen = field(default_factory=HouseSeen)
    troubles: dict[str, str] = field(default_factory=dict)

    def token(self) -> str:
        return "a token"


@dataclass
class FakeGuests:
    """How the door stands is put into `door` by hand."""

    door: DoorSeen = field(default_factory=DoorSeen)


class FakeReadiness:
    """What a check has come to is put into `now` by hand."""

    def __init__(self, asked: Asked) -> None:
        self.now, self.asked = Progress(), asked

    def begin(self) -> None:
        self.asked.append(("check everything",))

    def cancel(self) -> None:
        self.asked.append(("cancel the check",))


class FakeClosing:
    """How far the evening's end is is put into `now` by hand."""

    def __init__(self) -> None:
        self.now = EveningEnd()


class FakeCameraJobs:
    """Work that is only asked for; what it has come to is put into `jobs` by hand."""

    def __init__(self, asked: Asked) -> None:
        self.jobs: dict[tuple[Kind, str], Job] = {}
        self.asked = asked

    def begin(self, kind: Kind, camera_id: str) -> None:
        self.asked.append(("begin", kind, camera_id))

    def cancel(self, kind: Kind, camera_id: str) -> None:
        self.asked.append(("cancel", kind, camera_id))

    def find(self, where: str) -> None:
        self.asked.append(("find", where))

    def profiles(self) -> Sequence[Profile]:
        return all_profiles(SHIPPED)[0]


class FakePlacing:
    def __init__(self, asked: Asked) -> None:
        self.asked = asked

    def take_sight(self, camera_id: str, mark_id: str) -> None:
        self.asked.append(("take_sight", camera_id, mark_id))

    def forget_sights(self, camera_id: str) -> None:
        self.asked.append(("forget_sights", camera_id))

    def solve_place(self, camera_id: str) -> None:
        self.asked.append(("solve_place", camera_id))

    def sight_words(self, camera_id: str) -> str:
        return "Aimed at Kiln."


class FakeTransfers:
    """Playlists are really read and written, at once."""

    def __init__(self, asked: Asked, say: Callable[[Notice], None], real: Transfers) -> None:
        self.asked, self._say = asked, say
        self.bring_in_playlist, self.write_out_playlist = real.bring_in_playlist, real.write_out_playlist

    def bring_in_plan(self, path: Path, units_per_m: float) -> None:
        self.asked.append(("bring_in_plan", path, units_per_m))

    def write_out_plan(self, path: Path) -> None:
        self.asked.append(("write_out_plan", path))

    def write_out_framings(self, path: Path) -> None:
        self.asked.append(("write_out_framings", path))

    def bring_in_framings(self, path: Path) -> None:
        self.asked.append(("bring_in_framings", path))

    def bring_in_media(self, paths: Sequence[Path]) -> None:
        self.asked.append(("bring_in_media", paths))

    def bring_in_title(self, path: Path) -> None:
        self.asked.append(("bring_in_title", path))

    def bring_in_rows(self, title_id: str, path: Path) -> None:
        self.asked.append(("bring_in_rows", title_id, path))

    def write(self, work: Callable[[], str]) -> None:
        try:
            self._say(Notice(work()))
        except LocalFault as fault:
            self._say(Notice(str(fault), Severity.FAULT))


@dataclass
class FakeFile:
    transfers: FakeTransfers
    path: Path | None = None
    unsaved: bool = False
    saves: int = 0
    recovery: Recovery | None = None
    foreign_deeds: tuple[str, ...] = ()
    pictures: dict[str, bytes] = field(default_factory=dict)

    copies: list[Path] = field(default_factory=list)

    def save(self, path: Path | None = None) -> None:
        if path is None:
            self.saves += 1
        else:
            self.copies.append(path)

    def picture(self, name: str) -> bytes | None:
        return self.pictures.get(name)

    def picture_waited_for(self, name: str) -> bytes | None:
        return self.picture(name)

    def answer_recovery(self, keep: bool) -> None: ...

    def answer_deeds(self, yes: bool) -> None:
        self.foreign_deeds = () if yes else self.foreign_deeds


class FakePasswords:
    def __init__(self, asked: Asked) -> None:
        self.asked = asked

    def keep(self, where: str, user: str, password: str) -> None:
        self.asked.append(("keep_password", where, user, password))


@dataclass
class FakeOutside:
    messages: FakeMessages = field(default_factory=FakeMessages)
    guests: FakeGuests = field(default_factory=FakeGuests)


@dataclass
class FakeEvening:
    readiness: FakeReadiness
    closing: FakeClosing = field(default_factory=FakeClosing)


@dataclass
class FakeSetup:
    jobs: FakeCameraJobs
    placing: FakePlacing
    passwords: FakePasswords


class FakeControls:
    def __init__(self, clock: Clock, state: Callable[[], LiveState], call: Callable[[Call, Cause], None]) -> None:
        self._clock, self._controls = clock, Controls(state, call)
        self.learning, self.faders = False, FakeFaders()

    @property
    def shortcuts(self) -> Shortcuts:
        return self._controls.shortcuts

    def advance(self) -> None:
        self._controls.advance(self._clock.now_s())

    def work(self, control: str, down: bool) -> None:
        (self._controls.down if down else self._controls.up)(control, self._clock.now_s())

    def lost(self, device: str) -> None:
        self._controls.lost(device, self._clock.now_s())

    def learn(self, on: bool) -> None:
        self.learning = on


class HandWoundSession:
    """What the desk needs of a running show; what is asked for beyond actions is written down in `asked`."""

    def __init__(self, show: Show | None = None) -> None:
        self.hall = Hall(show)
        self.clock: Clock = self.hall.clock
        self.asked: Asked = []
        self._listeners: list[Callable[[Event], None]] = []
        self.media, self.outputs, self.outside = FakeMedia(), FakeOutputs(), FakeOutside()
        self.controls = FakeControls(self.clock, lambda: self.state, self._call)
        self.evening = FakeEvening(FakeReadiness(self.asked))
        self.setup = FakeSetup(FakeCameraJobs(self.asked), FakePlacing(self.asked), FakePasswords(self.asked))
        real = Transfers(self, AtOnce(), lambda _: None)
        self.file = FakeFile(FakeTransfers(self.asked, self.say, real))

    @property
    def state(self) -> LiveState:
        return self.hall.state

    @property
    def log(self) -> ShowLog:
        return ShowLog(self.hall.engine.history, self.hall.engine.as_run)

    def act(
        self, action_id: str, arguments: Mapping[str, Any], recall_only: bool = False, cause: Cause = BY_HAND
    ) -> None:
        now_s = self.clock.now_s()
        self._heard(lambda: self.hall.engine.act(action_id, dict(arguments), now_s, recall_only, cause))

    def listen(self, listener: Callable[[Event], None]) -> None:
        self._listeners.append(listener)

    def _call(self, call: Call, cause: Cause) -> None:
        self._heard(lambda: self.hall.engine.call(call, self.clock.now_s(), cause))

    def _heard(self, work: Callable[[], object]) -> None:
        before = len(self.hall.events)
        work()
        self.hall._serve()
        for event in self.hall.events[before:]:
            self.say(event)

    def stored_picture(self, name: str) -> bytes | None:
        return self.file.picture(name)

    def say(self, event: Event) -> None:
        if isinstance(event, SaveWanted):
            self.file.save()
        for listener in self._listeners:
            listener(event)


if TYPE_CHECKING:
    CHECKED: RunningShow = HandWoundSession()


def opened(window: Window, view: str = "") -> Iterator[Window]:
    """For a fixture: on the screen, with a view in front, and let go of afterwards."""
    window.show()
    if view:
        window.show_view(view)
    QApplication.processEvents()
    yield window
    window.close()
    window.deleteLater()
    QApplication.processEvents()


def dialog_of(kind: type[Dialog]) -> Dialog:
    """The dialog that is open. Nothing else waits for it."""
    (dialog,) = [w for w in QApplication.topLevelWidgets() if isinstance(w, kind) and w.isVisible()]
    assert not dialog.isModal()
    return dialog


def choose_file(path: Path) -> None:
    """In the file dialog that is open, as a person would."""
    dialog = dialog_of(QFileDialog)
    if dialog.acceptMode() is QFileDialog.AcceptMode.AcceptOpen:
        path.touch()
    dialog.setDirectory(str(path.parent))
    dialog.selectFile(path.name)
    dialog.accept()
    assert not dialog.isVisible()
