"""The work of handing over, in a process of its own: it may take a while, and nothing that runs waits for it."""

import json
import subprocess
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ribalta.workers.crew import Crew

STOPPED = "It was stopped. What is in the folder already stays."


@dataclass(frozen=True)
class Progress:
    """What is being done and which share of it is over; in the end the `files`, and sentences on what was not there, or
    one `trouble` for all of it."""

    words: str
    share: float = 0.0
    over: bool = False
    files: tuple[str, ...] = ()
    troubles: tuple[str, ...] = ()


class HandingOver:
    """One at a time. `said` is called on a thread of its own."""

    def __init__(self, crew: Crew, said: Callable[[Progress], None]) -> None:
        self._crew, self._said = crew, said
        self._child: subprocess.Popen[str] | None = None
        self._stopped = False

    @property
    def runs(self) -> bool:
        return self._child is not None

    def begin(self, show: Path, folder: Path, recordings: Path | None) -> None:
        command = [sys.executable, "-m", "ribalta", "handover", str(show), str(folder), "--json"]
        if recordings is not None:
            command += ["--recordings", str(recordings)]
        self._stopped = False
        self._child = subprocess.Popen(
            command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
        )
        self._crew.begin("handing over", self._follow, lambda why: self._said(Progress(why, 1.0, True)))

    def stop(self) -> None:
        if self._child is not None:
            self._stopped = True
            self._child.terminate()

    def _follow(self) -> None:
        child = self._child
        assert child is not None
        with child:
            assert child.stdout is not None
            assert child.stderr is not None
            last = Progress("", 1.0, True)
            for line in child.stdout:
                told = json.loads(line)
                if "done" in told:
                    files, troubles = tuple(map(str, told["done"])), tuple(map(str, told["troubles"]))
                    last = Progress(f"{len(files)} files were written.", 1.0, True, files, troubles)
                else:
                    self._said(Progress(str(told["doing"]), float(told["share"])))
            complained = child.stderr.read().strip()
        self._child = None
        if self._stopped:
            last = Progress(STOPPED, 1.0, True)
        elif not last.files:
            said = complained.splitlines()[-1] if complained else "It ended by itself, and wrote nothing."
            last = Progress(said.removeprefix("ribalta: "), 1.0, True)
        self._said(last)
