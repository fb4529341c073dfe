"""Long work of Wrap, in a process of its own: nothing that runs waits for it. It tells how it goes in lines of JSON."""

import json
import subprocess
import sys
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ribalta.workers.crew import Crew

STOPPED, NOTHING = "It was stopped.", "It ended by itself, and nothing came of it."


@dataclass(frozen=True)
class Progress:
    """What is being done and which share of it is over. In the end it is `over`, and has what came of it (the last
    line of the process), or `words` say why there is nothing."""

    words: str
    share: float = 0.0
    over: bool = False
    result: Mapping[str, Any] | None = None


class ChildWork:
    """One at a time. `said` is called on a thread of its own."""

    def __init__(self, crew: Crew, said: Callable[[Progress], None]) -> None:
        self._crew, self._said = crew, said
        self._child: subprocess.Popen[str] | None = None
        self._stopped = False

    @property
    def runs(self) -> bool:
        return self._child is not None

    def begin(self, arguments: Sequence[str]) -> None:
        """Run `ribalta` with these arguments."""
        command = [sys.executable, "-m", "ribalta", *arguments, "--json"]
        self._stopped = False
        self._child = subprocess.Popen(
            command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
        )
        self._crew.begin(arguments[0], self._follow, lambda why: self._said(Progress(why, 1.0, True)))

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
            result: Mapping[str, Any] | None = None
            for line in child.stdout:
                told = json.loads(line)
                if "done" in told:
                    result = told
                else:
                    self._said(Progress(str(told["doing"]), float(told["share"])))
            complained = child.stderr.read().strip()
        self._child = None
        if self._stopped:
            self._said(Progress(STOPPED, 1.0, True))
        elif result is None:
            said = complained.splitlines()[-1] if complained else NOTHING
            self._said(Progress(said.removeprefix("ribalta: "), 1.0, True))
        else:
            self._said(Progress("", 1.0, True, result))
