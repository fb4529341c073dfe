"""The show document: what is saved, and nothing that is live.

Every value is frozen; an edit makes a new document. Fields that this version does not know are kept and written
back (`extra="allow"`), so that a show from a newer Ribalta survives a round trip through this one.
"""

from collections.abc import Sequence
from enum import StrEnum
from typing import Annotated

from pydantic import Field, model_validator

from ribalta.core.base.aim import Aim, AimLimits
from ribalta.core.motion.travel import AxisMotion, HeadMotion
from ribalta.core.optics.lens import Lens
from ribalta.core.optics.projection import Pose
from ribalta.core.show.calls import LETTERS as LETTERS
from ribalta.core.show.cues import Destination, Listening, Page, Shortcut, Times, Trigger
from ribalta.core.show.finding import by_id
from ribalta.core.show.macros import Macro
from ribalta.core.show.outputs import Outputs
from ribalta.core.show.part import Finite, Name, Part, Positive
from ribalta.core.show.scenes import Inset, Key, Medium, Scene, Source, Title, Transition
from ribalta.core.show.sound import Microphone, Sound

SCHEMA_VERSION = 5
READABLE_FROM = 2  # nothing is lost by a reader of version 2: what is new since are fields that it keeps


class ShotSize(StrEnum):
    WIDE = "wide"
    FULL = "full"
    MEDIUM = "medium"
    MEDIUM_CLOSE_UP = "medium close-up"
    CLOSE_UP = "close-up"
    DETAIL = "detail"


class LandingRule(StrEnum):
    HOLD = "hold"
    COVER = "cover"
    STRAIGHT = "straight"


class Place(Part):
    """Where the head stands: metres, degrees; heading clockwise from +y. `hung`: upside down."""

    x_m: Finite = 0.0
    y_m: Finite = 0.0
    z_m: Finite = 1.5
    heading_deg: Finite = 0.0
    tilt_deg: Finite = 0.0
    roll_deg: Finite = 0.0
    hung: bool = False

    @property
    def pose(self) -> Pose:
        return Pose(self.x_m, self.y_m, self.z_m, self.heading_deg, self.tilt_deg, self.roll_deg, self.hung)


class Axis(Part):
    """Full speed in units a second, acceleration in units a second squared.

    `table` has (share of full pace, speed) rows below full pace; without any, speed goes with the share.
    """

    speed: Positive
    acceleration: Positive
    table: tuple[tuple[Finite, Positive], ...] = ()

    @property
    def motion(self) -> AxisMotion:
        return AxisMotion(self.speed, self.acceleration, self.table)


class Head(Part):
    """What a steered camera's head and lens can do; degrees in its own axes, zoom 0 (wide) to 1."""

    pan_min_deg: Finite = -170.0
    pan_max_deg: Finite = 170.0
    tilt_min_deg: Finite = -30.0
    tilt_max_deg: Finite = 90.0
    pan: Axis = Axis(speed=80, acceleration=160)
    tilt: Axis = Axis(speed=60, acceleration=120)
    zoom: Axis = Axis(speed=0.45, acceleration=1.8)
    latency_s: Annotated[float, Field(ge=0, le=10)] = 0.05
    settle_s: Annotated[float, Field(ge=0, le=10)] = 0.15
    tele_settle_s: Annotated[float, Field(ge=0, le=10)] = 0.0
    counts_per_deg: Positive = 100.0
    reports_position: bool = True
    memories: Annotated[int, Field(ge=0, le=256)] = 0
    settings: tuple[str, ...] = ()

    @property
    def limits(self) -> AimLimits:
        return AimLimits(self.pan_min_deg, self.pan_max_deg, self.tilt_min_deg, self.tilt_max_deg)

    @property
    def motion(self) -> HeadMotion:
        axes = self.pan.motion, self.tilt.motion, self.zoom.motion
        return HeadMotion(*axes, self.latency_s, self.settle_s, self.tele_settle_s)

    def moving_as(self, motion: HeadMotion) -> "Head":
        """This head with what was learned of its motion."""
        axes = {
            name: Axis(speed=axis.speed, acceleration=axis.acceleration, table=axis.table)
            for name, axis in (("pan", motion.pan), ("tilt", motion.tilt), ("zoom", motion.zoom))
        }
        waits = {name: getattr(motion, name) for name in ("latency_s", "settle_s", "tele_settle_s")}
        return self.model_copy(update=axes | waits)


class Protocol(StrEnum):
    """How a head is spoken to: VISCA over UDP with its header, bare over UDP, TCP or a serial line, or ONVIF."""

    VISCA_IP = "visca-ip"
    VISCA_UDP = "visca-udp"
    VISCA_TCP = "visca-tcp"
    VISCA_SERIAL = "visca-serial"
    ONVIF = "onvif"


Port = Annotated[int, Field(ge=1, le=65535)]


class Control(Part):
    """How a steered camera is reached. `line` is a serial device. A password is never here: see `devices/secrets`."""

    protocol: Protocol = Protocol.VISCA_IP
    host: str = "127.0.0.1"
    port: Port = 52381
    line: str = ""
    baud_rate: Annotated[int, Field(ge=1200, le=921600)] = 9600
    user: str = ""

    @property
    def where(self) -> str:
        """The address in words, for sentences and lists."""
        if self.protocol is Protocol.VISCA_SERIAL:
            return self.line or "no line yet"
        transport = "UDP" if self.protocol in (Protocol.VISCA_IP, Protocol.VISCA_UDP) else "TCP"
        return f"{self.host}, {transport} {self.port}"


class PictureKind(StrEnum):
    """`stream` is anything with an address (rtsp, http, udp); `device` is a video device of this machine."""

    SHARED_MEMORY = "shared-memory"
    STREAM = "stream"
    FILE = "file"
    DEVICE = "device"


class PictureSource(Part):
    """Where a camera's picture comes from. `name` is the shared picture, the address, the file or the device."""

    kind: PictureKind = PictureKind.SHARED_MEMORY
    name: str = ""
    user: str = ""
    delay_s: Annotated[float, Field(ge=0, le=5)] = 0.12


class Measured(Part):
    """How well what was learned of a camera foretells what it does; see `core/survey/measuring.py`.

    `times_s` has (foretold, needed) seconds of each fresh move.
    """

    moves: Annotated[int, Field(ge=0)] = 0
    median_error: Finite = 0.0
    p95_error_ms: Finite = 0.0
    hfov_error_max: Finite | None = None
    times_s: Annotated[tuple[tuple[Finite, Finite], ...], Field(max_length=200)] = ()


class LearnedWay(Part):
    """Seconds that a camera without position reports took from one framing to another; None: from anywhere."""

    start: str | None
    end: str
    seconds: Positive


class Camera(Part):
    """A numbered picture source. Steered when it has a head and a control, otherwise fixed."""

    id: str
    number: Annotated[int, Field(ge=1, le=99)]
    name: Name
    place: Place = Place()
    zoom_table: tuple[tuple[Finite, Finite], ...] = ((0.0, 63.7), (1.0, 4.3))
    head: Head | None = None
    control: Control | None = None
    picture: PictureSource = PictureSource()
    profile: str = ""
    recall_pace: Annotated[float, Field(gt=0, le=1)] = 1.0
    steer_pace: Annotated[float, Field(gt=0, le=1)] = 1.0
    measured: Measured | None = None
    learned: tuple[LearnedWay, ...] = ()

    @model_validator(mode="after")
    def _possible(self) -> "Camera":
        if (self.head is None) != (self.control is None):
            raise ValueError("a steered camera has both a head and a control, a fixed one neither")
        Lens.of(self.zoom_table)
        return self

    @property
    def steered(self) -> bool:
        return self.head is not None

    @property
    def recall_only(self) -> bool:
        """Steered, but it does not say where it stands: it goes to its own memories."""
        return self.head is not None and not self.head.reports_position

    @property
    def lens(self) -> Lens:
        return Lens.of(self.zoom_table)


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
    picture: str | None = None
    pictured_at_s: Finite | None = None
    seen: bool = True
    rating: Annotated[int, Field(ge=0, le=100)] | None = None
    kept: Annotated[tuple[tuple[str, str | int], ...], Field(max_length=20)] = ()
    protected: bool = False
    memory: Annotated[int, Field(ge=0, le=255)] | None = None

    @property
    def aim(self) -> Aim:
        return Aim(self.pan_deg, self.tilt_deg, self.zoom)

    @property
    def letter(self) -> str:
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
    outputs: Outputs = Outputs()
    macros: Annotated[tuple[Macro, ...], Field(max_length=1000)] = ()
    triggers: Annotated[tuple[Trigger, ...], Field(max_length=2000)] = ()
    shortcuts: Annotated[tuple[Shortcut, ...], Field(max_length=5000)] = ()
    pages: Annotated[tuple[Page, ...], Field(max_length=100)] = ()
    destinations: Annotated[tuple[Destination, ...], Field(max_length=100)] = ()
    listening: Listening = Listening()
    times: Times = Times()
    settings: Settings = Settings()
    next_number: Annotated[int, Field(ge=1)] = 1

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
        _distinct("page of pads", [p.id for p in self.pages])
        _distinct("destination", [d.id for d in self.destinations])
        known = {c.id for c in self.cameras}
        for framing in self.framings:
            if framing.camera_id not in known:
                raise ValueError(f"framing “{framing.name}” belongs to camera {framing.camera_id!r}, which is not here")
        if self.settings.cover_camera_id is not None and self.settings.cover_camera_id not in known:
            raise ValueError(f"the cover camera {self.settings.cover_camera_id!r} is not here")
        return self

    def camera(self, camera_id: str) -> Camera | None:
        return by_id(self.cameras).get(camera_id)

    def camera_numbered(self, number: int) -> Camera | None:
        return next((c for c in self.cameras if c.number == number), None)

    def framing(self, framing_id: str) -> Framing | None:
        return by_id(self.framings).get(framing_id)

    def framing_at(self, camera_id: str, slot: int) -> Framing | None:
        return next((f for f in self.framings if f.camera_id == camera_id and f.slot == slot), None)

    def with_camera(self, camera: Camera) -> "Show":
        """This show with one camera put in, in place of the one with its id if there is one."""
        if self.camera(camera.id):
            cameras = tuple(camera if c.id == camera.id else c for c in self.cameras)
        else:
            cameras = (*self.cameras, camera)
        return self.model_copy(update={"cameras": cameras})

    def scene(self, scene_id: str) -> Scene | None:
        return by_id(self.scenes).get(scene_id)

    def scene_numbered(self, number: int) -> Scene | None:
        return next((s for s in self.scenes if s.number == number), None)

    def titled(self, title_id: str) -> Title | None:
        return by_id(self.titles).get(title_id)

    def medium(self, medium_id: str) -> Medium | None:
        return by_id(self.media).get(medium_id)

    def macro(self, macro_id: str) -> Macro | None:
        return by_id(self.macros).get(macro_id)

    def trigger(self, trigger_id: str) -> Trigger | None:
        return by_id(self.triggers).get(trigger_id)

    def page(self, page_id: str) -> Page | None:
        return by_id(self.pages).get(page_id)

    def destination(self, destination_id: str) -> Destination | None:
        return by_id(self.destinations).get(destination_id)

    def source_words(self, source: Source) -> str:
        """What a source shows, in a few words."""
        if source.medium_id is not None:
            medium = self.medium(source.medium_id)
            return medium.name if medium is not None else "something that is no longer in the bin"
        camera = self.camera(source.camera_id or "")
        framing = self.framing(source.framing_id or "")
        if camera is None:
            return "nothing" if source.camera_id is None else "a camera that is no longer there"
        return f"{camera.number}{framing.letter} {framing.name}" if framing is not None else f"camera {camera.number}"

    def mark(self, mark_id: str) -> Mark | None:
        return by_id(self.marks).get(mark_id)

    def with_framing(self, framing: Framing) -> "Show":
        """This show with one framing put in, in place of the one with its id if there is one."""
        if self.framing(framing.id):
            framings = tuple(framing if f.id == framing.id else f for f in self.framings)
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
