"""What is known when a process died, as one file that its user can hand on. Nothing is sent anywhere."""

import os
import platform
import signal
import sys
from datetime import datetime
from pathlib import Path

from ribalta import __version__
from ribalta.workers.logfile import log_path, state_folder

LINES, KEPT = 300, 10


def _tail(path: Path) -> str:
    try:
        return "\n".join(path.read_text(errors="replace").splitlines()[-LINES:])
    except OSError as error:
        return f"({error.strerror or error})"


def how_it_ended(code: int) -> str:
    """An exit code in words; below 0 it is a signal."""
    if code >= 0:
        return f"exit code {code}"
    try:
        return f"signal {-code} ({signal.Signals(-code).name})"
    except ValueError:
        return f"signal {-code}"


def write_report(show: str, code: int) -> str:
    """A sentence that says where it is, or why there is none."""
    folder = state_folder()
    path = folder / f"crash-{datetime.now():%Y%m%d-%H%M%S}.txt"
    text = "\n\n".join(
        (
            f"Ribalta {__version__}, Python {sys.version.split()[0]}, {platform.platform()}",
            f"The server of “{show}” ended with {how_it_ended(code)} at {datetime.now():%Y-%m-%d %H:%M:%S}.",
            f"The end of the log:\n{_tail(log_path())}",
            f"Where the threads were:\n{_tail(log_path().with_name('crash.log'))}",
        )
    )
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o600), "w") as file:
            file.write(text)
        for old in sorted(folder.glob("crash-*.txt"))[:-KEPT]:
            old.unlink()
    except OSError as error:
        return f"No report could be written: {error.strerror or error}."
    return f"A report is in {path}; it is sent nowhere."
