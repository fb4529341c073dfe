"""What measurements share: the Clay Cup show on stand-ins of its own, and what those really showed."""

import contextlib
import mmap
import os
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from ribalta.core.base.aim import Aim
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.storage import StoredShow, load, save
from ribalta.demo.children import StandIns
from ribalta.demo.shipped import SHIPPED, connected
from ribalta.server.session import Session


@contextlib.contextmanager
def running_show(name: str, change: Callable[[Show], Show] = lambda show: show) -> Iterator[Session]:
    """A session on the demo's show without a desk, with every camera answering and every picture arriving."""
    with running_demo(name, change) as (session, _):
        yield session


@contextlib.contextmanager
def running_demo(
    name: str, change: Callable[[Show], Show] = lambda show: show, path: Path | None = None
) -> Iterator[tuple[Session, StandIns]]:
    """The same, with the stand-ins; with a file, and so a journal, if there is to be one."""
    stamp = bool(os.environ.get("RIBALTA_BENCH_STAMP"))
    standins = StandIns(f"ribalta-bench-{name}-{os.getpid()}", again=False, stamp=stamp)
    try:
        stored = load(SHIPPED)
        show = change(connected(stored.show, standins.announcement))
        if path is not None:
            save(path, StoredShow(show, stored.pictures))
        session = Session(StoredShow(show, stored.pictures), path)
        session.start()
        try:
            wait_for(lambda: all_there(session), 30)
            yield session, standins
        finally:
            session.stop()
    finally:
        standins.stop()


def all_there(session: Session) -> bool:
    state = session.state
    lives = [(camera, state.live(camera.id)) for camera in state.show.cameras]
    return all(live.picture and (live.aim is not None or not camera.steered) for camera, live in lives)


def wait_for(true: Callable[[], bool], limit_s: float) -> bool:
    """Look every two milliseconds; False when the time is over."""
    end_s = time.monotonic() + limit_s
    while not true():
        if time.monotonic() > end_s:
            return False
        time.sleep(0.002)
    return True


class Truth:
    """Where a stand-in's head really was in a frame of its main picture, which no part of the desk reads."""

    def __init__(self, picture_name: str) -> None:
        with (Path("/dev/shm") / picture_name).open("rb") as file:
            self._map = mmap.mmap(file.fileno(), 0, prot=mmap.PROT_READ)

    def aim(self) -> Aim:
        """In the latest frame of either stream."""
        return self.latest()[1]

    def latest(self) -> tuple[float, Aim]:
        """When the latest frame of either stream left the camera, and the aim in it."""
        best = (0.0, Aim(0, 0, 0))
        for stream in (0, 1):
            (number,) = struct.unpack_from("<Q", self._map, 64 + 256 * stream + 16)
            _, captured_s, pan, tilt, zoom = struct.unpack_from(
                "<Qdddd", self._map, 64 + 256 * stream + 32 + 64 * (number % 3)
            )
            best = max(best, (captured_s, Aim(pan, tilt, zoom)), key=lambda found: found[0])
        return best


def percentile(values: list[float], share: float) -> float:
    """The value below which `share` (0..1) of them lie; nan without any."""
    if not values:
        return float("nan")
    ordered = sorted(values)
    return ordered[min(len(ordered) - 1, int(share * len(ordered)))]


PULSE = """
import sys, time
last = time.monotonic()
while True:
    time.sleep(0.005)
    now = time.monotonic()
    if now - last > 0.04:
        print(last, now, flush=True)
    last = now
"""


class Pulse:
    """A process of its own that does nothing but notice when this machine stands still for all of us."""

    def __init__(self) -> None:
        self._child = subprocess.Popen([sys.executable, "-c", PULSE], stdout=subprocess.PIPE, text=True)
        self._stalls: list[tuple[float, float]] = []
        self._thread = threading.Thread(target=self._hear)
        self._thread.start()

    def _hear(self) -> None:
        assert self._child.stdout is not None
        for line in self._child.stdout:
            start, end = line.split()
            self._stalls.append((float(start), float(end)))

    def stalled_s(self, start_s: float, end_s: float) -> float:
        """For how many seconds of this time the machine stood still."""
        return sum(max(0.0, min(b, end_s) - max(a, start_s)) for a, b in list(self._stalls))

    def stop(self) -> None:
        self._child.kill()
        self._thread.join()
        self._child.wait()
        if self._child.stdout is not None:
            self._child.stdout.close()
