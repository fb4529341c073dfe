"""The program picture: a thread on an absolute clock of the show's rate that also composes at once when told to.

It never waits for a source, a device or a desk: a source without a new frame gives its last one.
"""

import threading
import time
from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import replace
from fractions import Fraction
from statistics import fmean

import cv2

from ribalta.core.base.frames import USUAL, frames_to_s
from ribalta.core.picture.colours import image_of
from ribalta.core.picture.layering import Drawing
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.as_run import TakeShown
from ribalta.core.ports.messages import PicturePresence, PictureStalled
from ribalta.core.show.document.scenes import Source as Shown
from ribalta.media.program.composer import Composer, ProgramPlan, fill, never, source_of
from ribalta.media.program.desk_pictures import AUX, CLEAN, PROGRAM, DeskPictures
from ribalta.media.program.practice import stamped
from ribalta.media.program.shapes import Composed, FrameConsumer, LibraryPictures
from ribalta.media.sources.guarded import Guarded
from ribalta.media.sources.source import LATE_AFTER_S, Frame, FrameSource
from ribalta.workers.crew import Crew
from ribalta.workers.interpreter import handed_over_soon
from ribalta.workers.priorities import go_first

FIRST_AHEAD, LEAST_AHEAD, MOST_AHEAD = 0.6, 0.3, 0.8  # of a frame: begun so long before it is due, to go out evenly
ROOM, LOOKED_BACK = 1.25, 250  # over what the slowest of so many frames took
DESK_RATE = 30  # desks are shown no more pictures a second than about these
NEARLY_S = 0.002
GIVE_WAY_S = 0.02
STANDS_STILL_S = 1.0
OPENED_WITHIN_S = 0.6
KEPT_FRAMES = 12_000  # of which it is known when they went out: more than a check takes, at any rate
KEPT = (960, 540)  # large enough to be laid over the live picture


class Mixer:
    """`on_report` and `on_composed` are called on the mixer's thread and must return at once."""

    def __init__(
        self,
        sources: Mapping[str, FrameSource],
        on_report: Callable[[PicturePresence | PictureStalled | TakeShown], None],
        on_composed: Callable[[Composed], None] = lambda _: None,
        bin_of_media: LibraryPictures | None = None,
        size: tuple[int, int] = (1280, 720),
        rate: Fraction = USUAL,
        crew: Crew | None = None,
        called: Callable[[str], str] = lambda camera_id: f"camera {camera_id}",
    ) -> None:
        """`called` says what a camera is called in a sentence."""
        self._crew, self._called = crew or Crew(), called
        self._sources = {name: Guarded(source, self._crew, name, called) for name, source in sources.items()}
        self._on_report = on_report
        self._on_composed = on_composed
        self._bin = bin_of_media
        self._plan = ProgramPlan()
        self._arrives = dict.fromkeys(self._sources, False)
        self._late: dict[str, float] = {}
        self._take_shown = 0
        self._turn = 0
        self._asked: tuple[tuple[int, int], Fraction] | None = None
        self._become(size, rate)
        self._newest, self._due_s = 0, 0.0
        self._makes_program = False
        self._missing_s: dict[str, tuple[float, float]] = {}  # media without a picture: since when, and when last
        self.taps: tuple[FrameConsumer, ...] = ()
        self._wake = threading.Event()
        self._free = threading.Event()
        self._free.set()
        self._stopping = False
        self.desk_pictures = DeskPictures(self, bin_of_media, self._crew)
        self.record: deque[Composed] = deque(maxlen=KEPT_FRAMES)
        self._worker = self._crew.worker("mixer", self._run, limit_s=STANDS_STILL_S)

    def start(self) -> None:
        """Begin, on threads of its own."""
        self._worker.start()
        self.desk_pictures.start()

    def stop(self) -> None:
        """End, and wait for the threads."""
        self.desk_pictures.stop()
        self._stopping = True
        self._wake.set()
        self._worker.stop()
        self._worker.join()

    def change(self, size: tuple[int, int], rate: Fraction) -> None:
        """Program has another size, or another rate, from its next frame on. From any thread."""
        if (size, rate) == (self.size, self.rate) and self._asked is None:
            return
        if self._worker.is_alive():
            self._asked = (size, rate)
        else:
            self._become(size, rate)

    def _become(self, size: tuple[int, int], rate: Fraction) -> None:
        self.size, self.rate = size, rate
        self._frame_s = frames_to_s(1, rate)
        self._ahead_s = FIRST_AHEAD * self._frame_s
        self._costs_s: deque[float] = deque(maxlen=LOOKED_BACK)
        self._desk_every = max(1, round(rate / DESK_RATE))
        self._composer = Composer(*size)
        self._clean = Picture.plain(*size)
        self._buffers = [Picture.plain(*size) for _ in range(3)]
        self._program = list(self._buffers)  # or a source's own, handed on

    def follow(self, plan: ProgramPlan) -> bool:
        """Take a new plan; when what goes out changes, compose at once. Whether it does."""
        old = self._plan
        changed = (plan.program, plan.overlays, plan.in_transition, plan.black, plan.card) != (
            old.program,
            old.overlays,
            old.in_transition,
            old.black,
            old.card,
        )
        self._plan = plan
        if changed:
            if self._worker.is_alive():
                self._free.clear()  # from now on, and not only when the thread has begun
            self._wake.set()
        return changed

    def follow_sources(self, sources: Mapping[str, FrameSource]) -> None:
        """These are the cameras' pictures from now on; whoever gives them up closes them."""
        old = self._sources
        stays = {name for name in old if old[name].source is sources.get(name)}
        new = {n: Guarded(s, self._crew, n, self._called) for n, s in sources.items() if n not in stays}
        self._sources = {name: old[name] if name in stays else new[name] for name in sources}

    def give_way(self) -> None:
        """For a thread whose work can wait: until no frame is being composed, or due at once; at most GIVE_WAY_S.

        Composing lets go of the interpreter dozens of times a frame. Beside two or three threads that are busy in
        Python (a take wakes all of them) each time costs a wait, and a frame of 6 ms takes 40.
        """
        if not self._free.is_set():
            self._free.wait(GIVE_WAY_S)

    @property
    def composing(self) -> bool:
        """Is a frame being composed, or due at once?"""
        return not self._free.is_set()

    @property
    def program(self) -> Picture:
        """The latest program frame; it stays whole for two more frames."""
        return self._program[self._turn]

    @property
    def clean(self) -> Picture:
        """Program without titles, while somebody shows or takes it."""
        return self._clean

    @property
    def plan(self) -> ProgramPlan:
        """What is composed now."""
        return self._plan

    @property
    def sources(self) -> Mapping[str, Guarded]:
        """The cameras' pictures by id."""
        return self._sources

    def picture(self, camera_id: str) -> Frame | None:
        """The newest frame of a camera, a small one if there are two sizes, only lent; None without any."""
        source = self._sources.get(camera_id)
        return (source.small() or source.best()) if source is not None else None

    def jpeg(self, camera_id: str, since_s: float = 0.0) -> bytes | None:
        """The picture of a camera, or of PROGRAM, now as JPEG, at most KEPT in size; None when none has come since
        `since_s` (clock time)."""
        source = self._sources.get(camera_id)
        frame = source.best() if source else None
        if camera_id != PROGRAM and (frame is None or frame.captured_s < since_s):
            return None
        picture = frame.picture if frame is not None else self.program
        image = image_of(picture, KEPT if picture.width > KEPT[0] else None)
        done, data = cv2.imencode(".jpg", image, [cv2.IMWRITE_JPEG_QUALITY, 88])
        return data.tobytes() if done else None

    def _run(self) -> None:
        go_first()
        start_s, tick = time.monotonic(), 0
        while not self._stopping:
            asked, self._asked = self._asked, None
            if asked is not None:
                next_s = start_s + frames_to_s(tick, self.rate)
                self._become(*asked)
                start_s = next_s - frames_to_s(tick, self.rate)
            due_s = start_s + frames_to_s(tick, self.rate)
            self.round(tick, due_s)
            tick = max(tick + 1, int((time.monotonic() - start_s) * self.rate))

    def round(self, tick: int, due_s: float) -> None:
        """One frame of the clock and all that goes with it; whatever of that fails, the rest goes on."""
        with self._crew.guarded("program", "It goes on."):
            self._frame_of(due_s)
            self._worker.beat()
        if self._stopping:
            return
        self._tap(tick, due_s)
        take = self.record[-1].plan.take if self.record else 0
        if take != self._take_shown:
            self._take_shown = take
            self._on_report(TakeShown(take, due_s))
        with self._crew.guarded("looking after the cameras' pictures"):
            self._look_after_sources()
        if len(self._costs_s) == LOOKED_BACK:
            slowest = ROOM * max(self._costs_s) / self._frame_s
            self._ahead_s = min(MOST_AHEAD, max(LEAST_AHEAD, slowest)) * self._frame_s
        if tick % self._desk_every == 0:
            self.desk_pictures.due(tick // self._desk_every)

    def _frame_of(self, due_s: float) -> None:
        """The clock's frame goes out when it is due, composed a little ahead; what is told goes out at once, between
        two of the clock's."""
        self._due_s = due_s
        stepped = False
        while not self._stopping:
            told = self._woken_before(due_s - self._ahead_s)
            if not stepped and time.monotonic() >= due_s - self._ahead_s:
                stepped = True
                self._step_sources()
            ahead = None if told else self._composed_now(lambda: self._wake.is_set() and self._has_time(due_s))
            if ahead is not None:
                told = self._woken_before(due_s)
                if not told or not self._has_time(due_s):
                    self._show(ahead, True)  # what is told now would be late for the clock: it is a frame by itself
                    if told:
                        self._wake.set()
                    return
            self._wake.clear()
            if self._compose(due_s):
                return

    def _has_time(self, due_s: float) -> bool:
        """Can another frame be composed before that?"""
        usual_s = fmean(self._costs_s) if self._costs_s else 0.0
        return time.monotonic() + usual_s < due_s

    def _step_sources(self) -> None:
        """Cameras on air go on by one frame; of all others the newest counts."""
        now_s, on_air = time.monotonic(), self._plan.on_air
        for camera_id, source in self._sources.items():
            source.step(now_s, self._frame_s if camera_id in on_air else None)

    def _woken_before(self, end_s: float) -> bool:
        """Wait until a time, or until told that what goes out has changed."""
        told = self._wake.wait(max(0.0, end_s - time.monotonic()))
        if told:  # else it may be told by now, and that must not be lost
            self._wake.clear()
        return told and not self._stopping

    # What the composer asks for

    def full(self, source: Shown) -> Picture | None:
        """See `Feeds`."""
        if source.medium_id is not None:
            picture = self._bin.picture(source.medium_id, self._due_s) if self._bin is not None else None
            return picture if picture is not None else self._until_it_is_there(source.medium_id)
        camera = self._sources.get(source.camera_id or "")
        frame = camera.best() if camera is not None else None
        if frame is not None:
            self._newest = max(self._newest, frame.number)
        return frame.picture if frame is not None else None

    def _until_it_is_there(self, medium_id: str) -> Picture | None:
        """What went out before, for a moment: a clip that is cut to at once is still being opened."""
        if not self._makes_program:
            return None
        now_s = time.monotonic()
        since_s, last_s = self._missing_s.get(medium_id, (now_s, now_s))
        if now_s - last_s > OPENED_WITHIN_S:
            since_s = now_s  # it was off air meanwhile
        self._missing_s[medium_id] = since_s, now_s
        return self.program if now_s - since_s < OPENED_WITHIN_S else None

    def at_least(self, source: Shown, width: int) -> Picture | None:
        """See `Feeds`."""
        camera = self._sources.get(source.camera_id or "")
        small = camera.small() if camera is not None else None
        if small is not None and width <= small.picture.width:
            return small.picture
        if camera is not None and width < self.size[0]:
            camera.want_main(time.monotonic())
        return self.full(source)

    def drawing(self, name: str, size: tuple[int, int]) -> Drawing | None:
        """See `Feeds`."""
        return self._bin.drawing(name, size) if self._bin is not None else None

    # The thread

    def _compose(self, due_s: float) -> bool:
        """One frame, at once. It is the clock's, too, when it is finished just before that is due, or later."""
        made = self._composed_now()
        assert made is not None
        on_clock = time.monotonic() >= due_s - NEARLY_S
        self._show(made, on_clock)
        return on_clock

    def _composed_now(self, given_up: Callable[[], bool] = never) -> Composed | None:
        """A frame in the next buffer, which nobody looks at yet; None when it was given up."""
        self._free.clear()
        try:
            with handed_over_soon():
                return self._compose_next(given_up)
        finally:
            self._free.set()

    def _compose_next(self, given_up: Callable[[], bool]) -> Composed | None:
        began_s = time.monotonic()
        plan = self._plan
        turn = (self._turn + 1) % len(self._program)
        self._newest = 0
        taps = self.taps
        shows = self.desk_pictures.shows
        wanted = any(tap.what == CLEAN for tap in taps) or shows(CLEAN) or (plan.aux == CLEAN and shows(AUX))
        clean = self._clean if wanted else None
        self._makes_program = True
        try:
            handed = self._composer.handed_on(plan, self, began_s) if clean is None else None
            if any(handed is buffer for buffer in self._buffers):  # what was on air stands in for what is not there
                handed = None
            made = handed if handed is not None else self._buffers[turn]
            if handed is None and not self._composer.program(plan, self, began_s, made, clean, given_up):
                return None
            self._program[turn] = made
        except Exception as error:
            self._crew.failed("what lies over program, or a transition", error, "The bare picture is on air.")
            self._program[turn] = self._buffers[turn]
            self._bare(plan, self._program[turn], clean)
        finally:
            self._makes_program = False
        now_s = time.monotonic()
        self._costs_s.append(now_s - began_s)
        return Composed(now_s, plan, self._newest, now_s - began_s, False)

    def _bare(self, plan: ProgramPlan, out: Picture, clean: Picture | None) -> None:
        """The base of program and nothing else; what went out before, if even that cannot be had."""
        picture = None
        with self._crew.guarded("the bare picture", "What was on air before stays."):
            picture = self.full(source_of(plan.program)) if plan.program is not None else None
        fill(picture if picture is not None else self.program, out)
        if clean is not None:
            clean.take(out)

    def _show(self, composed: Composed, on_clock: bool) -> None:
        """From now on it is what goes out."""
        self._turn = (self._turn + 1) % len(self._program)
        shown = replace(composed, at_s=time.monotonic(), on_clock=on_clock)
        self.record.append(shown)
        with self._crew.guarded("a listener to program", "Program goes on."):
            self._on_composed(shown)

    def _tap(self, tick: int, at_s: float) -> None:
        for tap in self.taps:
            what = "program" if tap.what in (PROGRAM, CLEAN) else f"the picture of {self._called(tap.what)}"
            with self._crew.guarded(f"what takes {what} away", "Program goes on."):
                picture = self.program if tap.what == PROGRAM else self._clean if tap.what == CLEAN else None
                if picture is None:
                    source = self._sources.get(tap.what)
                    frame = source.best() if source is not None else None
                    picture = frame.picture if frame is not None else None
                    picture = stamped(picture) if picture is not None and self._plan.practice else picture
                tap.take(tick, at_s, picture)

    def _look_after_sources(self) -> None:
        now_s, wanted = time.monotonic(), self._plan.cameras | {tap.what for tap in self.taps}
        for camera_id, source in self._sources.items():
            arrives = source.arrives(now_s)
            if arrives != self._arrives.get(camera_id, False):
                self._arrives[camera_id] = arrives
                self._on_report(PicturePresence(camera_id, arrives))
            self._report_late(camera_id, source.newest_s, now_s)
            if camera_id in wanted:
                source.want_main(now_s)
        for gone in self._late.keys() - self._sources.keys():
            self._report_late(gone, 0.0, now_s)  # what has no picture any more is not waited for

    def _report_late(self, camera_id: str, newest_s: float, now_s: float) -> None:
        late_s = newest_s if newest_s > 0 and now_s - newest_s > LATE_AFTER_S else None
        if late_s == self._late.get(camera_id):
            return
        if late_s is None:
            del self._late[camera_id]
        else:
            self._late[camera_id] = late_s
        self._on_report(PictureStalled(camera_id, late_s))
