"""How a process says over a pipe that it is ready, or why it cannot be: one line of JSON."""

import contextlib
import json
import os
import select
from pathlib import Path

from ribalta.core.base.faults import LocalFault


class ReadyPipe:
    """The end that is written to, of whoever waits; below 0 nobody does. What is told after the first is for nobody."""

    def __init__(self, pipe: int) -> None:
        self._pipe = pipe

    def tell(self, said: dict[str, str]) -> None:
        """`socket`: where it listens; or `fault`: a sentence."""
        pipe, self._pipe = self._pipe, -1
        if pipe >= 0:
            line = json.dumps(said).encode() + b"\n"
            for step in (lambda: os.write(pipe, line), lambda: os.close(pipe)):
                with contextlib.suppress(OSError):  # nobody waits any more, or never did
                    step()


def heard(pipe: int, within_s: float, nothing: str) -> Path:
    """Where it listens. The pipe is closed. Raises LocalFault with what it says, or with `nothing`."""
    try:
        there, _, _ = select.select([pipe], [], [], within_s)
        line = os.read(pipe, 65536) if there else b""
    finally:
        os.close(pipe)
    try:
        said = json.loads(line)
    except ValueError:
        said = {"fault": nothing}
    if "fault" in said:
        raise LocalFault(said["fault"])
    return Path(said["socket"])
