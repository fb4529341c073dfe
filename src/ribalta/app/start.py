"""The page that `ribalta` opens without a command: what can be opened, and what of it waits to be restored."""

import signal
import sys

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from ribalta.attach.runtime_folder import running
from ribalta.core.base.faults import LocalFault
from ribalta.desk.shell.start_window import StartWindow
from ribalta.desk.widgets.style import dress_as_preferred

WAKES_MS = 200


def choose() -> int | tuple[str, ...]:
    """Until something is chosen (the command line's arguments for it), or the window is closed (0)."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    dress_as_preferred(app)
    try:
        names = tuple(meeting.name for meeting in running())
    except LocalFault:  # said when one is opened
        names = ()
    window = StartWindow(names)
    window.show()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: app.quit())
    wakes = QTimer()
    wakes.timeout.connect(lambda: None)  # Python hears of a signal when it next runs
    wakes.start(WAKES_MS)
    app.exec()
    wakes.stop()
    window.stop()
    return window.chosen or 0
