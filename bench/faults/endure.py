"""Ten minutes of the demo with recording, stream, a hundred messages a second and a fault of the stand-ins every five.

`shown_moving` counts cuts under *hold* to a camera whose picture moved as it went on air, by what the stand-ins really
showed. `journal_mb_per_hour` is what is written before the first take, and an hour of what follows.
`memory_mb_per_min` is the slope of this process's own memory from the third minute on; what is left of threads and
files is counted after the session has ended. `--takes` is for how many minutes.
"""

import gc
import os
import random
import socket
import tempfile
import threading
import time
from itertools import pairwise
from pathlib import Path

import numpy as np

from bench.chain import free_port
from bench.common.hall import Pulse, Truth, running_demo, wait_for
from bench.common.where import steal_percent
from ribalta.core.base.aim import Aim
from ribalta.core.base.faults import LocalFault
from ribalta.core.optics.projection import offset_percent
from ribalta.core.ports.messages import Event, Logged
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.journal import journal_path, past_journals
from ribalta.media.program.shapes import Composed
from ribalta.standins.partner import osc_bytes
from ribalta.standins.receiver import Receiver

FAULTS = (
    *({"silence": True}, {"loss_percent": 40.0}, {"delay_ms": 400.0}, {"frozen": True}, {"black": True}),
    *({"jitter_ms": 200.0, "reorder_percent": 30.0}, {"standby": True}, {"closed": ["visca-ip", "visca-tcp"]}),
)
WELL = {"silence": False, "loss_percent": 0.0, "delay_ms": 0.0, "jitter_ms": 0.0, "reorder_percent": 0.0}
WELL |= {"frozen": False, "black": False, "standby": False, "closed": []}
EVERY_S, MESSAGES_A_SECOND, SAMPLE_S = 5.0, 100, 2.0
WARM_UP_S = 20.0  # the stand-ins paint their hall until then


def _memory_mb() -> float:
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


def _files() -> int:
    return len(os.listdir("/proc/self/fd"))


def _written(path: Path) -> int:
    """Bytes of all journals of a show."""
    return sum(p.stat().st_size for p in (journal_path(path), *past_journals(path)))


class Sender:
    """Messages that mean nothing, and now and then one that does."""

    def __init__(self, port: int) -> None:
        self.sent, self.stopping = 0, threading.Event()
        self._port = port
        self._thread = threading.Thread(target=self._run)
        self._thread.start()

    def _run(self) -> None:
        line = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        while not self.stopping.wait(1 / MESSAGES_A_SECOND):
            self.sent += 1
            if self.sent % MESSAGES_A_SECOND == 0:
                data = osc_bytes("/ribalta/mic/mute", [1, 1 + self.sent // MESSAGES_A_SECOND % 2])
            else:
                data = osc_bytes(f"/fader/{self.sent % 16}", [self.sent % 128 / 127])
            line.sendto(data, ("127.0.0.1", self._port))
        line.close()

    def stop(self) -> None:
        self.stopping.set()
        self._thread.join()


def run(takes: int) -> dict[str, float | int | str]:
    minutes, chance, steal, pulse = float(takes or 10), random.Random(1), steal_percent(), Pulse()
    port, address = free_port(), f"tcp://127.0.0.1:{free_port()}"
    receiver = Receiver(address, look=False)
    gc.collect()
    threads_before, files_before = threading.active_count(), _files()
    memory: list[tuple[float, float]] = []
    truth: dict[str, Truth] = {}
    moved = counted = landed = faults = 0
    events: list[Logged] = []

    def hear(event: Event) -> None:
        if isinstance(event, Logged):
            events.append(event)

    def listening(show: Show) -> Show:
        new = show.listening.model_copy(update={"osc": True, "osc_port": port})
        return show.model_copy(update={"listening": new})

    folder = tempfile.TemporaryDirectory(prefix="ribalta-endure-")
    path = Path(folder.name) / "clay-cup.ribalta"
    with folder, running_demo("endure", listening, path) as (session, standins):
        session.listen(hear)
        time.sleep(WARM_UP_S)
        sender = Sender(port)
        for camera in session.state.show.cameras:
            truth[camera.id] = Truth(camera.picture.name)
        session.act("outputs.change", {"folder": folder.name, "stream_to": address})
        session.act("record", {"on": True})
        session.act("stream", {"on": True})
        session.media.mixer.record.clear()
        opening = _written(path)
        began_s = time.monotonic()
        end_s, fault_s, sample_s = began_s + 60 * minutes, began_s + EVERY_S, began_s
        composed: list[tuple[float, float]] = []
        bad: int | None = None
        ordered = [(camera, fault) for camera in range(1, 5) for fault in FAULTS]
        chance.shuffle(ordered)  # each at each camera once, and then at random
        k = 0
        while time.monotonic() < end_s:
            now_s = time.monotonic()
            if now_s >= fault_s:
                fault_s += EVERY_S
                try:
                    if bad is not None:
                        standins.fault(bad, **WELL)
                    bad, fault = ordered.pop() if ordered else (chance.randrange(1, 5), chance.choice(FAULTS))
                    standins.fault(bad, **fault)
                    faults += 1
                except LocalFault:
                    bad = None
            if now_s >= sample_s:
                sample_s += SAMPLE_S
                memory.append((now_s - began_s, _memory_mb()))
                composed += _gaps(list(session.media.mixer.record))
                session.media.mixer.record.clear()
            k += 1
            session.act("ready.framing", {"camera": 1 + k % 4, "letter": chance.choice("QWER")})
            time.sleep(0.3)
            before = len(events)
            session.act("take", {})
            wait_for(lambda before=before: len(events) > before, 2.5)
            for event in events[before:]:
                shot, framing = event.record.shot, session.state.framing(event.record.shot)
                counted += 1
                landed += event.record.landed
                if framing is not None and not event.record.forced and event.record.landed:
                    moved += _moves(truth[shot.camera_id], session, shot.camera_id)
            if len(events) == before:
                session.act("take.release", {})
                session.act("cover", {})
        lasted_s = time.monotonic() - began_s
        if bad is not None:
            standins.fault(bad, **WELL)
        sender.stop()
        composed += _gaps(list(session.media.mixer.record))
        recording = session.outputs.recordings[0]
        stream = session.outputs.stream
        journal = opening + (_written(path) - opening) * 3600 / lasted_s
    receiver.close()
    del session, standins
    gaps = [1000 * (b - a - pulse.stalled_s(a, b)) for a, b in composed]
    pulse.stop()
    truth.clear()
    gc.collect()
    wait_for(lambda: threading.active_count() <= threads_before - 1, 5)
    late = [(at, mb) for at, mb in memory if at > min(180.0, lasted_s / 2)]
    slope = float(np.polyfit([at / 60 for at, _ in late], [mb for _, mb in late], 1)[0]) if len(late) > 5 else 0.0
    return {
        "minutes": round(lasted_s / 60, 1),
        "faults": faults,
        "messages": sender.sent,
        "program_gap_ms_max": round(max(gaps, default=60.0), 1),
        "takes": counted,
        "landed": landed,
        "shown_moving": moved,
        "memory_mb": round(memory[-1][1], 1),
        "memory_mb_per_min": round(slope, 3),
        "threads_left": max(0, threading.active_count() - threads_before + 2),
        "files_left": max(0, _files() - files_before),
        "journal_mb_per_hour": round(journal / 1e6, 2),
        "recorded_frames_lost": recording.lost,
        "stream_dropped": stream.dropped,
        "steal_percent": steal(),
    }


def _gaps(record: list[Composed]) -> list[tuple[float, float]]:
    """From when to when nothing new went out, where that was long."""
    return [(a.at_s, b.at_s) for a, b in pairwise(record) if b.at_s - a.at_s > 0.06]


def _moves(truth: Truth, session: object, camera_id: str) -> bool:
    """Does its picture still move now, right after the cut? By what the stand-in really shows."""
    camera = session.state.show.camera(camera_id)  # type: ignore[attr-defined]
    (first_s, first), start_s = truth.latest(), time.monotonic()
    while time.monotonic() - start_s < 0.15:
        time.sleep(0.01)
    last_s, last = truth.latest()
    if last_s - first_s < 0.02:
        return False
    aims = (Aim(first.pan_deg, first.tilt_deg, first.zoom), Aim(last.pan_deg, last.tilt_deg, last.zoom))
    return offset_percent(*aims, camera.lens) / (last_s - first_s) > 20.0
