"""A video clip that starts when it is told to: its first frame is ready before, its last one stays."""

import threading
import time
from collections import deque
from collections.abc import Callable

import av
import av.error
from av.container import InputContainer

from ribalta.core.picture.planes import Picture
from ribalta.media import files
from ribalta.media.colour import Colours
from ribalta.media.library.clip_sound import ClipSound
from ribalta.media.sources.stamps import Stamps
from ribalta.workers.crew import Crew

LARGEST = 3840 * 2160
NAP_S = 0.2
AHEAD, ROOM_S, NEARLY_S, LATE_S = 5, 0.02, 0.002, 0.5


def why_not(error: Exception) -> str:
    """Why a clip cannot be played, as a phrase."""
    gone = isinstance(error, FileNotFoundError)
    return "is not at its place any more" if gone else "is damaged, or not a video"


class Clip:
    """Decodes on a thread of its own. `started_s` is None while it waits at its beginning."""

    def __init__(self, path: str, crew: Crew | None = None, now_s: Callable[[], float] = time.monotonic) -> None:
        crew = crew or Crew()
        self._now_s = now_s
        self._path = path
        self._picture: Picture | None = None
        self._colours = Colours()
        self._started_s: float | None = None
        self.sound = ClipSound(path, crew)
        self._changed, self._room, self._lock = threading.Event(), threading.Event(), threading.Lock()
        self._frames: deque[tuple[float, Picture]] = deque()  # seconds from its beginning, and what is seen then
        self._turn = 0
        self._stopping = False
        self.length_s: float | None = None
        self.trouble = ""
        self._worker = crew.worker("clip", self._run)
        self._worker.start()

    def picture(self, at_s: float | None = None) -> Picture | None:
        """What it shows at a time (CLOCK_MONOTONIC; None: now). Asked at the times of program's frames, a clip of the
        same rate shows each of its own once: none comes twice, and none is passed over."""
        started_s = self._started_s
        with self._lock:
            if started_s is not None and self._frames:
                gone_s = (at_s if at_s is not None else self._now_s()) - started_s + NEARLY_S
                while len(self._frames) > 1 and self._frames[1][0] <= gone_s:
                    self._frames.popleft()
                self._picture = self._frames[0][1]
                self._room.set()
            return self._picture

    def play(self, started_s: float | None) -> None:
        """From when on (CLOCK_MONOTONIC) it plays; None: back to its beginning."""
        if started_s != self._started_s:
            self._turn += self._started_s is not None  # then it begins anew
            self._started_s = started_s
            self._changed.set()
            self.sound.play(started_s)

    def stop(self) -> None:
        """End soon; `join` waits for it."""
        self._stopping = True
        self._changed.set()
        self.sound.stop()

    @property
    def runs(self) -> bool:
        """Has its thread not ended yet?"""
        return self._worker.is_alive()

    def join(self) -> None:
        """Wait for the end of its threads, a few seconds at most."""
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
                    self._changed.clear()
                    self._once(container)
        except (OSError, ValueError, av.error.FFmpegError) as error:
            self.trouble = why_not(error)

    def _once(self, container: InputContainer) -> None:
        """The first frame, then a few ahead of what is shown, until it is told something else."""
        container.seek(0)
        turn, stamps = self._turn, Stamps()
        with self._lock:
            self._frames.clear()
        for frame in container.decode(video=0):
            if frame.width * frame.height > LARGEST:
                raise ValueError("too large")
            at_s = stamps.due_s(frame.time)
            while len(self._frames) >= AHEAD and self._goes_on(turn):
                self._room.wait(ROOM_S)
                self._room.clear()
            if not self._goes_on(turn):
                return
            started_s = self._started_s
            if started_s is not None and self._now_s() - started_s - at_s > LATE_S:
                continue  # the machine was busy: this one is over
            picture = self._colours.picture(frame)
            with self._lock:
                self._frames.append((at_s, picture))
                if self._started_s is None and len(self._frames) == 1:
                    self._picture = picture
        while self._goes_on(turn):
            self._changed.wait(NAP_S)
            self._changed.clear()

    def _goes_on(self, turn: int) -> bool:
        """Has it not been told to begin anew, or to end?"""
        return turn == self._turn and not self._stopping
