"""Starts the window: on a show, on the demo, or for taking the manual's pictures."""

import os
import shutil
import signal
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

from platformdirs import user_data_path
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.storage import StoredShow, load, save
from ribalta.demo.children import StandIns
from ribalta.demo.clay_cup import SHIPPED, connected
from ribalta.desk.input.gamepad import pads_of_this_machine
from ribalta.desk.window import Window, dress
from ribalta.server.session import Session
from ribalta.server.trust import KnownShows
from ribalta.workers.logfile import LogFile


def _virtual_display() -> subprocess.Popen[bytes] | None:
    """With no display at hand, start one and say so; None when there is one."""
    if any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        return None
    command = shutil.which("Xvfb")
    if command is None:
        raise LocalFault("There is no display, and no Xvfb to make one: sudo apt-get install xvfb.")
    child = subprocess.Popen(
        [command, "-displayfd", "1", "-screen", "0", "1280x800x24", "-nolisten", "tcp", "-terminate"],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        start_new_session=True,  # Ctrl+C is for the desk, which then ends this
    )
    assert child.stdout is not None
    number = child.stdout.readline().decode().strip()
    if not number:
        raise LocalFault("There is no display, and a virtual one could not be started with Xvfb.")
    os.environ["DISPLAY"] = f":{number}"
    os.environ["QT_QPA_PLATFORM"] = "xcb"
    print(f"No display here: Ribalta runs on a virtual one, :{number}. Ctrl+C ends it.", flush=True)
    return child


def _run_window(
    stored: StoredShow, path: Path | None, then: Callable[[Session, Window], None], known: KnownShows | None = None
) -> int:
    display = _virtual_display()
    log = LogFile().open()
    try:
        app = QApplication.instance() or QApplication(sys.argv[:1])
        assert isinstance(app, QApplication)
        dress(app)
        session = Session(stored, path, known=known, trouble=log.trouble)
        session.start()
        try:
            window = Window(session, pads_of_this_machine())
            window.show()
            for number in (signal.SIGINT, signal.SIGTERM):
                signal.signal(number, lambda *_: app.quit())
            then(session, window)
            code = app.exec()
            window.close()
            return code
        finally:
            session.stop()
    finally:
        log.close()
        if display is not None:
            display.terminate()
            display.wait()
            if display.stdout is not None:
                display.stdout.close()


def open_show(path: Path, recover: str | None) -> int:
    stored = load(path)

    def answer(session: Session, window: Window) -> None:
        if recover is not None:
            window.recovery.answer(recover == "take")

    return _run_window(stored, path, answer, KnownShows())


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
    path = demo_show_path(chosen, fresh)
    stored = load(path)
    standins = StandIns(f"ribalta-demo-{os.getpid()}")
    try:
        show = connected(stored.show, standins.announcement)
        return _run_window(StoredShow(show, stored.pictures, stored.warnings), path, lambda s, w: None)
    finally:
        standins.stop()


def screenshots(folder: Path) -> int:
    """Play a short piece of the demo and keep a picture of each view."""
    from ribalta.demo.portraits import Portraits

    if not os.environ.get("DISPLAY"):
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    standins = StandIns(f"ribalta-shots-{os.getpid()}")
    try:
        stored = load(SHIPPED)
        show = connected(stored.show, standins.announcement)

        def begin(session: Session, window: Window) -> None:
            portraits = Portraits(window, folder, standins.fault)
            QTimer.singleShot(3000, portraits.start)

        return _run_window(StoredShow(show, stored.pictures), None, begin)
    finally:
        standins.stop()
