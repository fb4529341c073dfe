"""The demo's show in a server process of its own, attached to from here, and what its mixer has really put out."""

import contextlib
import importlib
import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from bench.common.hall import Pulse, running_show, wait_for
from ribalta.attach.remote_show import RemoteShow
from ribalta.attach.runtime_folder import Meeting
from ribalta.core.show.document.model import Show

JUDGED_BELOW = 10.0  # percent of the machine's time that was taken away


@dataclass(frozen=True)
class Frame:
    """One frame of program that went out; see `media/program/shapes.Composed`. `camera` is that of program's base."""

    at_s: float
    cost_s: float
    on_clock: bool
    mixed: bool
    camera: str


class Served:
    """`show` is the desk's end, `pid` the server's process. Times are CLOCK_MONOTONIC, which both share."""

    def __init__(self, name: str, change: str, socket: Path) -> None:
        self._child = subprocess.Popen(
            [sys.executable, "-m", "bench.common.served", name, change, str(socket)],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )
        self.pid = self._child.pid
        if self._answer() != "ready":
            raise RuntimeError("the server did not begin")
        self.show = RemoteShow(socket)
        self.pulse = Pulse()

    def _answer(self) -> str:
        assert self._child.stdout is not None
        return self._child.stdout.readline().strip()

    def ask(self, command: str) -> Any:
        """ "clear" begins the list of frames anew, "frames" gives it, "osc" says how many messages came."""
        assert self._child.stdin is not None
        self._child.stdin.write(command + "\n")
        self._child.stdin.flush()
        return json.loads(self._answer())

    def frames(self) -> list[Frame]:
        """Since they were cleared, at most 4000."""
        return [Frame(*row) for row in self.ask("frames")]

    def close(self) -> None:
        self.show.close()
        self.pulse.stop()
        assert self._child.stdin is not None
        self._child.stdin.close()
        self._child.wait(30)
        if self._child.stdout is not None:
            self._child.stdout.close()


@contextlib.contextmanager
def served_show(name: str, change: str = "") -> Iterator[Served]:
    """`change` names a function of a bench's module that changes the show, as "bench.cues:loaded"."""
    with tempfile.TemporaryDirectory(prefix="ribalta-served-") as folder:
        served = Served(name, change, Path(folder) / "show.sock")
        try:
            wait_for(lambda: bool(served.show.state.cameras), 5)
            yield served
        finally:
            served.close()


def without_stalls(pulse: Pulse, spans: list[tuple[float, float]]) -> tuple[list[float], int]:
    """How long each took, and how many were left out because the machine was taken away meanwhile."""
    kept = [b - a for a, b in spans if not pulse.stalled_s(a, b)]
    return kept, len(spans) - len(kept)


def judged(result: dict[str, Any], steal: float) -> dict[str, Any]:
    """With how disturbed the machine was; a run that was disturbed too much is not to be judged by."""
    return result | {"steal_percent": steal, "judged": steal <= JUDGED_BELOW}


def _unchanged(show: Show) -> Show:
    return show


def _serve(name: str, change: str, socket: Path) -> None:
    from ribalta.server.desks.desk_port import DeskPort
    from ribalta.workers import garbage

    module, _, function = change.partition(":")
    changing = getattr(importlib.import_module(module), function) if module else _unchanged
    with running_show(name, changing) as session:
        port = DeskPort(session, Meeting(name, socket))
        port.start()
        garbage.begin()  # as the server does
        print("ready", flush=True)
        mixer = session.media.mixer
        for line in sys.stdin:
            said: Any = None
            if line.strip() == "clear":
                mixer.record.clear()
            elif line.strip() == "frames":
                said = [
                    [c.at_s, c.cost_s, c.on_clock, c.plan.in_transition is not None, c.plan.program.camera_id]
                    for c in list(mixer.record)
                    if c.plan.program is not None
                ]
            elif line.strip() == "osc":
                incoming = session.outside.messages.station.incoming
                said = [incoming.taken, incoming.dropped]
            print(json.dumps(said), flush=True)
        port.stop()


if __name__ == "__main__":
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    _serve(sys.argv[1], sys.argv[2], Path(sys.argv[3]))
