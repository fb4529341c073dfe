"""Starts a window: on a show, on the demo, on a show that runs, or for taking the manual's pictures."""

import os
import shutil
import signal
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from platformdirs import user_data_path

from ribalta.app.display import Display
from ribalta.app.server_process import ServerProcess
from ribalta.attach.remote_show import RemoteShow
from ribalta.attach.runtime_folder import Meeting, answers, meeting_of, running
from ribalta.core.base.faults import LocalFault
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.storage import StoredShow, load, save
from ribalta.demo.shipped import SHIPPED, connected
from ribalta.workers.crew import Crew
from ribalta.workers.logfile import LogFile, log_path

if TYPE_CHECKING:
    from ribalta.desk.running_show import RunningShow
    from ribalta.desk.window import Window

ENDED_WITHIN_S = 20.0


def _run_desk(
    show: Callable[[], "RunningShow"],
    then: Callable[["Window"], None] = lambda _: None,
    end_show: Callable[[], None] | None = None,
    view: str = "",
) -> int:
    """A window until it is closed; `show` is called when everything that a window needs is there."""
    from PySide6.QtWidgets import QApplication

    from ribalta.desk.input.gamepad import pads_of_this_machine
    from ribalta.desk.window import Window, dress

    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    dress(app)
    window = Window(show(), pads_of_this_machine(), end_show, view)
    window.show()

    def end(*_: object) -> None:
        if end_show is not None:
            end_show()
        app.quit()

    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, end)
    then(window)
    code = app.exec()
    window.close()
    return code


class AttachedDesk:
    """A desk on a server that was started here or runs already; one that dies is started again."""

    def __init__(self, server: ServerProcess | None, meeting: Meeting | None = None, view: str = "") -> None:
        self.server, self._meeting, self._view = server, meeting, view
        self.remote: RemoteShow | None = None
        self._crew = Crew()

    def attach(self) -> RemoteShow:
        """Raises LocalFault."""
        path = self._meeting.path if self._meeting is not None else None
        if path is None:
            assert self.server is not None
            path = self.server.ready()
        self._path = path
        self.remote = RemoteShow(path, self._view, self._lost)
        return self.remote

    def end_show(self) -> None:
        """Everything that belongs to the show."""
        if self.remote is not None:
            self.remote.end_show()

    def _lost(self) -> None:
        """On the thread of the line."""
        if self.remote is not None and not self.remote.ended:
            self._crew.begin("the show's server", self._bring_back, self._say)

    def _bring_back(self) -> None:
        remote, server = self.remote, self.server or ServerProcess(Path(), socket=self._path)
        assert remote is not None
        self._say("The show's server is gone. It is being started again.")
        try:
            if not server.is_back():
                if not server.can_begin:
                    raise LocalFault("It does not come back. Open the show again.")
                server.begin(resume=True)
                server.ready()
            remote.attach_again(self._path)
            self._say("The show is back.", Severity.INFO)
        except LocalFault as fault:
            self._say(f"The show's server is gone. {fault}")

    def _say(self, sentence: str, severity: Severity = Severity.FAULT) -> None:
        if self.remote is not None:
            self.remote.tell(Notice(sentence, severity))

    def close(self) -> None:
        """The desk is over; the show too, if it was ended here."""
        if self.remote is None:
            return
        ended = self.remote.ended
        self.remote.close()
        if ended and self.server is not None:
            self.server.wait(ENDED_WITHIN_S)


def _run_attached(desk: AttachedDesk, then: Callable[["Window"], None] = lambda _: None, view: str = "") -> int:
    log = LogFile(log_path().with_name("desk.log")).open()
    try:
        try:
            return _run_desk(desk.attach, then, desk.end_show, view)
        finally:
            desk.close()
    finally:
        log.close()


def open_show(path: Path, recover: str | None) -> int:
    """A window on a show, which is started if it does not run yet. Raises LocalFault."""
    path = path.absolute()
    display = Display()
    try:
        meeting = meeting_of(path)
        if answers(meeting.path):
            return _run_attached(AttachedDesk(None, meeting))
        server = ServerProcess(path)
        server.begin()

        def answer(window: "Window") -> None:
            if recover is not None:
                window.recovery.answer(recover == "take")

        return _run_attached(AttachedDesk(server), answer)
    finally:
        display.stop()


def desk(name: str | None, view: str) -> int:
    """One more window on a show that runs. Raises LocalFault when none does, or it is not said which."""
    found = [m for m in running() if name is None or m.name.lower() == name.lower()]
    if not found:
        which = f"called “{name}” " if name is not None else ""
        raise LocalFault(f"No show {which}runs on this machine: open one, or start it with `ribalta serve`.")
    if len(found) > 1:
        names = ", ".join(f"“{m.name}”" for m in found)
        raise LocalFault(f"Several shows run on this machine: {names}. Say which: ribalta desk NAME.")
    display = Display()
    try:
        return _run_attached(AttachedDesk(None, found[0], view), view=view)
    finally:
        display.stop()


def new_show(path: Path) -> int:
    """An empty show in a new file. Raises LocalFault when there is a file of that name."""
    if path.exists():
        raise LocalFault(f"There is a show “{path.name}” already: open it, or give another name.")
    save(path, StoredShow(Show(title=path.stem[:80] or "Untitled show"), {}))
    return open_show(path, None)


def demo_show_path(chosen: Path | None, fresh: bool) -> Path:
    """Where the demo's show is kept, put there first if need be."""
    path = chosen or user_data_path("ribalta") / "clay-cup.ribalta"
    try:
        if fresh or not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(SHIPPED, path)
            for journal in path.parent.glob(path.name + ".journal*"):
                journal.unlink()
    except OSError as error:
        raise LocalFault(f"The demo's show cannot be put at {path}: {error.strerror or error}.") from None
    return path


def demo(chosen: Path | None, fresh: bool) -> int:
    """The demo with its stand-ins; a window on it if it runs already. Raises LocalFault."""
    path = demo_show_path(chosen, fresh).absolute()
    display = Display()
    try:
        meeting = meeting_of(path)
        if answers(meeting.path):
            return _run_attached(AttachedDesk(None, meeting))
        server = ServerProcess(path, ("--demo",))
        server.begin()
        return _run_attached(AttachedDesk(server))
    finally:
        display.stop()


def screenshots(folder: Path) -> int:
    """Play a short piece of the demo, all in one process, and keep a picture of each view."""
    from PySide6.QtCore import QTimer

    from ribalta.demo.children import StandIns
    from ribalta.demo.portraits import Portraits
    from ribalta.server.session import Session

    if not os.environ.get("DISPLAY"):
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    standins = StandIns(f"ribalta-shots-{os.getpid()}")
    try:
        stored = load(SHIPPED)
        session: Session = Session(StoredShow(connected(stored.show, standins.announcement), stored.pictures), None)
        session.start()

        def begin(window: "Window") -> None:
            portraits = Portraits(window, folder, standins.fault)
            QTimer.singleShot(3000, portraits.start)

        try:
            return _run_desk(lambda: session, begin)
        finally:
            session.stop()
    finally:
        standins.stop()
