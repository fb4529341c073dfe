"""The only seam between engine and Qt: actions go in here, and state, pictures and events come out as signals."""

import time
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Qt, QTimer, Signal
from PySide6.QtGui import QImage, QPixmap

from ribalta.core.base.clock import Clock
from ribalta.core.engine.controls import Found, Shortcuts
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.why import Why
from ribalta.core.picture.reading import is_sane, kind_of
from ribalta.core.ports.causes import By, Cause, Ran
from ribalta.core.ports.messages import Event, InUse, Learned, Notice, Readied, Send, Severity
from ribalta.core.ports.shots import Dress, Shot
from ribalta.core.show.automation.calls import Call, arguments_of
from ribalta.core.show.document.profiles import Profile
from ribalta.core.show.files.recovery import Recovery
from ribalta.core.sound.gates import GateView
from ribalta.core.sound.levels import Level
from ribalta.core.survey.job import Job, Kind
from ribalta.workers.crew import Crew

FRAME_MS = 40
CHANGED_EVERY = 5
AFTER_PROGRAM_MS = 12  # what was pressed is composed first, and then drawn; one take makes several events
LIVE_MODIFIER = Qt.KeyboardModifier.ControlModifier  # held, it lets a hand move the camera that is on air


class Pictures(Protocol):
    """Scaled live pictures, (height, width, 4) BGRA, and when they were captured, by the place that shows them."""

    @property
    def shown(self) -> Mapping[str, NDArray[np.uint8]]: ...
    @property
    def captured_s(self) -> Mapping[str, float]: ...


SEEN = (
    *("show", "program", "next", "then", "held", "row", "page"),
    *("changing", "dress", "pending", "transition", "dark", "card"),
    *("runs", "layers", "tape", "fired", "playing"),
)


class Workshop(Protocol):
    """What the desk needs to set cameras up; `where` of a password is an address."""

    @property
    def jobs(self) -> Mapping[tuple[Kind, str], Job]: ...
    def begin(self, kind: Kind, camera_id: str) -> None: ...
    def cancel(self, kind: Kind, camera_id: str) -> None: ...
    def find(self, where: str) -> None: ...
    def profiles(self) -> Sequence[Profile]: ...
    def keep_password(self, where: str, user: str, password: str) -> None: ...
    def take_sight(self, camera_id: str, mark_id: str) -> None: ...
    def forget_sights(self, camera_id: str) -> None: ...
    def solve_place(self, camera_id: str) -> None: ...
    def sight_words(self, camera_id: str) -> str: ...
    def bring_in_plan(self, path: Path, units_per_m: float) -> None: ...
    def write_out_plan(self, path: Path) -> None: ...
    def write_out_framings(self, path: Path) -> None: ...
    def bring_in_framings(self, path: Path) -> None: ...
    def bring_in_media(self, paths: Sequence[Path]) -> None: ...
    def bring_in_title(self, path: Path) -> None: ...
    def bring_in_rows(self, title_id: str, path: Path) -> None: ...
    def sound_devices(self) -> tuple[list[str], list[str]]: ...
    def write(self, work: Callable[[], str]) -> None: ...


class Heard(Protocol):
    """The sound as it is; see `media/sound/sound.py`."""

    @property
    def levels(self) -> Mapping[str, Level]: ...
    @property
    def gains(self) -> Mapping[str, float]: ...
    @property
    def troubles(self) -> Mapping[str, str]: ...
    @property
    def master(self) -> Level: ...
    @property
    def loudness(self) -> float: ...
    @property
    def reduced_db(self) -> float: ...
    @property
    def gates(self) -> Mapping[str, GateView]: ...


class RecordingStatus(Protocol):
    """One file; see `media/outputs/recorder.py`."""

    @property
    def path(self) -> Path: ...
    @property
    def what(self) -> str: ...
    @property
    def running(self) -> bool: ...
    @property
    def seconds(self) -> float: ...
    @property
    def lost(self) -> int: ...
    @property
    def minutes_left(self) -> float | None: ...
    @property
    def trouble(self) -> str: ...
    @property
    def proof(self) -> NDArray[np.uint8] | None: ...
    @property
    def profile(self) -> str: ...


class StreamStatus(Protocol):
    """See `media/outputs/streamer.py`."""

    @property
    def word(self) -> str: ...
    @property
    def since_s(self) -> float: ...
    @property
    def kbit_s(self) -> float: ...
    @property
    def dropped(self) -> int: ...
    @property
    def again(self) -> int: ...
    @property
    def trouble(self) -> str: ...


class MessageLine(Protocol):
    """One message that came or went; see `remote/log.py`."""

    @property
    def at_s(self) -> float: ...
    @property
    def way(self) -> str: ...
    @property
    def who(self) -> str: ...
    @property
    def words(self) -> str: ...
    @property
    def answer(self) -> str: ...
    @property
    def failed(self) -> bool: ...
    @property
    def times(self) -> int: ...


class Messages(Protocol):
    """What comes and goes between this desk and other machines, and what is wrong with that."""

    @property
    def lines(self) -> Sequence[MessageLine]: ...
    @property
    def midi_names(self) -> tuple[Sequence[str], Sequence[str]]: ...
    @property
    def midi_trouble(self) -> str: ...
    @property
    def troubles(self) -> Mapping[str, str]: ...
    def token(self) -> str: ...


class Session(Protocol):
    """What the desk needs of a running show."""

    clock: Clock
    path: Path | None

    @property
    def recovery(self) -> Recovery | None: ...

    @property
    def state(self) -> LiveState: ...
    @property
    def pictures(self) -> Pictures: ...
    @property
    def unsaved(self) -> bool: ...
    @property
    def heard(self) -> Heard: ...
    @property
    def recordings(self) -> Sequence[RecordingStatus]: ...
    @property
    def stream(self) -> StreamStatus: ...
    @property
    def troubles(self) -> Mapping[str, str]: ...
    def framing_picture(self, name: str) -> bytes | None: ...
    def preview(self, shot: Shot | None, dress: Dress) -> None: ...
    def give_way(self) -> None: ...
    @property
    def why(self) -> Why: ...
    @property
    def messages(self) -> Messages: ...
    @property
    def shortcuts(self) -> Shortcuts: ...
    def act(
        self, action_id: str, arguments: Mapping[str, Any], recall_only: bool = False, cause: Cause = ...
    ) -> None: ...
    def work(self, control: str, down: bool) -> None: ...
    def lost(self, device: str) -> None: ...
    def learn(self, on: bool) -> None: ...
    def show_at(self, sizes: Mapping[str, tuple[int, int]]) -> None: ...
    def listen(self, listener: Callable[[Event], None]) -> None: ...
    def save(self, path: Path | None = None) -> None: ...
    def answer_recovery(self, keep: bool) -> None: ...
    @property
    def asks(self) -> tuple[str, ...]: ...
    def answer_deeds(self, yes: bool) -> None: ...
    @property
    def workshop(self) -> Workshop: ...


def one_shot(owner: QObject, after_ms: int, call: Callable[[], None]) -> QTimer:
    """A timer that calls once, so long after it is started."""
    timer = QTimer(owner)
    timer.setSingleShot(True)
    timer.setInterval(after_ms)
    timer.timeout.connect(call)
    return timer


class Bridge(QObject):
    """`tick` comes at every frame, `changed` after every event and five times a second, `noticed` with sentences.

    `learned` comes with a control that was worked while somebody asked which, `in_use` when something cannot go without
    an answer (an `InUse`).
    """

    tick = Signal()
    changed = Signal()
    noticed = Signal(Notice)
    learned = Signal(str)
    in_use = Signal(object)
    _happened = Signal(object)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.crew = Crew(lambda said: self._happened.emit(Notice(said, Severity.FAULT)))
        self._stored: dict[str, QPixmap] = {}
        self._wanted: dict[str, dict[str, tuple[int, int]]] = {}
        self._lent: dict[str, NDArray[np.uint8]] = {}
        self.lateness_s: deque[float] = deque(maxlen=4000)
        self._due_s = 0.0
        self._ticks = 0
        self._later = one_shot(self, AFTER_PROGRAM_MS, self.changed.emit)
        self._seen = session.state
        self._happened.connect(self._on_event, Qt.ConnectionType.QueuedConnection)
        session.listen(self._hear)
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._on_timer)
        self._timer.start(FRAME_MS)

    @property
    def state(self) -> LiveState:
        return self.session.state

    @property
    def now_s(self) -> float:
        return self.session.clock.now_s()

    def give_way(self) -> None:
        """Between strokes of a long painting: program is composed first."""
        self.session.give_way()

    def act(self, action_id: str, **arguments: Any) -> None:
        self.session.act(action_id, arguments)

    def call(self, call: Call, words: str = "", by: By = By.HAND) -> None:
        """Run a stored call by hand. Raises Broken when what it refers to is gone."""
        self.session.act(call.action, arguments_of(self.state.show, call), cause=Cause(by, words))

    def found(self, control: str) -> Found:
        """What a control does now, by how it is worked."""
        return self.session.shortcuts.on(control, self.state.layers)

    def work(self, control: str, down: bool) -> None:
        """A control was pressed or let go."""
        self.session.work(control, down)

    def show_at(self, owner: str, sizes: Mapping[str, tuple[int, int]]) -> None:
        """Which live pictures somebody shows now ("view", or a window of its own), and how large.

        A place is "program", "next", "preview", "aux", "clean" or a camera's id; after an @ follows whose it is.
        """
        self._wanted[owner] = dict(sizes)
        self.session.show_at({place: size for each in self._wanted.values() for place, size in each.items()})

    def picture_of(self, place: str) -> QImage | None:
        """The scaled picture of a place ("program", "next" or a camera id), without a copy."""
        pixels = self.session.pictures.shown.get(place)
        if pixels is None:
            return None
        self._lent[place] = pixels  # the image below does not keep them alive
        height, width = pixels.shape[:2]
        return QImage(pixels.data, width, height, width * 4, QImage.Format.Format_RGB32)

    def picture_age_s(self, place: str) -> float:
        return self.now_s - self.session.pictures.captured_s.get(place, self.now_s)

    def stored_picture(self, name: str | None, width: int, height: int) -> QPixmap | None:
        """A framing's picture, filling a size; None when there is none."""
        if name is None:
            return None
        key = f"{name} {width}x{height}"
        if key not in self._stored:
            data = self.session.framing_picture(name)
            whole = QPixmap()
            if data is None or not is_sane(data) or not whole.loadFromData(data, kind_of(data)):
                return None
            if len(self._stored) > 600:
                self._stored.clear()
            self._stored[key] = whole.scaled(
                width,
                height,
                Qt.AspectRatioMode.KeepAspectRatioByExpanding,
                Qt.TransformationMode.SmoothTransformation,
            )
        return self._stored[key]

    def stop(self) -> None:
        """No more ticks: the window is going."""
        self._timer.stop()

    def _on_timer(self) -> None:
        now_s = time.monotonic()
        if self._due_s:
            self.lateness_s.append(max(0.0, now_s - self._due_s))
        self._due_s = now_s + FRAME_MS / 1000
        self._ticks += 1
        if self._ticks % CHANGED_EVERY == 0:
            self.changed.emit()
        elif self.state is not self._seen and self._news() and not self._later.isActive():
            self._later.start()
        self.tick.emit()

    def _news(self) -> bool:
        """Has anything that is pressed or taken changed since the last look? (Positions change all the time.)"""
        before, now = self._seen, self.state
        self._seen = now
        return any(getattr(before, name) is not getattr(now, name) for name in SEEN)

    def _hear(self, event: Event) -> None:
        """On the engine's thread. What ran is read where it is shown."""
        if not isinstance(event, Ran | Send | Readied):
            self._happened.emit(event)

    def _on_event(self, event: Event) -> None:
        if isinstance(event, Notice):
            self.noticed.emit(event)
        elif isinstance(event, Learned):
            self.learned.emit(event.control)
        elif isinstance(event, InUse):
            self.in_use.emit(event)
        if not self._later.isActive():
            self._later.start()
