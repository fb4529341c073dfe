"""What desks show of program and of its cameras, scaled on a thread of its own: program never waits for it.

A place is "program", "clean", "next", "preview", "aux" or a camera's id; after an @ follows whose place it is.
"""

import threading
import time
from collections.abc import Callable, Collection, Mapping
from typing import Protocol

from ribalta.core.picture.layering import Drawing
from ribalta.core.picture.planes import Picture
from ribalta.core.picture.scaling import scaled
from ribalta.core.ports.shots import NO_OVERLAYS, Overlays, Shot
from ribalta.core.show.document.scenes import Source as Shown
from ribalta.media.program.composer import Composer, Feeds, ProgramPlan
from ribalta.media.program.shapes import LibraryPictures, Pictures
from ribalta.media.program.stored_feeds import WithStored
from ribalta.media.sources.guarded import Guarded
from ribalta.media.sources.source import Frame
from ribalta.workers.crew import Crew
from ribalta.workers.priorities import go_soon

PROGRAM, CLEAN = "program", "clean"  # with and without titles
NEXT, PREVIEW, AUX = "next", "preview", "aux"
STANDS_STILL_S, LOOK_AGAIN_S = 2.0, 0.5
Sizes = Mapping[str, tuple[int, int]]


class Mixed(Protocol):
    """What goes out, and what it is made of."""

    @property
    def size(self) -> tuple[int, int]:
        """Of program, in pixels."""
        ...

    @property
    def program(self) -> Picture:
        """The latest program frame."""
        ...

    @property
    def clean(self) -> Picture:
        """The same without titles, while somebody shows it."""
        ...

    @property
    def plan(self) -> ProgramPlan:
        """What is composed now."""
        ...

    @property
    def sources(self) -> Mapping[str, Guarded]:
        """The cameras' pictures by id."""
        ...

    def give_way(self) -> None:
        """Wait while a frame is being composed; see `Mixer.give_way`."""
        ...


class NewestFeeds:
    """Live pictures as they are now, of cameras and media; see `Feeds`."""

    def __init__(self, mixed: Mixed, library: LibraryPictures | None) -> None:
        self._mixed, self._library = mixed, library

    def full(self, source: Shown) -> Picture | None:
        """The newest picture at full size."""
        if source.medium_id is not None:
            return self._library.picture(source.medium_id) if self._library is not None else None
        camera = self._mixed.sources.get(source.camera_id or "")
        frame = camera.best() if camera is not None else None
        return frame.picture if frame is not None else None

    def at_least(self, source: Shown, width: int) -> Picture | None:
        """See `Feeds`."""
        camera = self._mixed.sources.get(source.camera_id or "")
        small = camera.small() if camera is not None else None
        if small is not None and width <= small.picture.width:
            return small.picture
        if camera is not None and width < self._mixed.size[0]:
            camera.want_main(time.monotonic())
        return self.full(source)

    def drawing(self, name: str, size: tuple[int, int]) -> Drawing | None:
        """See `Feeds`."""
        return self._library.drawing(name, size) if self._library is not None else None


class DeskPictures:
    """`latest` are the newest pictures; `on_made` is called on its thread whenever there are new ones."""

    def __init__(self, mixed: Mixed, library: LibraryPictures | None, crew: Crew) -> None:
        self.latest = Pictures()
        self.on_made: Callable[[], None] = lambda: None
        self._mixed, self._library = mixed, library
        self._live = NewestFeeds(mixed, library)
        self._crew = crew
        self._sizes: dict[str, tuple[int, int]] = {}
        self._often: frozenset[str] = frozenset()
        self._composers: dict[str, Composer] = {}
        self._stored: dict[str, str] = {}
        self._previewed: tuple[Shot | None, Overlays] = (None, NO_OVERLAYS)
        self._tick = 0
        self._due = threading.Event()
        self._stopping = False
        self._worker = crew.worker("desk pictures", self._run, limit_s=STANDS_STILL_S)

    def start(self) -> None:
        """Begin, on a thread of its own."""
        self._worker.start()

    def stop(self) -> None:
        """End, and wait for its thread."""
        self._stopping = True
        self._due.set()
        self._worker.stop()
        self._worker.join()

    def show_at(self, sizes: Sizes, often: Collection[str] = ()) -> None:
        """What is shown and how large, (width, height) in pixels, by place; `often` are places of cameras that want
        every frame, and not every other one."""
        self._sizes, self._often = dict(sizes), frozenset(often)

    def preview(self, shot: Shot | None, dress: Overlays, stored: Mapping[str, str]) -> None:
        """What the place PREVIEW shows; framings whose cameras are elsewhere are seen by their `stored` pictures."""
        self._previewed = (shot, dress)
        self._stored = dict(stored)

    def shows(self, what: str) -> bool:
        """Does any place show it?"""
        return any(place.partition("@")[0] == what for place in self._sizes)

    def due(self, tick: int) -> None:
        """A frame of program went out; called by whoever makes those."""
        self._tick = tick
        self._due.set()

    def _run(self) -> None:
        go_soon()  # it waits for program by itself, and must not be held up while it has the interpreter
        while not self._stopping:
            if self._due.wait(LOOK_AGAIN_S) and not self._stopping:
                self._due.clear()
                self.round()
            self._worker.beat()

    def round(self) -> None:
        """Program and Next at every frame; the cameras' pictures by turns, half of them at each, if they are new."""
        shown, captured = dict(self.latest.shown), dict(self.latest.captured_s)
        sizes, tick = self._sizes, self._tick
        for k, (place, size) in enumerate(sizes.items()):
            self._mixed.give_way()
            with self._crew.guarded("the pictures of the desk"):
                what = place.partition("@")[0]
                if what in (PROGRAM, CLEAN, NEXT, PREVIEW, AUX):
                    picture = self._of_ours(what, place, size)
                    if picture is not None:
                        shown[place] = picture
                    else:
                        shown.pop(place, None)
                elif (tick + k) % 2 == 0 or place not in shown or place in self._often:
                    frame = self._for_place(what, size)
                    before = shown.get(place)
                    there = before is not None and before.size == size
                    if frame is not None and not (there and captured.get(place) == frame.captured_s):
                        shown[place], captured[place] = scaled(frame.picture, size), frame.captured_s
        for gone in shown.keys() - sizes.keys():
            del shown[gone]
        self.latest = Pictures(shown, captured)
        self.on_made()

    def _for_place(self, camera_id: str, size: tuple[int, int]) -> Frame | None:
        """A camera's newest frame, in full size if it is shown larger than its small one."""
        source = self._mixed.sources.get(camera_id)
        if source is None:
            return None
        small = source.small()
        if small is not None and size[0] <= small.picture.width:
            return small
        source.want_main(time.monotonic())
        return source.best() or small

    def _composed(self, place: str, shot: Shot | None, dress: Overlays, size: tuple[int, int]) -> Picture | None:
        if shot is None:
            return None
        composer = self._composers.get(place)
        if composer is None or (composer.width, composer.height) != size:
            composer = self._composers[place] = Composer(*size)
        picture = Picture.plain(*size)
        live = self._live
        feeds: Feeds = WithStored(live, self._library, self._stored) if place.startswith(PREVIEW) else live
        composer.still(shot, dress, feeds, picture)
        return picture

    def _of_ours(self, what: str, place: str, size: tuple[int, int]) -> Picture | None:
        """Program in one of its forms, Next, or what is being made."""
        plan = self._mixed.plan
        if what == AUX:
            what = plan.aux
        if what == PROGRAM:
            return scaled(self._mixed.program, size)
        if what == CLEAN:
            return scaled(self._mixed.clean, size)
        if what == NEXT:
            return self._composed(place, plan.next, plan.next_overlays, size)
        if what == PREVIEW:
            return self._composed(place, *self._previewed, size)
        frame = self._for_place(what, size)
        return scaled(frame.picture, size) if frame is not None else None
