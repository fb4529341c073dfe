"""The log file of this desk, in the user's state folder: rotating, for its owner alone, with what no guard has met.

Sentences for people are told on the window; what was behind them stands here.
"""

import faulthandler
import logging
import os
import sys
import threading
from collections.abc import Callable
from io import TextIOWrapper
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType
from typing import IO

from platformdirs import user_state_path

LARGEST, KEPT = 1_000_000, 4
_log = logging.getLogger(__name__)


def state_folder() -> Path:
    """Where this user's programs keep what they remember of themselves (XDG_STATE_HOME)."""
    return user_state_path("ribalta")


def log_path() -> Path:
    return state_folder() / "ribalta.log"


class LogFile:
    """`open` begins to write, `close` ends it and puts back the hooks of the interpreter as they were.

    A folder that cannot be written costs the log and nothing else: `trouble` says so, as a sentence.
    """

    def __init__(self, path: Path | None = None) -> None:
        self.path = path or log_path()
        self.trouble = ""
        self._handler: RotatingFileHandler | None = None
        self._crash: IO[str] | None = None
        self._hooks: tuple[Callable[..., object], Callable[..., object]] | None = None

    def open(self) -> "LogFile":
        try:
            self.path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            os.close(os.open(self.path, os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_NOFOLLOW, 0o600))
            self._handler = _Private(self.path, maxBytes=LARGEST, backupCount=KEPT, encoding="utf-8")
            self._crash = open(str(self.path.with_name("crash.log")), "a", opener=_private)  # noqa: SIM115  # kept open
        except OSError as error:
            self.trouble = f"The log {self.path} cannot be written: {error.strerror or error}."
            return self
        self._handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(threadName)s %(name)s: %(message)s"))
        logging.getLogger("ribalta").addHandler(self._handler)
        faulthandler.enable(self._crash)
        self._hooks = threading.excepthook, sys.excepthook
        threading.excepthook = _of_thread
        sys.excepthook = lambda kind, error, trace: _said_by_nobody(kind, error, trace, "the main thread")
        return self

    def close(self) -> None:
        if self._hooks is not None:
            threading.excepthook, sys.excepthook = self._hooks
            faulthandler.disable()
        if self._handler is not None:
            logging.getLogger("ribalta").removeHandler(self._handler)
            self._handler.close()
        if self._crash is not None:
            self._crash.close()


class _Private(RotatingFileHandler):
    """Each new file can be read by its owner alone."""

    def _open(self) -> TextIOWrapper:
        return open(self.baseFilename, "a", encoding="utf-8", errors="backslashreplace", opener=_private)


def _private(path: str, flags: int) -> int:
    return os.open(path, flags | os.O_NOFOLLOW, 0o600)


def _of_thread(met: threading.ExceptHookArgs) -> None:
    if met.exc_type is SystemExit or met.exc_value is None:
        return
    name = met.thread.name if met.thread is not None else "a thread that is over"
    _said_by_nobody(met.exc_type, met.exc_value, met.exc_traceback, f"thread “{name}”")


def _said_by_nobody(kind: type[BaseException], error: BaseException, trace: TracebackType | None, where: str) -> None:
    """What no guard met: into the log."""
    _log.critical("nobody met this in %s", where, exc_info=(kind, error, trace))
