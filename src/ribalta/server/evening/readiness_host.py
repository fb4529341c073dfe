"""Looking at everything before doors: what has to be measured is, on a thread of its own; see `core/readiness`."""

import contextlib
import os
import shutil
import socket
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from itertools import combinations, pairwise
from pathlib import Path
from urllib.parse import urlsplit

import cv2
import numpy as np

from ribalta.core.base.faults import LocalFault
from ribalta.core.picture.planes import BLACK, SWING
from ribalta.core.ports.crew import CheckDone
from ribalta.core.readiness.holding import FrameCost
from ribalta.core.readiness.lines import (
    Looked,
    MachineLook,
    Mixed,
    OutputLook,
    PictureLook,
    Progress,
    Rating,
    SoundLook,
)
from ribalta.core.show.automation.triggers_pads_shortcuts import Wire
from ribalta.core.sound.levels import RATE, Level, Samples
from ribalta.core.survey.job import Kind
from ribalta.media.outputs.frame_costs import frame_costs
from ribalta.media.sources.guarded import Guarded
from ribalta.server.cameras.camera_jobs import CameraJobs
from ribalta.server.engine_host import EngineHost
from ribalta.server.messages_host import MessagesHost
from ribalta.server.outputs_host import OutputsHost
from ribalta.server.program_host import ProgramHost
from ribalta.workers.crew import Crew

LOOKS, BETWEEN_S, ASKED = 4, 0.7, 7
SMALL, SMALL_CHANGE = (160, 90), 1.5
CHECKED_WITHIN_S, ASK_S = 90.0, 0.1
ANSWERS_WITHIN_S = 2.0
BYTES_A_SECOND = 450_000.0  # of a recording of program; a camera's beside it is a fifth of that
ALIKE_DB = 0.002  # two microphones have each their own noise
HUMS_HZ = tuple(base * k for base in (50, 60) for k in (1, 2, 3))
POWER = Path("/sys/class/power_supply")


class Cancelled(Exception):
    """Somebody wants it no more."""


class _Ears:
    """Hears program for a while."""

    def __init__(self) -> None:
        self.blocks: list[Samples] = []

    def hear(self, at_s: float, block: Samples) -> None:
        """See `SoundConsumer`."""
        self.blocks.append(block.copy())


class ReadinessHost:
    """`now` may be read from any thread. One check at a time."""

    def __init__(
        self,
        host: EngineHost,
        program: ProgramHost,
        outputs: OutputsHost,
        messages: MessagesHost,
        jobs: CameraJobs,
        crew: Crew,
    ) -> None:
        self._host, self._program, self._outputs, self._messages = host, program, outputs, messages
        self._jobs, self._crew = jobs, crew
        self._cancelled = threading.Event()
        self._last: dict[str, np.ndarray] = {}
        self.now = Progress()

    def begin(self) -> None:
        """Look at everything; one that runs goes on."""
        if self.now.running:
            return
        self._cancelled.clear()
        self.now = Progress(True, "Begins", 0.0, self.now.lines, self.now.at_s, self.now.edits)
        self._crew.begin("looking at everything", self._run, lambda _: self._end())

    def cancel(self) -> None:
        """End it before it is done; what the last one found stays."""
        self._cancelled.set()

    def stop(self) -> None:
        self.cancel()

    def _failed(self, error: Exception) -> None:
        self._crew.failed("looking at one part", error, "The others were looked at.")

    def _end(self) -> None:
        self.now = Progress(False, "", 0.0, self.now.lines, self.now.at_s, self.now.edits)

    def _tell(self, doing: str, share: float) -> None:
        if self._cancelled.is_set():
            raise Cancelled
        self.now = Progress(True, doing, share, self.now.lines, self.now.at_s, self.now.edits)

    def _pause(self, seconds: float) -> None:
        if self._cancelled.wait(seconds):
            raise Cancelled

    def _run(self) -> None:
        try:
            looked = self._look()
        except Cancelled:
            for camera in self._host.state.show.cameras:
                self._jobs.cancel(Kind.CHECK, camera.id)
            self._end()
            return
        from ribalta.core.readiness.check import check_lines  # loaded by now: it tries macros dry, which is much

        state = self._host.state
        lines = check_lines(state, looked, self._failed)
        self.now = Progress(False, "", 1.0, lines, looked.now_s, state.edits.count)
        ratings = [line.rating for line in lines]
        self._host.report(CheckDone(looked.now_s, ratings.count(Rating.STOP), ratings.count(Rating.LOOK)))

    def _look(self) -> Looked:
        state, began_s, before = self._host.state, time.monotonic(), _on_core()
        self._tell("Looking at pictures and listening", 0.02)
        pictures, sound, mixed = self._seen_and_heard()
        self._tell("Trying the outputs", 0.2)
        outputs = self._tried()
        self._tell("Checking the cameras", 0.3)
        checks = self._checks()
        pictures = self._looked_again(pictures)
        waits = _waits(before, _on_core())
        self._tell("Measuring what this machine holds", 0.93)
        costs: Mapping[str, FrameCost] = {}
        try:
            costs = frame_costs()
        except LocalFault as fault:
            self._crew.say(str(fault))
        self._tell("Trying cues and playlists dry", 0.95)
        inputs, outs = self._messages.midi_names
        controls = {"midi"} if inputs else set()
        controls |= {"gamepad"} if any(Path("/dev/input").glob("js*")) else set()
        return Looked(
            pictures,
            checks,
            sound,
            mixed,
            outputs,
            replace(self._machine(began_s, waits), costs=costs, cores=len(os.sched_getaffinity(0))),
            {key: said.partition("”: ")[2] or said for key, said in self._program.troubles.items()},
            frozenset(controls),
            frozenset((*inputs, *outs)),
            time.monotonic() + state.wall_clock.offset_s,
        )

    def _machine(self, began_s: float, waits: float) -> MachineLook:
        """Over all of the check: what is lost in a moment says little."""
        composed = (one.at_s for one in list(self._program.mixer.record) if one.on_clock)
        frames = sum(at_s > began_s for at_s in composed)
        return _machine(frames, time.monotonic() - began_s, waits)

    # Pictures and sound

    def _seen_and_heard(self) -> tuple[Mapping[str, PictureLook], Mapping[str, SoundLook], Mixed]:
        ears = _Ears()
        self._outputs.listen(ears)
        try:
            began_s = time.monotonic()
            looks: dict[str, list[tuple[int, tuple[int, int], np.ndarray]]] = {}
            levels: dict[str, list[Level]] = {}
            for k in range(LOOKS * ASKED):
                for source in self._program.mixer.sources.values():
                    source.want_main(time.monotonic())
                self._pause(BETWEEN_S / ASKED)
                for mic_id, level in self._program.heard.levels.items():
                    levels.setdefault(mic_id, []).append(level)
                if (k + 1) % ASKED:
                    continue
                for camera_id, source in self._program.mixer.sources.items():
                    found = _look_at(source)
                    if found is not None:
                        looks.setdefault(camera_id, []).append(found)
                self._tell("Looking at pictures and listening", 0.02 + 0.17 * (k + 1) / LOOKS / ASKED)
            seconds = time.monotonic() - began_s
        finally:
            self._outputs.listen(None)
        self._last = {c: found[-1][2] for c, found in looks.items()}
        arrives = {c: self._host.state.live(c).picture for c in looks}
        pictures = {c: _picture(found, arrives[c], seconds * (LOOKS - 1) / LOOKS) for c, found in looks.items()}
        troubles = self._program.heard.troubles
        sound = {
            mic_id: SoundLook(
                max(found, key=lambda one: one.hold_db), min(x.rms_db for x in found), troubles.get(mic_id, "")
            )
            for mic_id, found in levels.items()
        }
        sound |= {m: SoundLook(Level(), -100.0, said) for m, said in troubles.items() if m not in sound}
        mixed = Mixed(hum_of(ears.blocks), tuple(_alike(levels)))
        return pictures, sound, mixed

    def _looked_again(self, pictures: Mapping[str, PictureLook]) -> Mapping[str, PictureLook]:
        """What stood still may only have had nothing to show: it is looked at again, after a while."""
        found = dict(pictures)
        still = {c: self._last[c] for c, seen in pictures.items() if not seen.changed and c in self._last}
        sources = self._program.mixer.sources
        for _ in range(ASKED if still else 0):  # the same picture of them as before
            for camera_id in still:
                if camera_id in sources:
                    sources[camera_id].want_main(time.monotonic())
            self._pause(BETWEEN_S / ASKED)
        for camera_id, before in still.items():
            now = _look_at(sources[camera_id]) if camera_id in sources else None
            if now is not None:
                found[camera_id] = replace(pictures[camera_id], changed=_differs(before, now[2]))
        self._last.clear()
        return found

    # Cameras

    def _checks(self) -> dict[str, Sequence[str] | None]:
        cameras = [camera.id for camera in self._host.state.show.cameras]
        for camera_id in cameras:
            self._jobs.begin(Kind.CHECK, camera_id)
        end_s = time.monotonic() + CHECKED_WITHIN_S
        while time.monotonic() < end_s:
            jobs = [self._jobs.jobs.get((Kind.CHECK, camera_id)) for camera_id in cameras]
            shares = [1.0 if job is not None and job.done else job.share if job is not None else 0.0 for job in jobs]
            self._tell("Checking the cameras", 0.3 + 0.65 * sum(shares) / max(1, len(shares)))
            if all(share == 1.0 for share in shares):
                break
            self._pause(ASK_S)
        found: dict[str, Sequence[str] | None] = {}
        for camera_id in cameras:
            job = self._jobs.jobs.get((Kind.CHECK, camera_id))
            done = job is not None and job.done
            found[camera_id] = (
                [f.sentence for f in job.findings if f.fine is False] if job is not None and done else None
            )
        return found

    # Outputs and partners

    def _tried(self) -> OutputLook:
        show = self._host.state.show
        folder, trouble, room, test = self._outputs.folder, "", None, ""
        try:
            folder.mkdir(parents=True, exist_ok=True)
            bytes_a_second = BYTES_A_SECOND * (1 + 0.2 * len(show.outputs.record_camera_ids))
            room = shutil.disk_usage(folder).free / bytes_a_second / 60
            test = self._outputs.try_out()
        except OSError as error:
            trouble = error.strerror or type(error).__name__
        stream = _reached(show.outputs.stream_to) if show.outputs.stream_to else ""
        gone = dict(self._out_of_reach())
        return OutputLook(str(folder), trouble, room, test, stream, gone)

    def _out_of_reach(self) -> Iterator[tuple[str, str]]:
        show = self._host.state.show
        for receiver in show.outputs.tally:
            self._tell("Asking for tally receivers", 0.25)
            said = _known(receiver.host)
            if said:
                yield f"tally {receiver.host}:{receiver.port}", said
        for destination in show.destinations:
            self._tell("Asking for partners", 0.28)
            said = ""
            if destination.wire is Wire.MIDI:
                names = self._messages.midi_names[1]
                said = "" if destination.host in names else "this MIDI port is not plugged in"
            elif destination.wire in (Wire.TCP, Wire.HTTP):
                said = _answers(destination.host, destination.port)
            else:
                said = _known(destination.host)
            if said:
                yield f"partner {destination.id}", said


def _look_at(source: Guarded) -> tuple[int, tuple[int, int], "np.ndarray"] | None:
    """The number, the size and the brightness of its picture."""
    frame = source.best()
    if frame is None:
        return None
    return frame.number, frame.picture.size, frame.picture.y.copy()


def _differs(before: "np.ndarray", now: "np.ndarray") -> bool:
    """Whether two looks at a picture are of different moments; one may be smaller than the other."""
    if before.shape == now.shape:
        return not np.array_equal(before, now)
    small = [cv2.resize(look, SMALL, interpolation=cv2.INTER_AREA).astype(np.float32) for look in (before, now)]
    return float(np.abs(small[0] - small[1]).mean()) > SMALL_CHANGE


def _picture(found: Sequence[tuple[int, tuple[int, int], "np.ndarray"]], arrives: bool, seconds: float) -> PictureLook:
    """What several looks at a picture come to, the last so many seconds behind the first."""
    _, (wide, tall), last = found[-1]
    grey = np.clip((last.astype(np.float32) - BLACK[0]) / SWING, 0, 1)
    alike = [a[2].shape == b[2].shape and np.array_equal(a[2], b[2]) for a, b in pairwise(found)]
    count = found[-1][0] - found[0][0]
    return PictureLook(
        arrives,
        wide,
        tall,
        float(grey.mean()),
        float(grey.std()),
        not all(alike),
        max(0.0, count / max(0.1, seconds)),
    )


def _alike(levels: Mapping[str, Sequence[Level]]) -> Iterator[tuple[str, str]]:
    """Microphones whose levels are the same in all looks, and not silent."""
    traces = {m: [x.rms_db for x in found] for m, found in levels.items() if found and not found[-1].silent}
    for one, other in combinations(traces, 2):
        pairs = list(zip(traces[one], traces[other], strict=False))
        if len(pairs) >= LOOKS * ASKED and all(abs(a - b) < ALIKE_DB for a, b in pairs):
            yield one, other


def hum_of(blocks: Sequence[Samples]) -> float:
    """How much of some sound is mains hum, 0 to 1, by power. Blocks are (n, 2) samples, full scale 1."""
    if not blocks or sum(map(len, blocks)) < RATE:
        return 0.0
    whole = np.concatenate(blocks).astype(np.float64).mean(axis=1)
    if np.abs(whole).max() < 1e-4:
        return 0.0
    power = np.abs(np.fft.rfft(whole * np.hanning(len(whole)))) ** 2
    hertz = np.fft.rfftfreq(len(whole), 1 / RATE)
    near = np.zeros(len(hertz), bool)
    for hum in HUMS_HZ:
        near |= np.abs(hertz - hum) < 2.0
    total = float(power[hertz > 20].sum())
    return float(power[near].sum()) / total if total > 0 else 0.0


def _on_core() -> tuple[int, int]:
    """Nanoseconds that all threads of this process have had a core, and waited for one, so far."""
    had, waited = 0, 0
    for path in Path("/proc/self/task").glob("*/schedstat"):
        with contextlib.suppress(OSError, ValueError):  # a thread that has just ended
            on, for_one, _ = map(int, path.read_text().split())
            had, waited = had + on, waited + for_one
    return had, waited


def _waits(before: tuple[int, int], now: tuple[int, int]) -> float:
    had, waited = (max(0, b - a) for a, b in zip(before, now, strict=True))
    return waited / (had + waited) if had + waited else 0.0


def _machine(frames: int, seconds: float, waits: float) -> MachineLook:
    power, battery = "", None
    for supply in sorted(POWER.glob("*")) if POWER.is_dir() else []:
        with contextlib.suppress(OSError, ValueError):
            kind = (supply / "type").read_text().strip()
            if kind == "Mains" and (supply / "online").read_text().strip() == "1":
                power = "mains"
            elif kind == "Battery":
                battery = float((supply / "capacity").read_text())
                charging = (supply / "status").read_text().strip() != "Discharging"
                power = power or ("mains" if charging else "battery")
    return MachineLook(frames, seconds, waits, power, battery, datetime.now().year)


def _reached(address: str) -> str:
    """Why a stream's receiver does not answer, as a phrase; of one over UDP that cannot be known."""
    parts = urlsplit(address)
    if parts.scheme == "udp" or not parts.hostname:
        return _known(parts.hostname or "")
    ports: Callable[[], int | None] = lambda: parts.port  # noqa: E731
    port = ports() or {"rtmp": 1935, "rtmps": 443}.get(parts.scheme, 1935)
    return _answers(parts.hostname, port)


def _known(host: str) -> str:
    try:
        socket.getaddrinfo(host, None)
    except (OSError, UnicodeError):
        return f"{host or 'its address'} is not known in this network"
    return ""


def _answers(host: str, port: int) -> str:
    try:
        with socket.create_connection((host, port), ANSWERS_WITHIN_S):
            return ""
    except (OSError, UnicodeError) as error:
        return f"{host}:{port} does not answer ({getattr(error, 'strerror', None) or type(error).__name__})"
