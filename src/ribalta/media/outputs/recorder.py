"""Recording: program with its sound, and chosen cameras beside it, each into a file of its own.

Matroska with H.264 and AAC, in clusters of a second that are written out at once: whatever happens to the program or
the machine, what was recorded before plays. All files of one recording begin with the same frame and timecode.
"""

import contextlib
import io
import logging
import os
import shutil
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from fractions import Fraction
from pathlib import Path

import av
import av.error
import numpy as np

from ribalta.core.base.frames import frames_to_s
from ribalta.core.handover.timecodes import timecode_of
from ribalta.core.picture.colours import Image
from ribalta.media.files import to_write
from ribalta.media.outputs.encoder import Quality
from ribalta.media.outputs.encoding import Encoding
from ribalta.media.outputs.muxer import Muxer
from ribalta.workers.crew import Crew
from ribalta.workers.priorities import give_way

MANY_CORES = 4  # with fewer the time for a better profile is not there: both are full with a show
PROGRAM_QUALITY = Quality(21, high=len(os.sched_getaffinity(0)) >= MANY_CORES)
CAMERA_QUALITY = Quality(26)
CAMERA_SIZE = (640, 360)
OPTIONS = {"cluster_time_limit": "1000", "flush_packets": "1"}
LEAST_FREE = 200 * 1024 * 1024  # bytes: below that a recording is closed while it still can be
PROOF_EVERY_S, LOOK_S = 3.0, 0.1
TAIL = 3 * 1024 * 1024
CLUSTER = b"\x1f\x43\xb6\x75"
FULL_DISK = "the disk is full"
_log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Status:
    """How one recording is: `seconds` in the file, `lost` frames, `minutes_left` on the disk; `trouble` as a phrase.

    `proof` is the newest picture that could be read back from the file; `profile` what players must know of H.264.
    """

    path: Path
    what: str
    running: bool = True
    seconds: float = 0.0
    lost: int = 0
    bytes: int = 0
    minutes_left: float | None = None
    trouble: str = ""
    proof: Image | None = None
    profile: str = ""


class Recording:
    """One file of an encoding, from a time on. `ended` is told on its thread when it stopped by itself."""

    def __init__(
        self,
        path: Path,
        encoding: Encoding,
        timecode: str,
        ended: Callable[["Recording"], None],
        from_s: float = 0.0,
        crew: Crew | None = None,
        began: Callable[["Recording"], None] = lambda _: None,
    ) -> None:
        """`began` is told on its thread when the first frame is there."""
        self.encoding = encoding
        self.line = encoding.open_line(from_s)
        self.status = Status(path, encoding.what, profile=encoding.quality.profile)
        self.timecode, self._ended, self._began = timecode, ended, began
        self._chapters: list[tuple[float, str]] = []
        crew = crew or Crew()
        self._worker = crew.worker("recording", self._run, again=False)
        self._prover = crew.worker("proof", self._prove)
        self._done = threading.Event()

    def start(self) -> None:
        """Begin, on threads of its own."""
        self._worker.start()
        if self.encoding.what == "program":
            self._prover.start()

    def chapter(self, at_s: float, name: str) -> None:
        """From this time on (CLOCK_MONOTONIC) it is about something."""
        self._chapters.append((at_s, name))

    def stop(self) -> None:
        """It goes on by itself until all is written."""
        self.encoding.end_line(self.line)

    @property
    def over(self) -> bool:
        """It takes nothing more."""
        return self.line.last is not None

    def join(self) -> None:
        """Wait until the file is closed."""
        self._prover.stop()
        self._worker.join()
        self._prover.join()

    def _run(self) -> None:
        give_way()
        trouble = ""
        try:
            trouble = self._record()
        except (OSError, ValueError, av.error.FFmpegError) as error:
            trouble = phrase(error)
        except Exception as error:  # the show must go on, and the file was written as far as it goes
            _log.exception("a recording met something it did not expect")
            trouble = f"Ribalta made a mistake ({type(error).__name__})"
        self.encoding.end_line(self.line)
        self._done.set()
        self.status = replace(self.status, running=False, trouble=trouble)
        if trouble:
            self._ended(self)

    def _record(self) -> str:
        """Until it is closed; returns why it ended by itself, if it did."""
        file = self._file()
        trouble, looked_s, over, told = "", 0.0, False, False
        try:
            file.container.metadata["timecode"] = self.timecode
            while not (over or trouble):
                packets, over = self.line.next(LOOK_S)
                if not told and self.line.began is not None:
                    told = True
                    self._began(self)
                for packet in packets:
                    file.mux(packet, self.line.first)
                now_s = time.monotonic()
                if now_s - looked_s > 1:
                    looked_s = now_s
                    trouble = self._look(file)
            self._write_chapters(file)
        finally:
            file.close()
        self._look(file)
        return trouble or self.encoding.trouble

    def _file(self) -> Muxer:
        encoder = self.encoding.encoder
        return Muxer(to_write(self.status.path), "matroska", encoder.size, encoder.rate, encoder.sound_like, OPTIONS)

    def _look(self, file: Muxer) -> str:
        """Note how it goes; a phrase when it has to end now."""
        seconds, written = frames_to_s(file.frames, self.encoding.rate), file.bytes
        free = shutil.disk_usage(self.status.path.parent).free
        rate = written / seconds if seconds > 2 else 400_000.0
        left = max(0, free - LEAST_FREE) / max(1.0, rate) / 60
        self.status = replace(self.status, seconds=seconds, lost=self.line.lost, bytes=written, minutes_left=left)
        return FULL_DISK if free < LEAST_FREE else ""

    def _write_chapters(self, file: Muxer) -> None:
        if self.line.began is None or not self._chapters:
            return
        started_s = self.line.began[1]
        starts = [max(0, round(1000 * (at - started_s))) for at, _ in self._chapters]
        ends = [*starts[1:], max(starts[-1] + 1, int(1000 * file.frames / self.encoding.rate))]
        file.container.set_chapters(
            [
                {"id": k, "start": start, "end": end, "time_base": Fraction(1, 1000), "metadata": {"title": name}}
                for k, (start, end, (_, name)) in enumerate(zip(starts, ends, self._chapters, strict=True), 1)
            ]
        )

    def _prove(self) -> None:
        give_way()
        while not self._done.wait(PROOF_EVERY_S):
            picture = last_picture(self.status.path)
            if picture is not None:
                self.status = replace(self.status, proof=picture)


def phrase(error: Exception) -> str:
    """Why a recording ended, for a sentence."""
    number = getattr(error, "errno", None)
    if number in (28, 27):  # no space, or a file that may not grow
        return FULL_DISK
    return f"the file cannot be written ({getattr(error, 'strerror', None) or type(error).__name__})"


def last_picture(path: Path, width: int = 320) -> Image | None:
    """The last key frame that is really in a Matroska file, small; None when none can be read.

    Its beginning and its last clusters are put together, which is a file too.
    """
    try:
        with path.open("rb") as file:
            head = file.read(65536)
            size = os.fstat(file.fileno()).st_size
            file.seek(max(0, size - TAIL))
            tail = file.read()
    except OSError:
        return None
    first = head.find(CLUSTER)
    starts = _found(tail, CLUSTER)
    if first < 0 or not starts:
        return None
    found: Image | None = None
    for start in reversed(starts[-3:]):
        with (
            contextlib.suppress(av.error.FFmpegError, OSError, ValueError),
            av.open(io.BytesIO(head[:first] + tail[start:]), "r", format="matroska") as container,
        ):
            container.streams.video[0].codec_context.skip_frame = "NONKEY"
            for frame in container.decode(video=0):
                tall = width * frame.height // frame.width // 2 * 2
                found = np.asarray(frame.to_ndarray(format="bgr24", width=width, height=tall), np.uint8)
        if found is not None:
            return np.ascontiguousarray(found)
    return None


def _found(data: bytes, what: bytes) -> list[int]:
    places, at = [], data.find(what)
    while at >= 0:
        places.append(at)
        at = data.find(what, at + 1)
    return places


def timecode(rate: Fraction, after_s: float = 0.0) -> str:
    """The time of day, so many seconds from now, in hours, minutes, seconds and frames."""
    now = datetime.now() + timedelta(seconds=after_s)
    return timecode_of(int((now - now.replace(hour=0, minute=0, second=0, microsecond=0)).total_seconds() * rate), rate)


def names_for(folder: Path, title: str, whats: Sequence[str]) -> dict[str, Path]:
    """A name that is not used yet for each part of a recording that begins now. Raises FileExistsError when all are."""
    plain = "".join(c if c.isalnum() or c in " -_" else " " for c in title)
    plain = " ".join(plain.split())[:60] or "show"
    stem = f"{datetime.now():%Y-%m-%d %H.%M.%S} {plain}"
    for k in range(1, 1000):
        more = "" if k == 1 else f" {k}"
        paths = {what: folder / f"{stem}{more}{'' if what == 'program' else f' {what}'}.mkv" for what in whats}
        if not any(path.exists() for path in paths.values()):
            return paths
    raise FileExistsError(stem)
