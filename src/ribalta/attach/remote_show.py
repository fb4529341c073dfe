"""A running show as a desk sees it over a line to its server; see `desk/running_show.RunningShow`, which it fulfils."""

import contextlib
import os
import selectors
import socket
import threading
import time
from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ribalta.attach.crew_line import at_file
from ribalta.attach.line import Damaged, Line
from ribalta.attach.pictures import PicturesIn
from ribalta.attach.protocol import ANSWERS, CALLS, VALUES, VERSION, Said, Who
from ribalta.attach.remote_file import RemoteFile, RemoteTransfers
from ribalta.attach.remote_parts import (
    RemoteControls,
    RemoteFaders,
    RemoteGuests,
    RemoteMedia,
    RemoteMessages,
    RemoteOutputs,
    RemoteOutside,
    SeenPictures,
    Told,
)
from ribalta.attach.remote_setup import (
    RemoteCameraJobs,
    RemoteClosing,
    RemoteEvening,
    RemotePasswords,
    RemotePlacing,
    RemoteReadiness,
    RemoteSetup,
)
from ribalta.core.base.clock import ShiftedClock
from ribalta.core.base.faults import LocalFault, RibaltaFault
from ribalta.core.base.plain import Forms, NotPlain, Plain
from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.state.changes import StateChanges
from ribalta.core.engine.state.live import LiveState, opening_state
from ribalta.core.engine.views.as_run import AsRun
from ribalta.core.engine.views.history import History
from ribalta.core.engine.views.show_log import ShowLog
from ribalta.core.ports.as_run import AsRunAdded, AsRunLine
from ribalta.core.ports.causes import BY_HAND, ActionRan, Cause
from ribalta.core.ports.messages import Event, Notice, Severity
from ribalta.core.show.document.model import Show
from ribalta.workers.crew import Crew

WITHIN_S = 5.0  # for a server to say how the show stands
NAP_S, SILENT_S = 0.5, 3.0
MOST_ASKED = 10_000
LOST = "The show does not answer: it runs no more, or this window has lost it."


@dataclass
class _Asked:
    name: str
    answer: Callable[[Any], None]


class RemoteShow:
    """It attaches as it is made. `state` is the newest that has come; events are told on a thread of its own.

    `on_lost` is called on that thread when the server is gone, `attach_again` goes on with another one of the same
    show: what a desk has of it stays the same object.
    """

    def __init__(
        self,
        path: Path | Callable[[], Path],
        view: str = "",
        on_lost: Callable[[], None] = lambda: None,
        who: Who = Who.DESK,
    ) -> None:
        """`path` may be asked for when everything here is ready. Raises LocalFault when nothing answers there, or the
        desk is not wanted."""
        self.clock = ShiftedClock()
        self.log = ShowLog(History(CATALOGUE.is_continuous), AsRun())
        self.number = ""
        self._noted = 0
        self._far = False
        self.ended = False  # the show was ended from here
        self._view, self._on_lost, self._who = view, on_lost, who
        self._forms = Forms()
        self._changes = StateChanges(self._forms)
        self._calls = {name: tuple(map(self._forms.of, kinds)) for name, kinds in CALLS.items()}
        self._answers = {name: self._forms.of(kind) for name, kind in ANSWERS.items()}
        self._values = {name: self._forms.of(kind) for name, kind in VALUES.items()}
        self._event, self._ran = self._forms.of(Event), self._forms.of(ActionRan)
        self._log_line = self._forms.of(AsRunLine)
        self._state: LiveState | None = None
        self._told = Told()
        self._listeners: list[Callable[[Event], None]] = []
        self._asked: dict[int, _Asked] = {}
        self._count = 0
        self._leaving: deque[list[Plain]] = deque()
        self._lock, self._sending = threading.Lock(), threading.Lock()
        self._welcome = threading.Event()
        self._refused = ""
        self._stopping = False
        self._heard_s, self._silent = time.monotonic(), False
        self._line: Line | None = None
        self._wake_file = os.eventfd(0, os.EFD_CLOEXEC | os.EFD_NONBLOCK)
        self.crew = Crew(lambda said: self.tell(Notice(said, Severity.FAULT)))
        self.media = RemoteMedia(self._ask, self._told)
        self.outputs = RemoteOutputs(self._told)
        self.controls = RemoteControls(self._ask, lambda: self.state, RemoteFaders(self._ask))
        self.outside = RemoteOutside(RemoteMessages(self._ask, self._told), RemoteGuests(self._ask, self._told))
        self.file = RemoteFile(self._ask, self._told, RemoteTransfers(self._ask, self._beside))
        self.evening = RemoteEvening(RemoteReadiness(self._ask, self._told), RemoteClosing(self._told))
        self.setup = RemoteSetup(
            RemoteCameraJobs(self._ask, self._told),
            RemotePlacing(self._ask, self._told),
            RemotePasswords(self._ask),
        )
        self._worker = self.crew.worker("server", self._run, again=False)
        nothing = opening_state(Show())
        self._changes.applied(None, self._changes.between(None, nothing))  # now, while the server may still begin
        self.attach_again(path() if callable(path) else path)

    @property
    def state(self) -> LiveState:
        assert self._state is not None
        return self._state

    @property
    def is_attached(self) -> bool:
        """Is there a server at the other end?"""
        return self._line is not None

    @property
    def traffic(self) -> tuple[int, int]:
        """Bytes that have come and gone so far."""
        line = self._line
        return (line.bytes_in, line.bytes_out) if line is not None else (0, 0)

    def attach_again(self, path: Path) -> None:
        """Go on with the server that listens there. Raises LocalFault; waits for at most WITHIN_S."""
        made = socket.socket(socket.AF_UNIX)
        made.settimeout(WITHIN_S)
        try:
            made.connect(os.fspath(path))
        except OSError as error:
            made.close()
            raise LocalFault(f"No show answers at {path}: {error.strerror or error}.") from None
        line = Line(made)
        self._fresh, self._refused = True, ""
        self._heard_s, self._silent = time.monotonic(), False
        self._welcome.clear()
        with self._lock:
            self._asked.clear()
            self._leaving.clear()
        line.put([Said.HELLO, VERSION, os.getpid(), self._view, self._who, ""])
        self._line = line
        self.file.ask_again()
        self.media.ask_again()
        self._worker.join(WITHIN_S)
        self._worker = self.crew.worker("server", self._run, again=False)
        self._worker.start()
        if not self._welcome.wait(WITHIN_S) or self._refused:
            self.leave()
            raise LocalFault(self._refused or f"The show at {path} does not say how it stands: it is busy, or hangs.")

    def leave(self) -> None:
        """The desk goes; the show goes on. What was asked before is still sent."""
        self._stopping = True
        self._wake()
        self._worker.stop()
        self._worker.join(WITHIN_S)
        self._stopping = False

    def close(self) -> None:
        """Leave for good."""
        self.leave()
        if self._wake_file >= 0:
            os.close(self._wake_file)
            self._wake_file = -1

    def end_show(self) -> None:
        """The show is to end, with everything that belongs to it."""
        self.ended = True
        self._ask("end_show")

    def act(
        self,
        action_id: str,
        arguments: Mapping[str, Any],
        recall_only: bool = False,
        cause: Cause = BY_HAND,
        answer: Callable[[str], None] | None = None,
    ) -> None:
        """Ask for an action. What comes of it is seen in the state and heard as events; `answer` is told the sentence
        with which it was refused, or nothing, on the thread of the line."""
        self._ask("act", action_id, dict(arguments), recall_only, cause, answer=answer)

    def listen(self, listener: Callable[[Event], None]) -> None:
        """Be told of every event, on the thread of the line."""
        self._listeners.append(listener)

    # From any thread

    def _ask(self, name: str, *given: Any, answer: Callable[[Any], None] | None = None) -> None:
        if self._line is None:
            if name not in ("media.show_at", "media.sound_devices", "file.picture"):
                self.tell(Notice(f"{LOST} Nothing was done.", Severity.FAULT))
            return
        try:
            trees = [form.to(value) for form, value in zip(self._calls[name], given, strict=True)]
        except NotPlain as error:
            self.tell(Notice(f"That cannot be asked of the show: {error}.", Severity.FAULT))
            return
        with self._lock:
            self._count += 1
            if len(self._leaving) >= MOST_ASKED:
                return  # a server that takes nothing any more is seen by its line
            if answer is not None:
                self._asked[self._count] = _Asked(name, answer)
            self._leaving.append([Said.CALL, self._count, name, trees])
        self._send_now()

    def _send_now(self) -> None:
        """A key goes from the thread that was asked: the line's own may have to wait while a view is painted."""
        line = self._line
        if line is None or not self._welcome.is_set() or not self._sending.acquire(blocking=False):
            self._wake()
            return
        try:
            self._give(line)
        except OSError:
            self._wake()  # the line's thread says it
        finally:
            self._sending.release()
        if line.waits or self._leaving:
            self._wake()

    def _beside(self, work: Callable[[], str]) -> None:
        def done() -> None:
            try:
                self.tell(Notice(work()))
            except RibaltaFault as fault:
                self.tell(Notice(str(fault), Severity.FAULT))

        self.crew.begin("writing", done, lambda said: self.tell(Notice(said, Severity.FAULT)))

    def _wake(self) -> None:
        with contextlib.suppress(OSError):
            os.eventfd_write(self._wake_file, 1)

    def tell(self, event: Event) -> None:
        """Everybody who listens here."""
        for listener in list(self._listeners):
            with self.crew.guarded("a listener to the show", "Go on."):
                listener(event)

    # The thread of the line

    def _run(self) -> None:
        line = self._line
        assert line is not None
        selector = selectors.DefaultSelector()
        selector.register(line, selectors.EVENT_READ)
        selector.register(self._wake_file, selectors.EVENT_READ)
        try:
            while not self._stopping:
                self._round(line, selector)
            self._send(line)
        except Damaged as error:
            self._refused = f"The show said what this desk cannot understand: {error}."
        except OSError:
            self._last_words(line)
        finally:
            selector.close()
            line.close()
            self._line = None
            self._welcome.set()
        if not self._stopping:
            self._lost()

    def _last_words(self, line: Line) -> None:
        """Why this desk was sent away, if it was."""
        with contextlib.suppress(OSError, IndexError, TypeError, StopIteration):
            self._refused = self._refused or next(str(x[1]) for x in line.receive() if x[0] == Said.REFUSED)

    def _lost(self) -> None:
        if not self._refused:
            self._refused = LOST
        if self._state is not None and not self.ended:
            self.tell(Notice(self._refused, Severity.FAULT))
        self._on_lost()

    def _round(self, line: Line, selector: selectors.BaseSelector) -> None:
        wanted = selectors.EVENT_READ | (selectors.EVENT_WRITE if line.waits else 0)
        selector.modify(line, wanted)
        for key, _ in selector.select(NAP_S):
            if key.fileobj == self._wake_file:
                with contextlib.suppress(BlockingIOError):
                    os.eventfd_read(self._wake_file)
        self._send(line)
        self._look_whether_it_answers()
        for message in line.receive():
            try:
                self._hear(line, message)
            except (NotPlain, KeyError, TypeError, ValueError, IndexError) as error:
                raise Damaged(str(error)) from None

    def _send(self, line: Line) -> None:
        """What was asked for, as much as the server takes now."""
        with self._sending:
            self._give(line)

    def _give(self, line: Line) -> None:
        line.send()
        while self._leaving and not line.waits:
            with self._lock:
                line.put(self._leaving.popleft())
            line.send()

    def _look_whether_it_answers(self) -> None:
        """A server says something at least every second."""
        silent_s = time.monotonic() - self._heard_s
        if silent_s > SILENT_S and not self._silent and not self._fresh:
            self._silent = True
            then = "what you press now may be lost" if self._far else "what you press is done then"
            said = f"The show has not answered for {silent_s:.0f} s. It is waited for; {then}."
            self.tell(Notice(said, Severity.FAULT))

    def _hear(self, line: Line, message: Any) -> None:
        match message:
            case [Said.WELCOME, str(number), *ahead]:
                self.number = number
                self._far = bool(ahead)  # on another machine
                self.clock.ahead_s = float(ahead[0]) if ahead else 0.0
            case [Said.REFUSED, str(sentence)]:
                self._refused = sentence
                raise ConnectionAbortedError(sentence)
            case [Said.UPDATE, dict(said)]:
                self._update(line, said)
            case _:
                raise Damaged("a message that there is not")

    def _update(self, line: Line, said: dict[str, Plain]) -> None:
        self._heard_s = time.monotonic()
        if self._silent:
            self._silent = False
            self.tell(Notice("The show answers again."))
        if "values" in said:
            for name, tree in said["values"].items():
                if name in self._values:
                    self._told.values[name] = self._values[name].back(tree)
        if "pictures" in said:
            sizes = {str(place): (int(w), int(h)) for place, (w, h) in said["pictures"].items()}
            self.media.pictures = SeenPictures(PicturesIn(line.file(), sizes))
        if "crew" in said:
            self.outside.guests.crew = at_file(line.file())
        if "state" in said:
            self._state = self._changes.applied(None if self._fresh else self._state, said["state"])
            self._fresh = False
        for tree in said.get("lines", ()):
            self._note(self._ran.back(tree))
        for tree in said.get("log", ()):
            self.log.as_run.add(self._log_line.back(tree))
        for tree in said.get("events", ()):
            event = self._event.back(tree)
            if isinstance(event, AsRunAdded):
                self.log.as_run.add(event.line)
            if isinstance(event, ActionRan):
                self._note(event)
            self.tell(event)
        for number, tree in said.get("answers", ()):
            with self._lock:
                asked = self._asked.pop(number, None)
            if asked is not None:
                asked.answer(self._answers[asked.name].back(tree))
        if self._state is not None and not self._fresh:
            self._welcome.set()

    def _note(self, ran: ActionRan) -> None:
        """In the list of what ran, once."""
        if ran.number > self._noted:
            self._noted = ran.number
            self.log.history.add(ran)
