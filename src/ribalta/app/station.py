"""`ribalta desk --at LINK`: a window on a show that runs on another machine. Its line is a process of its own, which
the window takes for the show's server."""

import asyncio
import contextlib
import os
import signal
import subprocess
import sys
from pathlib import Path
from urllib.parse import urlsplit

from ribalta.app.ready_pipe import ReadyPipe, heard
from ribalta.attach.runtime_folder import Meeting, runtime_folder
from ribalta.core.base.faults import LocalFault, RibaltaFault

READY_WITHIN_S, ENDS_WITHIN_S = 15.0, 3.0


def fingerprint_of(text: str) -> bytes | None:
    """SHA-256 as Rig shows it, in groups or not; None for none. Raises LocalFault."""
    digits = "".join(text.split()).replace(":", "")
    if not digits:
        return None
    with contextlib.suppress(ValueError):
        if len(found := bytes.fromhex(digits)) == 32:
            return found
    raise LocalFault("A fingerprint is 64 hexadecimal digits, as Rig shows it under Guests.")


def keep_line(link: str, fingerprint: str, name: str, at: Path, ready: int) -> int:
    """The process of the line; it ends with the invitation, or with whoever started it."""
    from ribalta.remote.guests.station_line import StationLine

    pipe = ReadyPipe(ready)
    loop = asyncio.new_event_loop()
    try:
        line = StationLine(link, fingerprint_of(fingerprint), name, at)
        task = loop.create_task(line.run(lambda: pipe.tell({"socket": str(at)})))
        for number in (signal.SIGTERM, signal.SIGINT):
            loop.add_signal_handler(number, task.cancel)
        with contextlib.suppress(asyncio.CancelledError):
            loop.run_until_complete(task)
    except RibaltaFault as fault:
        pipe.tell({"fault": str(fault)})
        return 3
    finally:
        loop.close()
    return 0


class LineProcess:
    """The line to another machine's show, for as long as a window wants it."""

    def __init__(self, link: str, fingerprint: str, name: str) -> None:
        """Raises LocalFault when the show does not let this station in, or does not answer."""
        host = urlsplit(link).hostname or "elsewhere"
        at = runtime_folder() / f"station-{os.getpid()}.sock"
        reading, writing = os.pipe()
        command = [sys.executable, "-m", "ribalta", "station", link, "--listen", str(at), "--ready", str(writing)]
        command += ["--fingerprint", fingerprint, "--name", name]
        self._child = subprocess.Popen(command, stdin=subprocess.DEVNULL, pass_fds=(writing,))
        os.close(writing)
        try:
            self.meeting = Meeting(host, heard(reading, READY_WITHIN_S, f"The line to {host} could not be begun."))
        except LocalFault:
            self.close()
            raise

    def close(self) -> None:
        """End it."""
        self._child.terminate()
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._child.wait(ENDS_WITHIN_S)
        if self._child.poll() is None:
            self._child.kill()
            self._child.wait()
