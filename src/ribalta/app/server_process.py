"""The server of a show as a process of its own: started, waited for, and started again by a desk when it is gone."""

import os
import subprocess
import sys
import threading
from dataclasses import dataclass, field
from pathlib import Path

from ribalta.app.ready_pipe import heard
from ribalta.attach.runtime_folder import answers
from ribalta.core.base.faults import LocalFault

READY_WITHIN_S = 90.0
BACK_WITHIN_S = 4.0
ENDS_WITHIN_S = 5.0
LOOK_EVERY_S = 0.02


@dataclass
class ServerProcess:
    """`show` is the file, `options` more of its command line. Raises LocalFault as the server says it."""

    show: Path
    options: tuple[str, ...] = ()
    socket: Path | None = None
    _child: subprocess.Popen[bytes] | None = field(default=None, repr=False)
    _pipe: int = -1

    def begin(self, resume: bool = False) -> None:
        """Start it; what comes of it is heard by `ready`."""
        reading, writing = os.pipe()
        command = [sys.executable, "-m", "ribalta", "serve", str(self.show), *self.options, "--ready", str(writing)]
        if resume:
            command.append("--resume")
        try:
            self._child = subprocess.Popen(
                command,
                stdin=subprocess.DEVNULL,
                pass_fds=(writing,),
                start_new_session=True,  # it outlives whoever started it
            )
        except OSError as error:
            os.close(reading)
            raise LocalFault(f"The show cannot be started: {error.strerror or error}.") from None
        finally:
            os.close(writing)
        self._pipe = reading

    def ready(self) -> Path:
        """Where it listens, when it does. Raises LocalFault with what it says, or when it says nothing."""
        pipe, self._pipe = self._pipe, -1
        try:
            self.socket = heard(pipe, READY_WITHIN_S, "The show ended before it began: see the log.")
        except LocalFault:
            self.wait(ENDS_WITHIN_S)
            raise
        return self.socket

    @property
    def pid(self) -> int:
        """Of its keeper. Raises LocalFault when it was not started here."""
        if self._child is None:
            raise LocalFault("That show was started elsewhere.")
        return self._child.pid

    @property
    def can_begin(self) -> bool:
        """Is it known here how it is started?"""
        return self.show != Path()

    def is_back(self, within_s: float = BACK_WITHIN_S) -> bool:
        """Does its keeper start it again within so many seconds?"""
        pause = threading.Event()
        for _ in range(max(1, round(within_s / LOOK_EVERY_S))):
            if self.socket is not None and self.socket.exists() and answers(self.socket):
                return True
            if self._child is not None and self._child.poll() is not None:
                return False
            pause.wait(LOOK_EVERY_S)
        return False

    def wait(self, within_s: float) -> None:
        """For its end, once it was told to end; after so long it is ended."""
        if self._child is None:
            return
        try:
            self._child.wait(within_s)
        except subprocess.TimeoutExpired:
            self._child.terminate()
            self._child.wait()
