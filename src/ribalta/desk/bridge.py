"""The only seam between a running show and Qt: actions go in here, and state, pictures and events come out as signals.

Views use the show's parts through it, and nothing else of the show.
"""

import time
from collections import deque
from collections.abc import Callable, Mapping
from pathlib import Path
from threading import Lock
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import QObject, Qt, QTimer, Signal
from PySide6.QtGui import QImage, QPixmap

from ribalta.core.base.faults import ActionRefused, LocalFault
from ribalta.core.base.validation import why_not
from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.controls import Found
from ribalta.core.engine.state.action import Held
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import ActionRan, By, Cause
from ribalta.core.ports.messages import DeskAsked, Event, InUse, Learned, Notice, Readied, Send, Severity
from ribalta.core.ports.saving import CopySaved
from ribalta.core.show.automation.calls import Call, arguments_of
from ribalta.core.show.automation.triggers_pads_shortcuts import How
from ribalta.desk.live_pictures import as_image
from ribalta.desk.preferences import Preferences, read_preferences, write_preferences
from ribalta.desk.running_show import RunningShow
from ribalta.desk.stored_pictures import StoredPictures
from ribalta.workers.crew import Crew

FRAME_MS = 40
OLD_S = 2.5  # a picture that is older is greyed, and says so
CHANGED_EVERY = 5
ON_AIR_LATELY_S = 600.0  # so long after the last take a show counts as on air
AFTER_PROGRAM_MS = 12  # what was pressed is composed first, and then drawn; one take makes several events
PAINTED_S = 0.022  # so long a view may take to paint what has changed
LIVE_MODIFIER = Qt.KeyboardModifier.ControlModifier  # held, it lets a hand move the camera that is on air


def one_shot(owner: QObject, after_ms: int, call: Callable[[], None]) -> QTimer:
    """A timer that calls once, so long after it is started."""
    timer = QTimer(owner)
    timer.setSingleShot(True)
    timer.setInterval(after_ms)
    timer.timeout.connect(call)
    return timer


class Bridge(QObject):
    """`tick` comes at every frame, `changed` after every event and five times a second, `noticed` with sentences.

    `learned` and `fader_learned` come with a control that was worked while somebody asked which, `in_use` when
    something cannot go without an answer (an `InUse`), `asked` when a desk is to do something: an action's id, and a
    view. `holding` comes with what is done if it is held on (a `Held`; None: it was let go), and whether it is the
    mouse that holds it; `place_wanted` when a view is to be opened, at one of its pages; `preferred` when a preference
    has changed; `copy_saved` with the file that a copy of the show was saved as.
    """

    tick = Signal()
    changed = Signal()
    noticed = Signal(Notice)
    learned = Signal(str)
    fader_learned = Signal(Learned)
    in_use = Signal(object)
    asked = Signal(str, str)
    holding = Signal(object, bool)
    place_wanted = Signal(str, str)
    preferred = Signal()
    copy_saved = Signal(Path)
    _happened = Signal(object)

    def __init__(self, show: RunningShow, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._show = show
        self.file, self.media, self.outputs = show.file, show.media, show.outputs
        self.controls, self.messages, self.history = show.controls, show.outside.messages, show.log.history
        self.as_run, self.readiness, self.closing = show.log.as_run, show.evening.readiness, show.evening.closing
        self.faders, self.guests = show.controls.faders, show.outside.guests
        self.camera_jobs, self.placing, self.passwords = show.setup.jobs, show.setup.placing, show.setup.passwords
        self.transfers = show.file.transfers
        self.crew = Crew(lambda said: self._happened.emit(Notice(said, Severity.FAULT)))
        self._stored = StoredPictures(show.file.picture)
        self.preferences, self.trouble = read_preferences()
        self._keeping = Lock()
        self.folder = Path(self.preferences.folder or Path.home())  # where files were looked for last
        self._wanted: dict[str, dict[str, tuple[int, int]]] = {}
        self.lateness_s: deque[float] = deque(maxlen=4000)
        self._images: dict[str, tuple[tuple[float, tuple[int, int]], QImage]] = {}
        self._due_s = 0.0
        self._held_control = ""
        self._ticks = 0
        self._later = one_shot(self, AFTER_PROGRAM_MS, self._after_event)
        self._with_tick = False
        self._seen = show.state
        self._happened.connect(self._on_event, Qt.ConnectionType.QueuedConnection)
        show.listen(self._hear)
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._on_timer)
        self._timer.start(FRAME_MS)

    @property
    def state(self) -> LiveState:
        return self._show.state

    @property
    def now_s(self) -> float:
        return self._show.clock.now_s()

    def prefer(self, **changes: Any) -> None:
        """Change preferences of this desk. One that is out of its range is said, and nothing is changed; if they cannot
        be kept, that is said, and they hold until the window is closed."""
        try:
            chosen = Preferences.model_validate({**self.preferences.model_dump(), **changes})
        except ValidationError as error:
            self.noticed.emit(Notice(f"It stays as it was: {why_not(error)}.", Severity.REFUSED))
            return
        self.preferences = chosen
        if "folder" in changes:
            self.folder = Path(chosen.folder or Path.home())
        self.preferred.emit()
        self.crew.begin("preferences", self._keep)

    def _keep(self) -> None:
        """On a thread of its own, as a disk may be slow: what is chosen now, so that the last one to write is right."""
        with self._keeping:
            try:
                write_preferences(self.preferences)
            except LocalFault as fault:
                self._happened.emit(Notice(str(fault), Severity.FAULT))

    def wait_kept(self, timeout_s: float = 2.0) -> None:
        """Until what is written on threads of its own is on the disk, or so long for each."""
        for worker in self.crew.workers:
            worker.join(timeout_s)

    def doing(self) -> tuple[str, ...]:
        """What the show does that others see: "on air", "recorded", "streamed"; nothing when it does not."""
        program, outputs = self.state.program, (("recording", "recorded"), ("stream", "streamed"))
        doing = tuple(words for name, words in outputs if self.state.output(name).on)
        lately = bool(program.records) and self.now_s - program.records[-1].at_s < ON_AIR_LATELY_S
        return ("on air", *doing) if lately or doing else ()

    def give_way(self) -> None:
        """Between strokes of a long painting: program is composed first."""
        self.media.give_way()

    def act(self, action_id: str, **arguments: Any) -> None:
        self._show.act(action_id, arguments)

    def call(self, call: Call, words: str = "", by: By = By.HAND) -> None:
        """Run a stored call by hand. Raises Broken when what it refers to is gone."""
        self._show.act(call.action, arguments_of(self.state.show, call), cause=Cause(by, words))

    def found(self, control: str) -> Found:
        """What a control does now, by how it is worked."""
        return self.controls.shortcuts.on(control, self.state.automation.layers)

    def work(self, control: str, down: bool) -> None:
        """A control was pressed or let go."""
        self.controls.work(control, down)

    def press(self, control: str, repeated: bool = False, row_id: str | None = None) -> bool:
        """A key of this desk is pressed; whether it is anything's. What a desk does itself is done before this returns:
        the next key may already belong to what has opened. `row_id` is the selected row, if the desk knows better."""
        found = self.found(control)
        call = found.get(How.PRESS)
        row = CATALOGUE.by_id.get(call.action) if call is not None else None
        held = self._held(call, row_id) if call is not None and len(found) == 1 else None
        if held is not None:
            if not repeated:
                self._held_control = control
                self._hold(held, False)
        elif call is not None and row is not None and row.at_desk and len(found) == 1:
            if not repeated:
                self.asked.emit(call.action, str(call.arguments.get("view", "")))
        elif not repeated:
            if found:
                self.work(control, True)
        elif call is not None and row is not None and row.repeats:
            self.act(call.action, **call.arguments)
        return bool(found)

    def release(self, control: str) -> None:
        """A key of this desk is let go."""
        if self._held_control == control:
            self._held_control = ""
            self.holding.emit(None, False)
        else:
            self.work(control, False)

    def let_go(self) -> None:
        """Whatever had to be held is held no longer."""
        self.holding.emit(None, True)

    def begin(self, call: Call, by_mouse: bool = True) -> bool:
        """A call is asked for by something that is pressed: at once, or when it was held for long enough. Returns
        whether it has to be held; `let_go` says that it was let go."""
        held = self._held(call)
        if held is None:
            self.call(call)
            return False
        return self._hold(held, by_mouse)

    def _hold(self, held: Held, by_mouse: bool) -> bool:
        """It has to be held from now on; unless this desk's preferences say that it need not be: then it is done."""
        if self.preferences.confirm == "on air" and not self.doing():
            self.call(held.call)
            return False
        self.holding.emit(held, by_mouse)
        return True

    def _held(self, call: Call, row_id: str | None = None) -> Held | None:
        """What has to be held for a call now, if it would stop or overwrite something."""
        row = CATALOGUE.by_id.get(call.action)
        if row is None or row.held is None:
            return None
        state = self.state if row_id is None else self.state.with_desk(row=row_id)
        try:
            return row.held(state, row.params.model_validate(call.arguments))
        except (ActionRefused, ValidationError):
            return None

    def show_at(self, owner: str, sizes: Mapping[str, tuple[int, int]]) -> None:
        """Which live pictures somebody shows now ("view", or a window of its own), and how large.

        A place is "program", "next", "preview", "aux", "clean" or a camera's id; after an @ follows whose it is.
        """
        self._wanted[owner] = dict(sizes)
        self.media.show_at({place: size for each in self._wanted.values() for place, size in each.items()})

    def picture_of(self, place: str) -> QImage | None:
        """The scaled picture of a place ("program", "next" or a camera id)."""
        captured_s = self.media.pictures.captured_s.get(place)
        picture = self.media.pictures.shown.get(place)
        if picture is None or captured_s is None:
            return as_image(picture) if picture is not None else None
        kept = self._images.get(place)
        if kept is None or kept[0] != (captured_s, picture.size):  # what is painted twice is turned once
            kept = self._images[place] = ((captured_s, picture.size), as_image(picture))
        return kept[1]

    def picture_age_s(self, place: str) -> float:
        return self.now_s - self.media.pictures.captured_s.get(place, self.now_s)

    def old_picture_s(self, camera_id: str) -> float | None:
        """How old a camera's picture is, if that is worth saying: none comes, or the line to the show stands still."""
        age_s = self.picture_age_s(camera_id)
        return None if self.state.live(camera_id).picture and age_s < OLD_S else age_s

    def stored_picture(self, name: str | None, width: int, height: int) -> QPixmap | None:
        """A framing's picture, filling a size; None when there is none."""
        return self._stored.now(name, width, height)

    def stored_picture_soon(self, name: str | None, width: int, height: int) -> QPixmap | None:
        """The same, but None also while it is still to be made, a tick or more from now."""
        return self._stored.soon(name, width, height)

    def stop(self) -> None:
        """No more ticks: the window is going."""
        self._timer.stop()
        self.wait_kept()

    def _on_timer(self) -> None:
        now_s = time.monotonic()
        if self._due_s:
            self.lateness_s.append(max(0.0, now_s - self._due_s))
        self._due_s = now_s + FRAME_MS / 1000
        self._ticks += 1
        if self._with_tick or self._ticks % CHANGED_EVERY == 0:
            self._with_tick = False
            self.changed.emit()
        elif self.state is not self._seen and self._news() and not self._later.isActive():
            self._later.start()
        self.tick.emit()
        if self._stored.make_one() and not self._later.isActive():
            self._later.start()

    def _after_event(self) -> None:
        """What happened is drawn now; with the live pictures if those would be late by it."""
        self._with_tick = time.monotonic() + PAINTED_S > self._due_s
        if not self._with_tick:
            self.changed.emit()

    def _news(self) -> bool:
        """Has anything that is pressed or taken changed since the last look? (Positions change all the time.)"""
        before, now = self._seen, self.state
        self._seen = now
        return (
            now.program is not before.program
            or now.show is not before.show
            or now.desk is not before.desk
            or now.automation is not before.automation
        )

    def _hear(self, event: Event) -> None:
        """On the engine's thread. What ran is read where it is shown."""
        if not isinstance(event, ActionRan | Send | Readied):
            self._happened.emit(event)

    def _on_event(self, event: Event) -> None:
        if isinstance(event, Notice):
            self.noticed.emit(event)
        elif isinstance(event, Learned):
            self.fader_learned.emit(event) if event.coding is not None else self.learned.emit(event.control)
        elif isinstance(event, InUse):
            self.in_use.emit(event)
        elif isinstance(event, CopySaved):
            self.copy_saved.emit(event.path)
        elif isinstance(event, DeskAsked):
            self.asked.emit(event.action, event.view)
        if not self._later.isActive():
            self._later.start()
