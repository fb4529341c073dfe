"""The sound of a clip, at the place that it has reached; read ahead by a thread of its own."""

import contextlib
import threading
import time
from collections import deque

import av
import av.error
import numpy as np

from ribalta.core.sound.levels import RATE, Samples
from ribalta.media import files
from ribalta.workers.crew import Crew

AHEAD_S = 1.0
NAP_S = 0.1


class ClipSound:
    """`read` never waits: what has not been read from the disk by then is silence."""

    def __init__(self, path: str, crew: Crew | None = None) -> None:
        self._path = path
        self._started_s: float | None = None
        self._ends = False
        self._chunks: deque[tuple[int, Samples]] = deque()
        self._lock = threading.Lock()
        self._changed = threading.Event()
        self._stopping = False
        self._worker = (crew or Crew()).worker("clip sound", self._run)
        self._worker.start()

    def play(self, started_s: float | None) -> None:
        """From when on (CLOCK_MONOTONIC) it plays; None: not any more."""
        with self._lock:
            if started_s is None:
                self._ends = self._started_s is not None
            elif started_s != self._started_s:
                self._started_s, self._ends = started_s, False
                self._chunks.clear()
        self._changed.set()

    def read(self, at_s: float, count: int) -> Samples | None:
        """(count,) samples from a time on; None when it does not play. Its last block goes down to nothing."""
        with self._lock:
            if self._started_s is None:
                return None
            first = round((at_s - self._started_s) * RATE)
            out = np.zeros(count, np.float32)
            while self._chunks and self._chunks[0][0] + len(self._chunks[0][1]) <= first:
                self._chunks.popleft()
            for start, chunk in self._chunks:
                begin, end = max(first, start), min(first + count, start + len(chunk))
                if begin >= end:
                    break
                out[begin - first : end - first] = chunk[begin - start : end - start]
            if self._ends:
                out *= np.linspace(1, 0, count, dtype=np.float32)
                self._started_s, self._ends = None, False
                self._chunks.clear()
            return out

    def stop(self) -> None:
        """End soon; `join` waits for it."""
        self._stopping = True
        self._changed.set()

    def join(self) -> None:
        """Wait for the end of its thread, a few seconds at most."""
        self._worker.stop()
        self._worker.join(5)

    def _run(self) -> None:
        done_s: float | None = None
        while not self._stopping:
            started_s = self._started_s
            if started_s is None or started_s == done_s:
                self._changed.wait()
                self._changed.clear()
                continue
            done_s = started_s
            with contextlib.suppress(OSError, ValueError, av.error.FFmpegError):  # its picture says what is wrong
                self._decode(started_s)

    def _decode(self, started_s: float) -> None:
        """From the beginning to the end, never more than AHEAD_S ahead, for as long as this start is what plays."""
        resampler, place = av.AudioResampler(format="flt", layout="mono", rate=RATE), 0
        with av.open(files.to_read(self._path), options=files.OPTIONS) as container:
            if not container.streams.audio:
                return
            for frame in container.decode(audio=0):
                for made in resampler.resample(frame):
                    chunk = np.ascontiguousarray(made.to_ndarray()[0], np.float32)
                    with self._lock:
                        if self._started_s != started_s:
                            return
                        self._chunks.append((place, chunk))
                    place += len(chunk)
                while place / RATE > time.monotonic() - started_s + AHEAD_S:
                    if self._stopping or self._started_s != started_s:
                        return
                    self._changed.wait(NAP_S)
                    self._changed.clear()
