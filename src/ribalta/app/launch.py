"""Opens a window: on a show, on the demo, on a show that runs, or for taking the manual's pictures.

The server is started before anything else is loaded: it begins while the window is still being made.
"""

import os
import shutil
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from platformdirs import user_data_path

from ribalta.app.display import Display
from ribalta.app.server_process import ServerProcess
from ribalta.attach.runtime_folder import Meeting, answers, meeting_of, running
from ribalta.core.base.faults import LocalFault
from ribalta.demo.shipped import SHIPPED
from ribalta.workers import garbage

if TYPE_CHECKING:
    from ribalta.desk.window import Window

Ended = int | tuple[str, ...]  # an exit code, or the arguments of what is to be opened next


def start_page() -> Ended:
    """What can be opened: a new show, one from before, the demo, one that runs. Raises LocalFault."""
    from ribalta.app.start import choose

    display = Display()
    try:
        garbage.begin()
        return choose()
    finally:
        display.stop()


def _attach(
    server: ServerProcess | None,
    meeting: Meeting | None = None,
    view: str = "",
    recover: str = "",
    guided: bool = False,
) -> Ended:
    from ribalta.app.attached import AttachedDesk, run_attached

    garbage.begin()

    def answer(window: "Window") -> None:
        if recover:
            window.recovery.answer(recover == "take")
        if guided:
            window.guide_line.begin()

    return run_attached(AttachedDesk(server, meeting, view), answer, view)


def open_show(path: Path, recover: str | None) -> Ended:
    """A window on a show, which is started if it does not run yet. Raises LocalFault."""
    path = path.absolute()
    display = Display()
    try:
        meeting = meeting_of(path)
        if answers(meeting.path):
            return _attach(None, meeting)
        server = ServerProcess(path)
        server.begin()
        return _attach(server, recover=recover or "")
    finally:
        display.stop()


def desk(name: str | None, view: str) -> Ended:
    """One more window on a show that runs. Raises LocalFault when none does, or it is not said which."""
    found = tuple(m for m in running() if name is None or m.name.lower() == name.lower())
    if not found:
        which = f"called “{name}” " if name is not None else ""
        raise LocalFault(f"No show {which}runs on this machine: open one, or start it with `ribalta serve`.")
    meeting = found[0] if len(found) == 1 else _chosen(found)
    display = Display()
    try:
        return _attach(None, meeting, view)
    finally:
        display.stop()


def station(link: str, fingerprint: str, name: str, view: str) -> Ended:
    """A window on a show that runs on another machine. Raises LocalFault when it does not let this one in."""
    from ribalta.app.station import LineProcess

    line = LineProcess(link, fingerprint, name)
    display = Display()
    try:
        return _attach(None, line.meeting, view)
    finally:
        display.stop()
        line.close()


def _chosen(found: tuple[Meeting, ...]) -> Meeting:
    """Asked where the command was given. Raises LocalFault when nobody is there to answer."""
    names = ", ".join(f"“{m.name}”" for m in found)
    if not sys.stdin.isatty():
        raise LocalFault(f"Several shows run on this machine: {names}. Say which: ribalta desk NAME.")
    for k, meeting in enumerate(found, 1):
        print(f"{k}  {meeting.name}")
    answer = input(f"Which show? 1 to {len(found)}: ").strip()
    if not answer.isdigit() or not 1 <= int(answer) <= len(found):
        raise LocalFault(f"“{answer}” is none of them.")
    return found[int(answer) - 1]


def new_show(path: Path) -> Ended:
    """An empty show in a new file. Raises LocalFault when there is a file of that name."""
    from ribalta.core.show.document.model import Show
    from ribalta.core.show.files.storage import StoredShow, save

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


def demo(chosen: Path | None, fresh: bool, guided: bool = False) -> Ended:
    """The demo with its stand-ins; a window on it if it runs already. `guided`: with advice on what to press. Raises
    LocalFault."""
    path = demo_show_path(chosen, fresh).absolute()
    display = Display()
    try:
        meeting = meeting_of(path)
        if answers(meeting.path):
            return _attach(None, meeting, guided=guided)
        server = ServerProcess(path, ("--demo",))
        server.begin()
        return _attach(server, guided=guided)
    finally:
        display.stop()


def practise(path: Path) -> Ended:
    """A copy of a show on stand-ins, begun anew each time; the show itself stays as it is. Raises LocalFault."""
    from ribalta.core.show.files.storage import load, save

    folder = user_data_path("ribalta") / "practice"
    copy = folder / path.name
    display = Display()
    try:
        meeting = meeting_of(copy.absolute())
        if answers(meeting.path):
            return _attach(None, meeting)
        stored = load(path)
        try:
            folder.mkdir(parents=True, exist_ok=True)
            for journal in folder.glob(copy.name + ".journal*"):
                journal.unlink()
        except OSError as error:
            raise LocalFault(f"A copy cannot be put at {copy}: {error.strerror or error}.") from None
        save(copy, stored)
        server = ServerProcess(copy, ("--practice",))
        server.begin()
        return _attach(server)
    finally:
        display.stop()


def screenshots(folder: Path) -> Ended:
    """Play a short piece of the demo, all in one process, and keep a picture of each view."""
    from PySide6.QtCore import QTimer

    from ribalta.app.attached import run_desk
    from ribalta.core.show.files.storage import StoredShow, load
    from ribalta.demo.children import StandIns
    from ribalta.demo.portraits import Portraits
    from ribalta.demo.shipped import connected
    from ribalta.server.session import Session

    if not os.environ.get("DISPLAY"):
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    standins = StandIns(f"ribalta-shots-{os.getpid()}")
    try:
        stored = load(SHIPPED)
        session: Session = Session(StoredShow(connected(stored.show, standins.announcement), stored.pictures), None)
        session.start()

        def begin(window: "Window") -> None:
            portraits = Portraits(window, folder)
            QTimer.singleShot(3000, portraits.start)

        try:
            return run_desk(lambda: session, begin, remembers=False)
        finally:
            session.stop()
    finally:
        standins.stop()
