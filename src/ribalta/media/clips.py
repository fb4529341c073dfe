"""A video clip that starts when it is told to: its first frame is ready before, its last one stays."""

import threading
import time

import av
import av.error
from av.container import InputContainer

from ribalta.media import files
from ribalta.media.clip_sound import ClipSound
from ribalta.media.colour import Colours
from ribalta.media.source import Image
from ribalta.workers.crew import Crew

LARGEST = 3840 * 2160
NAP_S = 0.2


class Clip:
    """Decodes on a thread of its own. `started_s` is None while it waits at its beginning."""

    def __init__(self, path: str, crew: Crew | None = None) -> None:
        crew = crew or Crew()
        self._path = path
        self._picture: Image | None = None
        self._colours = Colours()
        self._started_s: float | None = None
        self.sound = ClipSound(path, crew)
        self._told = threading.Event()
        self._stopping = False
        self.length_s: float | None = None
        self.trouble = ""
        self._worker = crew.worker("clip", self._run)
        self._worker.start()

    def picture(self) -> Image | None:
        return self._picture

    def play(self, started_s: float | None) -> None:
        """From when on (CLOCK_MONOTONIC) it plays; None: back to its beginning."""
        if started_s != self._started_s:
            self._started_s = started_s
            self._told.set()
            self.sound.play(started_s)

    def stop(self) -> None:
        self._stopping = True
        self._told.set()
        self.sound.stop()

    def join(self) -> None:
        self._worker.stop()
        self._worker.join(5)
        self.sound.join()

    def _run(self) -> None:
        try:
            whole = files.to_read(self._path)
            within = (files.OPEN_WITHIN_S, files.READ_WITHIN_S)
            with av.open(whole, options=files.OPTIONS, timeout=within) as container:
                if not container.streams.video:
                    self.trouble = "has no picture in it"
                    return
                length = container.duration
                self.length_s = float(length) / av.time_base if length else None
                while not self._stopping:
                    self._told.clear()
                    self._once(container)
        except (OSError, ValueError, av.error.FFmpegError) as error:
            gone = isinstance(error, FileNotFoundError)
            self.trouble = "is not at its place any more" if gone else "is damaged, or not a video"

    def _once(self, container: InputContainer) -> None:
        """The first frame, then in its own time from when it is started, until it is told something else."""
        container.seek(0)
        first_s: float | None = None
        for frame in container.decode(video=0):
            if frame.width * frame.height > LARGEST:
                raise ValueError("too large")
            at_s = frame.time or 0.0
            if first_s is None:
                first_s = at_s
                self._picture = self._colours.bgra(frame)
                while self._started_s is None and not self._stopping:
                    self._told.wait(NAP_S)
                    self._told.clear()
            started_s = self._started_s
            if self._stopping or started_s is None:
                return
            late_s = time.monotonic() - (started_s + at_s - first_s)
            if late_s > 0.08:
                continue  # the machine was busy: this one is over
            if late_s < 0 and self._told.wait(-late_s):
                return
            self._picture = self._colours.bgra(frame)
        while not self._told.wait(NAP_S) and not self._stopping:
            pass
