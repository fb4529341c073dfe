"""The demo's stand-ins: a child process that is started again, with the same addresses, when it dies."""

import contextlib
import json
import os
import select
import socket
import subprocess
import sys
import tempfile
import threading
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import IO, Any

from ribalta.core.base.faults import LocalFault
from ribalta.workers.crew import Crew

ANSWERS_WITHIN_S = 5.0
AGAIN_AFTER_S = 2.0
ANNOUNCED_WITHIN_S = 60.0


class StandIns:
    """Raises LocalFault when they cannot be started; the sentence is theirs."""

    def __init__(
        self,
        name: str,
        again: bool = True,
        cameras: Sequence[Mapping[str, Any]] = (),
        stamp: bool = False,
        keep_up: bool = False,
    ) -> None:
        """`cameras` are others than those of the Clay Cup; see `standins/plans.py`. `stamp`, `keep_up`: see
        `ribalta standins`."""
        self._name, self._stamp, self._keep_up = name, stamp, keep_up
        self._plan = tempfile.mkstemp(suffix=".json")[1] if cameras else ""  # it is read at every start
        if self._plan:
            Path(self._plan).write_text(json.dumps(list(cameras)))
        self._stopping = threading.Event()
        self._child, self.announcement = self._start("")
        self._watch = Crew().worker("stand-ins", self._keep_alive)
        if again:
            self._watch.start()

    def _start(self, net: str) -> tuple[subprocess.Popen[str], dict[str, Any]]:
        command = [sys.executable, "-m", "ribalta", "standins", "--with-parent", str(os.getpid()), "--name", self._name]
        if net:
            command += ["--net", net]
        if self._stamp:
            command.append("--stamp")
        if self._keep_up:
            command.append("--keep-up")
        if self._plan:
            command += ["--cameras", self._plan]
        with tempfile.TemporaryFile("w+") as complaints:
            return self._announced(command, complaints)

    @staticmethod
    def _announced(command: list[str], complaints: IO[str]) -> tuple[subprocess.Popen[str], dict[str, Any]]:
        # a session of its own: Ctrl+C is for the desk, which then ends these
        child = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=complaints, text=True, start_new_session=True)
        assert child.stdout is not None
        poll = select.poll()
        poll.register(child.stdout, select.POLLIN)
        heard = poll.poll(1000 * ANNOUNCED_WITHIN_S)
        line = child.stdout.readline() if heard else ""
        if not line:
            child.kill()
            child.wait()
            child.stdout.close()
            complaints.seek(0)
            said = complaints.read().strip().removeprefix("ribalta: ")
            raise LocalFault(said or "The stand-in cameras ended before they began.")
        return child, json.loads(line)

    def fault(self, camera: int, **faults: Any) -> None:
        """Make something go wrong with a camera, or right again. Raises LocalFault for what cannot be."""
        self._ask({"camera": camera, "faults": faults})

    def heard(self) -> list[dict[str, Any]]:
        """What the message partner has received: {"at_s", "words"}, the oldest first."""
        return list(self._ask({"partner": "heard"})["heard"])

    def send(self, **message: Any) -> None:
        """Have the message partner send something: see `standins/partner.py`."""
        self._ask({"partner": "send", **message})

    def speak(self, conversation: dict[str, Any]) -> float:
        """Have the voices speak these turns; when they began (CLOCK_MONOTONIC): see `standins/sound/voices.py`."""
        return float(self._ask({"voices": conversation})["begun_s"])

    def _ask(self, asked: dict[str, Any]) -> dict[str, Any]:
        control = self.announcement["control"]
        try:
            with socket.create_connection((control["host"], control["port"]), ANSWERS_WITHIN_S) as line:
                line.sendall(json.dumps(asked).encode() + b"\n")
                answer: dict[str, Any] = json.loads(line.makefile().readline())
        except (OSError, ValueError) as error:
            raise LocalFault(f"The stand-ins do not answer ({error}).") from None
        if "error" in answer:
            raise LocalFault(f"The stand-ins say: {answer['error']}.")
        return answer

    def kill(self) -> None:
        """What a crash would do (for tests and for the curious)."""
        self._child.kill()

    def stop(self) -> None:
        self._stopping.set()
        self._child.terminate()
        self._watch.stop()
        self._watch.join()
        self._close()
        if self._plan:
            Path(self._plan).unlink(missing_ok=True)

    def _close(self) -> None:
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._child.wait(5)
        if self._child.stdout is not None:
            self._child.stdout.close()

    def _keep_alive(self) -> None:
        while not self._stopping.is_set():
            self._child.wait()
            if self._stopping.wait(AGAIN_AFTER_S):
                return
            self._close()
            with contextlib.suppress(LocalFault):
                self._child, _ = self._start(self.announcement["net"])
