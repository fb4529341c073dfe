"""The show document: what is saved, and nothing that is live.

Every value is frozen; an edit makes a new document. Fields that this version does not know are kept and written
back (`extra="allow"`), so that a show from a newer Ribalta survives a round trip through this one.
"""

from collections.abc import Mapping, Sequence
from enum import StrEnum
from typing import Annotated, TypeVar
from typing import Protocol as Shape

from pydantic import Field, PrivateAttr, model_validator

from ribalta.core.base.aim import Aim
from ribalta.core.base.values import replaced
from ribalta.core.show.automation.calls import LETTERS as LETTERS
from ribalta.core.show.automation.faders import FaderGiven
from ribalta.core.show.automation.house import House
from ribalta.core.show.automation.macros import Macro
from ribalta.core.show.automation.playlists import Playlist
from ribalta.core.show.automation.triggers_pads_shortcuts import Destination, Listening, Page, Shortcut, Times, Trigger
from ribalta.core.show.document.camera import Axis as Axis
from ribalta.core.show.document.camera import Camera as Camera
from ribalta.core.show.document.camera import Control as Control
from ribalta.core.show.document.camera import Head as Head
from ribalta.core.show.document.camera import LearnedWay as LearnedWay
from ribalta.core.show.document.camera import Measured as Measured
from ribalta.core.show.document.camera import PictureKind as PictureKind
from ribalta.core.show.document.camera import PictureSource as PictureSource
from ribalta.core.show.document.camera import Place as Place
from ribalta.core.show.document.camera import Protocol as Protocol
from ribalta.core.show.document.crew_lists import Steps
from ribalta.core.show.document.finding import Memo
from ribalta.core.show.document.outputs import OutputSettings
from ribalta.core.show.document.part import Finite, Name, Part, Positive, StoredName
from ribalta.core.show.document.readiness import Readiness
from ribalta.core.show.document.scenes import Inset, Key, Medium, Scene, Source, Title, Transition
from ribalta.core.show.document.sound import Microphone, Sound
from ribalta.core.show.document.voice import VoiceFollow

SCHEMA_VERSION = 8
READABLE_FROM = 2  # nothing is lost by a reader of version 2: what is new since are fields that it keeps


class HasId(Shape):
    """Whatever is told apart by an id."""

    @property
    def id(self) -> str:
        """Its own in its list, for as long as it lives."""
        ...


P = TypeVar("P", bound=HasId)


class ShotSize(StrEnum):
    """How large its subject is seen, by the trade's names."""

    WIDE = "wide"
    FULL = "full"
    MEDIUM = "medium"
    MEDIUM_CLOSE_UP = "medium close-up"
    CLOSE_UP = "close-up"
    DETAIL = "detail"


class LandingRule(StrEnum):
    """What a take does when a camera is not set."""

    HOLD = "hold"
    COVER = "cover"
    STRAIGHT = "straight"


class Framing(Part):
    """A stored aim of one camera. `slot` counts from 0 in board order: ten letters a page.

    `kept` has the settings that go with it (focus, perhaps exposure and white balance), modes first. `pictured_at_s`
    is when its picture was taken, in seconds since 1970 (UTC). Not `seen`: its aim was computed, and nobody has
    looked at it yet. `rating` is the fit that the director gives it, 0 to 100, in place of the computed one.
    """

    id: str
    camera_id: str
    slot: Annotated[int, Field(ge=0, le=999)]
    name: Name
    pan_deg: Finite
    tilt_deg: Finite
    zoom: Annotated[float, Field(ge=0, le=1)]
    mark_id: str | None = None
    more_mark_ids: tuple[str, ...] = ()
    size: ShotSize | None = None
    picture: StoredName | None = None
    pictured_at_s: Finite | None = None
    seen: bool = True
    rating: Annotated[int, Field(ge=0, le=100)] | None = None
    kept: Annotated[tuple[tuple[str, str | int], ...], Field(max_length=20)] = ()
    protected: bool = False
    memory: Annotated[int, Field(ge=0, le=255)] | None = None

    @property
    def aim(self) -> Aim:
        """Pan and tilt in degrees, zoom 0 to 1."""
        return Aim(self.pan_deg, self.tilt_deg, self.zoom)

    @property
    def letter(self) -> str:
        """The letter of its place on its page."""
        return LETTERS[self.slot % len(LETTERS)]

    @property
    def page(self) -> int:
        """From 0."""
        return self.slot // len(LETTERS)

    @property
    def mark_ids(self) -> tuple[str, ...]:
        """All marks that it shows."""
        return () if self.mark_id is None else (self.mark_id, *self.more_mark_ids)


class Mark(Part):
    """A place on the floor plan where someone stands or sits: metres, height of the face, heading it looks to."""

    id: str
    name: Name
    x_m: Finite
    y_m: Finite
    height_m: Finite = 1.6
    facing_deg: Finite = 180.0


class Obstacle(Part):
    """A piece of furniture or a wall that hides what is behind it: a box on the floor. Metres, degrees clockwise."""

    id: str
    name: Name
    x_m: Finite
    y_m: Finite
    wide_m: Positive = 1.0
    deep_m: Positive = 1.0
    height_m: Positive = 1.0
    turned_deg: Finite = 0.0


class Settings(Part):
    """How takes behave. Tolerance: % of the frame's width; speed limit: % of the frame's width a second.

    `normal` is the transition that this show has when nobody has changed it; `card_id` is the medium to hold with.
    """

    landing_rule: LandingRule = LandingRule.HOLD
    tolerance_percent: Annotated[float, Field(gt=0, le=20)] = 1.0
    speed_limit_percent_s: Annotated[float, Field(gt=0, le=500)] = 6.0
    normal: Transition = Transition()
    live_move_s: Annotated[float, Field(ge=0.5, le=60)] = 4.0
    cover_camera_id: str | None = None
    card_id: str | None = None


class Show(Part):
    """A whole show. `insets` and `key` are those of the desk; scenes have their own.

    `readable_from` is the oldest schema version whose readers lose nothing by opening it.
    """

    schema_version: int = SCHEMA_VERSION
    readable_from: int = READABLE_FROM
    title: Name = "Untitled show"
    cameras: tuple[Camera, ...] = ()
    framings: tuple[Framing, ...] = ()
    marks: tuple[Mark, ...] = ()
    obstacles: tuple[Obstacle, ...] = ()
    scenes: tuple[Scene, ...] = ()
    insets: Annotated[tuple[Inset, ...], Field(max_length=4)] = ()
    key: Key | None = None
    titles: tuple[Title, ...] = ()
    media: tuple[Medium, ...] = ()
    microphones: tuple[Microphone, ...] = ()
    sound: Sound = Sound()
    outputs: OutputSettings = OutputSettings()
    macros: Annotated[tuple[Macro, ...], Field(max_length=1000)] = ()
    triggers: Annotated[tuple[Trigger, ...], Field(max_length=2000)] = ()
    shortcuts: Annotated[tuple[Shortcut, ...], Field(max_length=5000)] = ()
    faders: Annotated[tuple[FaderGiven, ...], Field(max_length=512)] = ()
    pages: Annotated[tuple[Page, ...], Field(max_length=100)] = ()
    playlists: Annotated[tuple[Playlist, ...], Field(max_length=200)] = ()
    voice: VoiceFollow = VoiceFollow()
    destinations: Annotated[tuple[Destination, ...], Field(max_length=100)] = ()
    listening: Listening = Listening()
    house: House = House()
    times: Times = Times()
    settings: Settings = Settings()
    readiness: Readiness = Readiness()
    opening: Steps = ()
    closing: Steps = ()
    next_number: Annotated[int, Field(ge=1)] = 1
    _memo: Memo = PrivateAttr(default_factory=Memo)

    def __copy__(self) -> "Show":
        copy = super().__copy__()
        copy._memo = self._memo.copied()
        return copy

    @property
    def memo(self) -> Memo:
        """What was found out of this document so far."""
        private = self.__pydantic_private__  # by its name it takes ten times as long, and this is asked all the time
        assert private is not None
        memo: Memo = private["_memo"]
        return memo

    def _by_id(self, name: str, parts: tuple[P, ...]) -> Mapping[str, P]:
        return self.memo.of(name, parts, lambda: {part.id: part for part in parts})

    @model_validator(mode="after")
    def _consistent(self) -> "Show":
        _distinct("camera", [c.id for c in self.cameras])
        _distinct("camera number", [c.number for c in self.cameras])
        _distinct("framing", [f.id for f in self.framings])
        _distinct("framing place", [(f.camera_id, f.slot) for f in self.framings])
        _distinct("mark", [m.id for m in self.marks])
        _distinct("obstacle", [o.id for o in self.obstacles])
        _distinct("scene", [s.id for s in self.scenes])
        _distinct("scene number", [s.number for s in self.scenes])
        _distinct("inset", [i.slot for i in self.insets])
        _distinct("title", [t.id for t in self.titles])
        _distinct("medium", [m.id for m in self.media])
        _distinct("microphone", [m.id for m in self.microphones])
        _distinct("microphone number", [m.number for m in self.microphones])
        _distinct("macro", [m.id for m in self.macros])
        _distinct("trigger", [t.id for t in self.triggers])
        _distinct("shortcut", [s.place for s in self.shortcuts])
        _distinct("fader", [f.id for f in self.faders])
        _distinct("page of pads", [p.id for p in self.pages])
        _distinct("playlist", [p.id for p in self.playlists])
        _distinct("destination", [d.id for d in self.destinations])
        _distinct("step", [step.id for step in (*self.opening, *self.closing)])
        known = {c.id for c in self.cameras}
        for framing in self.framings:
            if framing.camera_id not in known:
                raise ValueError(f"framing “{framing.name}” belongs to camera {framing.camera_id!r}, which is not here")
        if self.settings.cover_camera_id is not None and self.settings.cover_camera_id not in known:
            raise ValueError(f"the cover camera {self.settings.cover_camera_id!r} is not here")
        return self

    def camera(self, camera_id: str) -> Camera | None:
        """By id; None when there is none."""
        return self._by_id("cameras", self.cameras).get(camera_id)

    def camera_numbered(self, number: int) -> Camera | None:
        """By number; None when there is none."""
        return next((c for c in self.cameras if c.number == number), None)

    def framing(self, framing_id: str) -> Framing | None:
        """By id; None when there is none."""
        return self._by_id("framings", self.framings).get(framing_id)

    def framing_at(self, camera_id: str, slot: int) -> Framing | None:
        """By camera and slot, from 0; None when the slot is free."""
        found = self.memo.of(
            "framings by place", self.framings, lambda: {(f.camera_id, f.slot): f for f in self.framings}
        )
        return found.get((camera_id, slot))

    def last_slot(self, camera_id: str) -> int:
        """The highest slot of a camera that holds a framing, from 0; 0 when it has none."""
        return self.memo.of("last slots", self.framings, self._last_slots).get(camera_id, 0)

    def _last_slots(self) -> dict[str, int]:
        found: dict[str, int] = {}
        for framing in self.framings:
            found[framing.camera_id] = max(framing.slot, found.get(framing.camera_id, 0))
        return found

    def with_camera(self, camera: Camera) -> "Show":
        """This show with one camera put in, in place of the one with its id if there is one."""
        if self.camera(camera.id):
            cameras = replaced(self.cameras, camera)
        else:
            cameras = (*self.cameras, camera)
        return self.model_copy(update={"cameras": cameras})

    def scene(self, scene_id: str) -> Scene | None:
        """By id; None when there is none."""
        return self._by_id("scenes", self.scenes).get(scene_id)

    def scene_numbered(self, number: int) -> Scene | None:
        """By number; None when there is none."""
        return next((s for s in self.scenes if s.number == number), None)

    def titled(self, title_id: str) -> Title | None:
        """A title by id; None when there is none."""
        return self._by_id("titles", self.titles).get(title_id)

    def medium(self, medium_id: str) -> Medium | None:
        """By id; None when there is none."""
        return self._by_id("media", self.media).get(medium_id)

    def macro(self, macro_id: str) -> Macro | None:
        """By id; None when there is none."""
        return self._by_id("macros", self.macros).get(macro_id)

    def trigger(self, trigger_id: str) -> Trigger | None:
        """By id; None when there is none."""
        return self._by_id("triggers", self.triggers).get(trigger_id)

    def page(self, page_id: str) -> Page | None:
        """A page of pads by id; None when there is none."""
        return self._by_id("pages", self.pages).get(page_id)

    def playlist(self, playlist_id: str) -> Playlist | None:
        """By id; None when there is none."""
        return self._by_id("playlists", self.playlists).get(playlist_id)

    def destination(self, destination_id: str) -> Destination | None:
        """By id; None when there is none."""
        return self._by_id("destinations", self.destinations).get(destination_id)

    def source_words(self, source: Source) -> str:
        """What a source shows, in a few words."""
        if source.medium_id is not None:
            medium = self.medium(source.medium_id)
            return medium.name if medium is not None else "something that is no longer in the show"
        camera = self.camera(source.camera_id or "")
        framing = self.framing(source.framing_id or "")
        if camera is None:
            return "nothing" if source.camera_id is None else "a camera that is no longer there"
        return f"{camera.number}{framing.letter} {framing.name}" if framing is not None else f"camera {camera.number}"

    def microphone(self, mic_id: str | None) -> Microphone | None:
        """A microphone by id; None when there is none."""
        return self._by_id("microphones", self.microphones).get(mic_id or "")

    def mark(self, mark_id: str) -> Mark | None:
        """A mark of the floor plan by id; None when there is none."""
        return self._by_id("marks", self.marks).get(mark_id)

    def with_framing(self, framing: Framing) -> "Show":
        """This show with one framing put in, in place of the one with its id if there is one."""
        if self.framing(framing.id):
            framings = replaced(self.framings, framing)
        else:
            framings = (*self.framings, framing)
        return self.model_copy(update={"framings": framings})


def _distinct(what: str, values: Sequence[object]) -> None:
    seen: set[object] = set()
    for value in values:
        if value in seen:
            raise ValueError(f"{what} {value!r} appears twice")
        seen.add(value)


def unreachable(show: Show) -> tuple[str, ...]:
    """A sentence for each framing that its camera cannot reach."""
    sentences = []
    for framing in show.framings:
        camera = show.camera(framing.camera_id)
        if camera is not None and camera.head is not None:
            _, met = camera.head.limits.clamp(framing.aim)
            if met:
                sentences.append(
                    f"Framing “{framing.name}” is out of reach of camera {camera.number}: {', '.join(met)}."
                    " Steer the camera and store it again."
                )
    return tuple(sentences)
