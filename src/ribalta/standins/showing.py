"""What a stand-in camera shows: where its head was when the picture was taken, and what its faults make of that.

The camera moves at every frame; people are drawn on twos, a new pose for every second frame.
"""

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from av.video.frame import VideoFrame

from ribalta.standins.body import Body
from ribalta.standins.cameras import Build
from ribalta.standins.frames import SIZES, FrameFile
from ribalta.standins.hall.people import Moment
from ribalta.standins.hall.picture import CoarseLayers, HallPicture
from ribalta.standins.hall.values import BLACK, WHITE, Image
from ribalta.standins.hall.view import View
from ribalta.standins.head import Stand
from ribalta.standins.sensor import Sensor, as_sent, write_smaller

MAIN_FOR_S = 0.5
WATCHED_FOR_S, SELDOM_S = 1.5, 10.0  # when nobody looks, a picture comes now and then
Shown = tuple[Moment, Stand, object]


GRAIN = np.random.default_rng(7).integers(0, 2, (8, SIZES[0][0], 3), np.uint8)


def _grain(pixels: Image, tick: int) -> None:
    """The sensor's own noise, the least there can be, in a band that wanders: no two pictures of a camera that works
    are the same, even of an empty room."""
    tall, wide = pixels.shape[:2]
    top = tick * len(GRAIN) % (tall - len(GRAIN))
    pixels[top : top + len(GRAIN)] ^= GRAIN[:, :wide]


BITS = 24  # of a stamp: 4.6 hours of milliseconds


def stamped(pixels: Image, at_s: float) -> None:
    """The time (CLOCK_MONOTONIC, ms) along the lower edge, as blocks of black and white, the highest bit first: whoever
    sees the picture later can tell how old it is."""
    tall, wide = pixels.shape[:2]
    value, block = round(1000 * at_s) % (1 << BITS), wide // BITS
    for k in range(BITS):
        pixels[tall - tall // 15 :, k * block : (k + 1) * block] = WHITE if value >> (BITS - 1 - k) & 1 else BLACK


@dataclass
class Showing:
    """One camera's pictures, painted by one thread and read by any."""

    build: Build
    file: FrameFile
    main: HallPicture
    small: HallPicture
    coarse: CoarseLayers
    body: Body | None = None
    main_wanted_s: float = 0.0
    watched_s: float = 0.0
    stamp: bool = False  # for measurements
    _painted_s: float = 0.0
    _turn: int = 0  # the tick from which on a small picture is due
    _frozen: tuple[Stand, Moment] | None = None
    _scene: Moment | None = None
    _latest: dict[int, Shown] = field(default_factory=dict)  # what the latest frame of each stream shows
    _news: threading.Condition = field(default_factory=threading.Condition)
    _canvases: list[Image] = field(init=False)  # what a stream's frames are painted on: a sensor's values
    _sensors: list[Sensor] = field(init=False)

    def __post_init__(self) -> None:
        self._canvases = [np.zeros((height, width, 3), np.uint8) for width, height in self.file.sizes]
        self._sensors = [Sensor(size) for size in self.file.sizes]

    def stand(self, now_s: float) -> Stand:
        """Where the picture that leaves now was taken."""
        if self.body is None:
            return Stand(0.0, 0.0, 0.0)
        return self.body.head.past(now_s, self.build.picture_delay_s)

    def view(self, stand: Stand, size: tuple[int, int]) -> View:
        mount = self.build.mount
        if self.body is not None:
            faults, sign = self.body.faults, -1 if mount.hung else 1
            mount = replace(
                mount,
                heading_deg=mount.heading_deg + sign * faults.bump_pan_deg,
                tilt_deg=mount.tilt_deg + faults.bump_tilt_deg,
                roll_deg=mount.roll_deg + faults.bump_roll_deg,
            )
        return View(mount, stand.pan_deg, stand.tilt_deg, self.build.hfov_deg(stand.zoom), *size)

    def is_watched(self, now_s: float) -> bool:
        """Does somebody look?"""
        return now_s - max(self.file.watched_s(), self.file.main_wanted_s(), self.watched_s) < WATCHED_FOR_S

    def is_due(self, now_s: float) -> bool:
        """Does somebody look, or was the latest picture long ago?"""
        return self.is_watched(now_s) or now_s - self._painted_s >= SELDOM_S

    def show(self, now_s: float, scene: Moment, tick: int) -> None:
        """Publish one frame: the main stream when somebody wants it, and at every other tick the small one."""
        wanted = now_s - max(self.file.main_wanted_s(), self.main_wanted_s) < MAIN_FOR_S
        turn = tick >= self._turn
        if not wanted and not turn:
            return
        if turn:  # at the other ticks it is the others' turn; a busy machine passes ticks over
            self._turn = tick + 2 - (tick + self.build.number) % 2
        self._painted_s = now_s
        scene = self._scene = scene if turn or self._scene is None else self._scene
        stand = self.stand(now_s)
        if self.body is not None and self.body.faults.frozen:
            stand, scene = self._frozen = self._frozen or (stand, scene)
        else:
            self._frozen = None
        stream = 0 if wanted else 1
        shows = (scene, stand, (self.body.faults, self.body.awake) if self.body is not None else None)
        if self._is_shown(stream, shows):
            self.file.repeat(stream)
        else:
            self._expose(stream, stand, scene, now_s, tick)
        if wanted and turn:
            if self._is_shown(1, shows):
                self.file.repeat(1)
            else:
                sizes = self.file.sizes
                write_smaller(self.file.begun(0), sizes[0], self.file.begin(1), sizes[1])
            self.file.publish(1, now_s, stand)
        self._tell(stream, now_s, stand)

    def _is_shown(self, stream: int, shows: Shown) -> bool:
        """Does the latest picture of a stream show that already? From now on it does."""
        before, self._latest[stream] = self._latest.get(stream), shows
        return before is not None and before[0] is shows[0] and before[1:] == shows[1:] and not self.stamp

    def _expose(self, stream: int, stand: Stand, scene: Moment, now_s: float, tick: int) -> None:
        """Paint the next picture of a stream and write it down."""
        pixels = self._canvases[stream]
        if self.body is not None and (self.body.faults.black or not self.body.awake):
            pixels[:] = BLACK
        else:
            self._paint(stream, stand, scene, pixels)
            if self._frozen is None:
                _grain(pixels, tick)
            if self.stamp:
                stamped(pixels, now_s)
        self._sensors[stream].write(pixels, self.file.begin(stream))

    def _tell(self, stream: int, now_s: float, stand: Stand) -> None:
        self.file.publish(stream, now_s, stand)
        with self._news:
            self._news.notify_all()

    def _paint(self, stream: int, stand: Stand, scene: Moment, pixels: Image) -> None:
        goal = self.body.head.goal() if self.body is not None else stand
        turn = max(abs(goal.pan_deg - stand.pan_deg), abs(goal.tilt_deg - stand.tilt_deg))
        size = self.file.sizes[stream]
        coming = self.view(goal, size) if max(turn, 40 * abs(goal.zoom - stand.zoom)) > 0.05 else None
        picture = self.main if stream == 0 else self.small
        picture.paint(self.view(stand, size), scene, pixels, coming)

    def wait(self, stream: int, after: int, while_true: Callable[[], bool]) -> tuple[int, VideoFrame] | None:
        """The newest frame of a stream that is newer than number `after`; None when told to end."""
        while while_true():
            self.watched_s = time.monotonic()
            if stream == 0:
                self.main_wanted_s = self.watched_s
            latest = self.file.latest(stream)
            if latest is not None and latest[0] != after:
                return latest[0], as_sent(latest[1], self.file.sizes[stream])
            with self._news:
                self._news.wait(0.1)
        return None
