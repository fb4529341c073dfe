"""Where the time goes: what share of a core each thread of the desk, and each other process, has used.

Read from /proc/<pid>/task/<tid>/schedstat: nanoseconds on a core, and nanoseconds in which it waited for one.
"""

import os
import threading
import time
from collections.abc import Callable, Mapping
from pathlib import Path

Used = dict[str, tuple[int, int]]


def _read(pid: int) -> dict[int, tuple[int, int]]:
    found = {}
    for task in Path(f"/proc/{pid}/task").iterdir():
        try:
            on, waited, _ = (task / "schedstat").read_text().split()
        except OSError:
            continue
        found[int(task.name)] = (int(on), int(waited))
    return found


def resident_mb(pid: int) -> float:
    """What a process has in memory, its shared pictures too."""
    line = next(x for x in Path(f"/proc/{pid}/status").read_text().splitlines() if x.startswith("VmRSS"))
    return int(line.split()[1]) / 1024


class Where:
    """From when it is made until `shares` is asked for. `others` are process ids by name."""

    def __init__(self, others: Mapping[str, int]) -> None:
        self._others = dict(others)
        self._began_s = time.monotonic()
        self._before = self._now()

    def _now(self) -> dict[tuple[str, int], tuple[int, int]]:
        names = {t.native_id: t.name for t in threading.enumerate()}
        found = {(names.get(tid, "native"), tid): used for tid, used in _read(os.getpid()).items()}
        for name, pid in self._others.items():
            found |= {(name, tid): used for tid, used in _read(pid).items()}
        return found

    def shares(self) -> dict[str, str]:
        """Percent of one core by name, the largest first, with the percent of the time spent waiting for a core."""
        lasted_ns = 1e9 * (time.monotonic() - self._began_s)
        sums: dict[str, list[float]] = {}
        for key, (on, waited) in self._now().items():
            on_before, waited_before = self._before.get(key, (0, 0))
            kept = sums.setdefault(key[0], [0.0, 0.0])
            kept[0] += 100 * (on - on_before) / lasted_ns
            kept[1] += 100 * (waited - waited_before) / lasted_ns
        ordered = sorted(sums.items(), key=lambda item: -item[1][0])
        return {name: f"{on:.1f} % (waits {waited:.1f})" for name, (on, waited) in ordered if on >= 0.5}


def steal_percent() -> Callable[[], float]:
    """Asked now; called later, how much of the machine's time was taken away since, in percent."""

    def ticks() -> tuple[int, int]:
        fields = [int(x) for x in Path("/proc/stat").read_text().split("\n")[0].split()[1:9]]
        return fields[7], sum(fields)

    before = ticks()

    def taken() -> float:
        now = ticks()
        return round(100 * (now[0] - before[0]) / max(1, now[1] - before[1]), 2)

    return taken
