"""Runs a show without a window: a keeper that starts the server, and starts it again from the journal when it dies.

The keeper imports everything once and holds the stand-ins of a demo; the server is forked from it, so that program is
back soon. Nothing of a show runs in the keeper, which has no threads of its own.
"""

import contextlib
import os
import signal
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from types import FrameType

from ribalta.app.ready_pipe import ReadyPipe
from ribalta.attach.runtime_folder import meeting_of
from ribalta.core.base.faults import LocalFault, RibaltaFault
from ribalta.core.show.files.storage import StoredShow, load
from ribalta.server.desks.desk_port import DeskPort
from ribalta.server.resuming import Resumed, resumed_from
from ribalta.server.session import Session
from ribalta.server.trust import KnownShows
from ribalta.workers import garbage
from ribalta.workers.crash_report import write_report
from ribalta.workers.logfile import LogFile

EARLY_S = 1.5  # a server that dies so soon may die of what it goes on from
ANEW_AFTER, MOST_EARLY = 3, 6
REFUSED_CODE = 3
ASK_EVERY_S = 0.5


@dataclass(frozen=True)
class Served:
    """What is to run: the show's file, how it is read (a demo's has other addresses), and whom its start is told."""

    path: Path
    read: Callable[[], StoredShow]
    known: bool = True
    ready: int = -1  # a pipe: one line of JSON goes there
    practice: bool = False


def serve(served: Served, resume: bool = False) -> int:
    """Run a show until it is ended; the exit code. Raises LocalFault for what cannot be served.

    A server that dies is started again, however often; one that dies at once, again and again, without what it would
    go on from, and in the end no more.
    """
    end = _Ending()
    early, sentence = 0, ""
    while True:
        began_s = time.monotonic()
        code = end.wait(_start(served, resume, sentence))
        if code in (0, REFUSED_CODE) or end.asked:
            return 0 if end.asked else code
        early = early + 1 if time.monotonic() - began_s < EARLY_S else 0
        report = write_report(served.path.name, code)
        if early >= MOST_EARLY:
            print(f"ribalta: The show dies whenever it is started. {report}", file=sys.stderr)
            return 1
        resume, served = early < ANEW_AFTER, replace(served, ready=-1)
        how = "from the journal" if resume else "anew, as it died again and again"
        sentence = f"The show's server ended by a fault and was started again {how}. {report}"


def _start(served: Served, resume: bool, sentence: str) -> int:
    """A server's process id."""
    child = os.fork()
    if child == 0:
        os._exit(_run_server(served, resume, sentence))
    return child


class _Ending:
    """What the keeper is told to end is ended by its server."""

    def __init__(self) -> None:
        self.asked = False
        self._child = 0
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, self._end)

    def _end(self, number: int, frame: FrameType | None) -> None:
        self.asked = True
        if self._child:
            with contextlib.suppress(ProcessLookupError):
                os.kill(self._child, signal.SIGTERM)

    def wait(self, child: int) -> int:
        """Its exit code; below 0 the signal that ended it."""
        self._child = child
        if self.asked:
            self._end(signal.SIGTERM, None)
        _, status = os.waitpid(child, 0)
        self._child = 0
        return os.waitstatus_to_exitcode(status)


def _run_server(served: Served, resume: bool, sentence: str) -> int:
    """In the forked process, whose only thread this is."""
    garbage.begin()
    over = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: over.set())
    log = LogFile().open()
    ready = ReadyPipe(served.ready)
    try:
        meeting = meeting_of(served.path)
        stored = served.read()
        resumed = resumed_from(served.path, stored) if resume else Resumed()
        known = KnownShows() if served.known and not resume else None
        trouble = " ".join(filter(None, (log.trouble, sentence)))
        session = Session(stored, served.path, known=known, trouble=trouble, resumed=resumed, practice=served.practice)
        try:
            port = DeskPort(session, meeting, over.set)
            session.start()
            port.start()
            garbage.begin()  # nor through what the show has: on its way it would hold up a frame
            ready.tell({"socket": str(meeting.path)})
            if served.ready < 0 and not sentence:
                print(f"“{meeting.name}” runs. `ribalta desk` opens a window on it. Ctrl+C ends it.", flush=True)
            while not over.wait(ASK_EVERY_S):
                pass
            port.stop()
        finally:
            session.stop()
        return 0
    except RibaltaFault as fault:
        ready.tell({"fault": str(fault)})
        print(f"ribalta: {fault}", file=sys.stderr)
        return REFUSED_CODE
    finally:
        log.close()


def serve_show(path: Path, ready: int, resume: bool) -> int:
    """`ribalta serve SHOW`. Raises LocalFault."""
    return serve(Served(path.absolute(), lambda: load(path), ready=ready), resume)


def serve_demo(path: Path, ready: int, resume: bool) -> int:
    """The demo with its stand-ins, which stay when its server dies. Raises LocalFault."""
    from ribalta.demo.children import StandIns
    from ribalta.demo.shipped import connected

    try:
        standins = StandIns(f"ribalta-demo-{os.getpid()}", again=False)
    except RibaltaFault as fault:
        ReadyPipe(ready).tell({"fault": str(fault)})
        raise
    try:

        def read() -> StoredShow:
            stored = load(path)
            return replace(stored, show=connected(stored.show, standins.announcement))

        return serve(Served(path.absolute(), read, False, ready), resume)
    finally:
        standins.stop()


def serve_practice(path: Path, ready: int, resume: bool) -> int:
    """A show on stand-ins that stand where its cameras do; the file is a copy, see `launch.practise`. Raises
    LocalFault."""
    from ribalta.demo.children import StandIns
    from ribalta.demo.practice import practised, rows_of

    try:
        rows = rows_of(load(path).show)
        if not rows:
            raise LocalFault("This show has no cameras yet: add some first, or practise with the demo.")
        standins = StandIns(f"ribalta-practice-{os.getpid()}", again=False, cameras=rows)
    except RibaltaFault as fault:
        ReadyPipe(ready).tell({"fault": str(fault)})
        raise
    try:

        def read() -> StoredShow:
            stored = load(path)
            return replace(stored, show=practised(stored.show, standins.announcement, str(path.parent)))

        return serve(Served(path.absolute(), read, False, ready, practice=True), resume)
    finally:
        standins.stop()
