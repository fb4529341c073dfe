"""The media and the titles, as pictures: loaded and drawn on a thread of its own, ready before they are shown.

What cannot be loaded or drawn stays empty; why is in `troubles`, by the id of the title or medium.
"""

import threading
import time
from collections.abc import Callable, Mapping
from types import MappingProxyType

from ribalta.core.base.faults import LocalFault
from ribalta.core.picture.colours import picture_of
from ribalta.core.picture.layering import Drawing
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.shots import MediumLive
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.scenes import Medium, Title
from ribalta.core.show.document.templates import CARD as CARD_DRAWING
from ribalta.core.show.document.templates import Template, countdown_words, shipped
from ribalta.core.sound.levels import Samples
from ribalta.media.library.drawing_process import DrawingProcess
from ribalta.media.library.open_clips import NOTHING, OpenClips
from ribalta.media.program.composer import CARD
from ribalta.media.program.transitions import colour_of
from ribalta.workers.crew import Crew

LOOK_EVERY_S = 0.1
FORGOTTEN_AFTER_S = 5.0
KEPT_PICTURES = 40
AHEAD = 2  # slides before and after the one that is shown
Key = tuple[object, ...]


class MediaLibrary:
    """`file` gives what the show keeps under a name; `on_length` is told how long each clip is, on its thread.

    `picture` and `drawing` come from the mixer's thread.
    """

    def __init__(
        self,
        file: Callable[[str], bytes | None],
        wall_offset_s: float = 0.0,
        on_length: Callable[[str, float], None] = lambda _medium_id, _seconds: None,
        crew: Crew | None = None,
    ) -> None:
        self._file, self.wall_offset_s = file, wall_offset_s
        self._show = Show()
        self._live: Mapping[str, MediumLive] = MappingProxyType({})
        self._pictures: dict[str, Picture] = {}
        self._drawn: dict[tuple[str, tuple[int, int]], tuple[Key, Drawing | None]] = {}
        self._full = self._show.outputs.size
        self._sizes: dict[tuple[int, int], float] = {self._full: float("inf")}
        self._asked: frozenset[str] = frozenset()
        self._in_use: frozenset[str] = frozenset()
        self._wanted_s: dict[str, float] = {}  # when each picture was asked for last
        self._bad: dict[str, str] = {}  # files that cannot be shown, and why
        self._templates: dict[str, Template] = {}
        self._drawing = DrawingProcess()
        self.troubles: Mapping[str, str] = MappingProxyType({})
        self._wake = threading.Event()
        self._stopping = False
        self._crew = crew or Crew()
        self._clips = OpenClips(self._crew, on_length)
        self._worker = self._crew.worker("bin", self._run)

    def start(self) -> None:
        """Begin, on a thread of its own."""
        self._worker.start()

    def stop(self) -> None:
        """End, and wait for its thread and its clips."""
        self._stopping = True
        self._wake.set()
        self._worker.stop()
        self._worker.join()
        self._clips.stop()
        self._drawing.close()

    def follow(self, show: Show, live: Mapping[str, MediumLive], in_use: frozenset[str] = frozenset()) -> None:
        """What there is now, what plays or is turned to, and which media must be there without waiting."""
        if show is self._show and live is self._live and in_use == self._in_use:
            return
        self._show, self._live, self._in_use = show, live, in_use
        self._clips.play(live)
        self._wake.set()

    # For the composer

    def picture(self, medium_id: str, at_s: float | None = None) -> Picture | None:
        """What of it is seen at a time (CLOCK_MONOTONIC; None: now)."""
        medium = self._show.medium(medium_id)
        if medium is None:
            return None
        if medium.kind == "clip":
            picture = self._clips.picture(medium_id, at_s)
            if self._clips.wants(medium_id):
                self._wake.set()
            return picture
        return self._want(self._name(medium))

    def _want(self, name: str) -> Picture | None:
        self._wanted_s[name] = time.monotonic()
        found = self._pictures.get(name)
        if found is None and name not in self._asked:
            self._asked = self._asked | {name}
            self._wake.set()
        return found

    def sound(self, at_s: float, count: int) -> Samples | None:
        """(count,) samples of all clips that play and are to be heard; for the sound's thread. None: no clip plays."""
        return self._clips.sound(at_s, count, self._is_heard)

    def _is_heard(self, medium_id: str) -> bool:
        medium = self._show.medium(medium_id)
        return medium is not None and medium.heard

    def file(self, name: str) -> Picture | None:
        """A picture that the show keeps, by its name; it is there soon after it was first asked for."""
        return self._want(name)

    def drawing(self, name: str, size: tuple[int, int]) -> Drawing | None:
        """A title drawn for a size in pixels; None until it is drawn."""
        if size not in self._sizes:
            self._wake.set()
        if size != self._full:
            self._sizes[size] = time.monotonic()
        found = self._drawn.get((name, size))
        return found[1] if found is not None else None

    def _name(self, medium: Medium) -> str:
        """Under which name its picture of now is kept here."""
        if medium.kind == "colour":
            return medium.colour
        slide = self._live.get(medium.id, NOTHING).slide
        return medium.files[min(slide, len(medium.files) - 1)] if medium.files else ""

    # The thread

    def _run(self) -> None:
        while not self._stopping:
            self._wake.wait(LOOK_EVERY_S)
            self._wake.clear()
            with self._crew.guarded("getting titles and media ready"):
                self._look()

    def _look(self) -> None:
        show, troubles = self._show, {}
        if show.outputs.size != self._full:
            self._full = show.outputs.size
            self._sizes[self._full] = float("inf")
            self._pictures, self._bad = {}, {}
        for medium in show.media:
            said = self._medium(medium)
            if said:
                troubles[medium.id] = f"“{medium.name}”: {said}"
        asked, self._asked = self._asked, frozenset()
        for name in asked:
            self._load(name)
        now_s = time.monotonic()
        sizes = {size: at for size, at in self._sizes.items() if now_s - at < FORGOTTEN_AFTER_S or size == self._full}
        self._sizes = sizes
        for title in show.titles:
            said = self._title(title, tuple(sizes))
            if said:
                troubles[title.id] = f"“{title.name}”: {said}"
        self._card(show, tuple(sizes))
        names = {t.id for t in show.titles} | {CARD}
        self._drawn = {key: made for key, made in self._drawn.items() if key[0] in names and key[1] in sizes}
        self._clips.keep({medium.id for medium in show.media})
        if troubles != self.troubles:
            self.troubles = MappingProxyType(troubles)

    def _medium(self, medium: Medium) -> str:
        """Have it ready; returns what is wrong with it."""
        if medium.kind == "clip":
            said = self._clips.follow(medium, self._live.get(medium.id, NOTHING), medium.id in self._in_use)
            return f"the clip {said}." if said else ""
        if medium.kind == "colour":
            if medium.colour not in self._pictures:
                picture = Picture.plain(*self._full, colour_of(medium.colour))
                self._keep(medium.colour, picture)
            return ""
        slide = self._live.get(medium.id, NOTHING).slide
        near = medium.files[max(0, slide - AHEAD) : slide + AHEAD + 1]
        for name in near:
            there = name in self._pictures or self._file(name) is not None
            if not there:
                return "its picture is not in the show file."
            if medium.id in self._in_use or len(self._pictures) < KEPT_PICTURES:
                self._load(name)
        return next((self._bad[name] for name in medium.files if name in self._bad), "")

    def _load(self, name: str) -> bool:
        """False when the show has no such file."""
        if name in self._pictures:
            return True
        data = self._file(name)
        if data is None:
            return False
        try:
            self._keep(name, picture_of(self._drawing.still(data, self._full)))
        except LocalFault as fault:
            self._keep(name, Picture.plain(*self._full))
            self._bad[name] = str(fault)
        return True

    def _keep(self, name: str, picture: Picture) -> None:
        pictures = {**self._pictures, name: picture}
        if len(pictures) > KEPT_PICTURES:
            pinned = self._pinned() | {name}
            others = sorted((n for n in pictures if n not in pinned), key=lambda n: self._wanted_s.get(n, 0.0))
            for old in others[: len(pictures) - KEPT_PICTURES]:
                del pictures[old]
                self._wanted_s.pop(old, None)
        self._pictures = pictures

    def _pinned(self) -> set[str]:
        """What is on air, Next or under Then is never dropped."""
        used = [medium for medium in self._show.media if medium.id in self._in_use]
        slides = [(medium, self._live.get(medium.id, NOTHING).slide) for medium in used]
        near = {name for medium, k in slides for name in medium.files[max(0, k - AHEAD) : k + AHEAD + 1]}
        return near | {medium.colour for medium in used if medium.kind == "colour"}

    def _title(self, title: Title, sizes: tuple[tuple[int, int], ...]) -> str:
        said = ""
        clock = ""
        template, image = self._template_of(title.template)
        if template is None and image is None:
            return "its drawing is missing or damaged. Choose another."
        if template is not None and template.counts_down:
            left_s = (title.counts_to_s or 0.0) - (time.monotonic() + self.wall_offset_s)
            clock = countdown_words(left_s)
        for size in sizes:
            key: Key = (title.template, title.fields, clock)
            found = self._drawn.get((title.id, size))
            if found is not None and found[0] == key:
                said = said or self.troubles.get(title.id, "").partition(": ")[2]
                continue
            if template is not None:
                drawing, said = self._drawing.title(template, title.values, clock, size)
            else:
                assert image is not None
                drawing = Drawing.of(self._drawing.still(image, size))
            self._drawn = {**self._drawn, (title.id, size): (key, drawing)}
        return said

    def _template_of(self, name: str) -> tuple[Template | None, bytes | None]:
        """A drawing of Ribalta's own or of the show; or a picture that is a title as it is."""
        try:
            return shipped(name), None
        except KeyError:
            pass
        data = self._file(name)
        if data is None:
            return None, None
        if not name.endswith(".svg"):
            return None, data
        if name not in self._templates:
            try:
                self._templates[name] = Template(data, f"The drawing “{name}”")
            except LocalFault:
                return None, None
        return self._templates[name], None

    def _card(self, show: Show, sizes: tuple[tuple[int, int], ...]) -> None:
        medium = show.medium(show.settings.card_id or "")
        for size in sizes:
            key: Key = (medium, show.title)
            found = self._drawn.get((CARD, size))
            if found is not None and found[0] == key:
                continue
            if medium is not None and medium.files and (data := self._file(medium.files[0])) is not None:
                drawing = Drawing.of(self._drawing.still(data, size))
            else:
                drawing, _ = self._drawing.title(shipped(CARD_DRAWING), {"line": show.title}, "", size)
            self._drawn = {**self._drawn, (CARD, size): (key, drawing)}
