"""A window on a show: attached to a server, or (for the manual's pictures) in one process with it.

What is not Qt's is loaded first: Qt reads the source of each module that is loaded after it.
"""

import signal
import sys
from collections.abc import Callable
from pathlib import Path

from ribalta.app.server_process import ServerProcess
from ribalta.attach.remote_show import RemoteShow
from ribalta.attach.runtime_folder import Meeting
from ribalta.core.base.faults import LocalFault
from ribalta.core.ports.messages import Notice, Severity
from ribalta.desk.input.gamepad import pads_of_this_machine
from ribalta.desk.remembered import remember_show, remember_window, window_place
from ribalta.desk.running_show import RunningShow
from ribalta.desk.widgets.style import dress_as_preferred
from ribalta.desk.window import Window
from ribalta.workers.crew import Crew
from ribalta.workers.logfile import LogFile, log_path, state_folder

ENDED_WITHIN_S = 20.0


def run_desk(
    show: Callable[[], RunningShow],
    then: Callable[[Window], None] = lambda _: None,
    end_show: Callable[[], None] | None = None,
    view: str = "",
    remembers: bool = True,
    began: bool = True,
) -> int | tuple[str, ...]:
    """A window until it is closed; `show` is called when everything that a window needs is there. It stands where the
    last one stood, if it `remembers`. Returns an exit code, or the arguments of what is to be opened next."""
    from PySide6.QtWidgets import QApplication

    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    dress_as_preferred(app)
    window = Window(show(), pads_of_this_machine(), end_show, view, began)
    if remembers:
        window.take_place(window_place(), with_view=not view)
    window.show()
    path = window.bridge.file.path
    if remembers and path is not None:
        window.bridge.crew.begin("recent shows", lambda: remember_show(path))

    def end(*_: object) -> None:
        if end_show is not None:
            end_show()
        app.quit()

    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, end)
    then(window)
    code = app.exec()
    if remembers:
        remember_window(window.place())
    window.close()
    return window.then or code


class AttachedDesk:
    """A desk on a server that was started here or runs already; one that dies is started again."""

    def __init__(self, server: ServerProcess | None, meeting: Meeting | None = None, view: str = "") -> None:
        self.server, self._meeting, self._view = server, meeting, view
        self.remote: RemoteShow | None = None
        self._crew = Crew()

    def attach(self) -> RemoteShow:
        """Raises LocalFault."""
        self.remote = RemoteShow(self._where, self._view, self._lost)
        return self.remote

    def _where(self) -> Path:
        """Where the server listens, once it does."""
        if self._meeting is not None:
            self._path = self._meeting.path
        else:
            assert self.server is not None
            self._path = self.server.ready()
        return self._path

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
            self._say(f"The show is back. What is known of its fault is in {state_folder()}.", Severity.INFO)
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


def run_attached(
    desk: AttachedDesk, then: Callable[[Window], None] = lambda _: None, view: str = ""
) -> int | tuple[str, ...]:
    """See `run_desk`."""
    log = LogFile(log_path().with_name("desk.log")).open()
    try:
        try:
            return run_desk(desk.attach, then, desk.end_show, view, began=desk.server is not None)
        finally:
            desk.close()
    finally:
        log.close()
