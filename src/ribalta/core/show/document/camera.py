"""A camera as the show has it: where it stands, what its head and lens can do, how it and its picture are reached."""

from enum import StrEnum
from typing import Annotated

from pydantic import Field, model_validator

from ribalta.core.base.aim import AimLimits
from ribalta.core.motion.travel import AxisMotion, HeadMotion
from ribalta.core.optics.lens import Lens
from ribalta.core.optics.projection import Pose
from ribalta.core.show.document.part import Address, Finite, Name, Part, Port, Positive

Degrees = Annotated[float, Field(ge=-720, le=720, allow_inf_nan=False)]
Brisk = Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)]  # units a second, or a second squared


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
        """The same for projection."""
        return Pose(self.x_m, self.y_m, self.z_m, self.heading_deg, self.tilt_deg, self.roll_deg, self.hung)


class Axis(Part):
    """Full speed in units a second, acceleration in units a second squared.

    `table` has (share of full pace, speed) rows below full pace; without any, speed goes with the share.
    """

    speed: Brisk
    acceleration: Brisk
    table: Annotated[tuple[tuple[Finite, Brisk], ...], Field(max_length=64)] = ()

    @property
    def motion(self) -> AxisMotion:
        """The same for travel times."""
        return AxisMotion(self.speed, self.acceleration, self.table)


class Head(Part):
    """What a steered camera's head and lens can do; degrees in its own axes, zoom 0 (wide) to 1."""

    pan_min_deg: Degrees = -170.0
    pan_max_deg: Degrees = 170.0
    tilt_min_deg: Degrees = -30.0
    tilt_max_deg: Degrees = 90.0
    pan: Axis = Axis(speed=80, acceleration=160)
    tilt: Axis = Axis(speed=60, acceleration=120)
    zoom: Axis = Axis(speed=0.45, acceleration=1.8)
    latency_s: Annotated[float, Field(ge=0, le=10)] = 0.05
    settle_s: Annotated[float, Field(ge=0, le=10)] = 0.15
    tele_settle_s: Annotated[float, Field(ge=0, le=10)] = 0.0
    counts_per_deg: Annotated[float, Field(ge=0.1, le=2000, allow_inf_nan=False)] = 100.0
    reports_position: bool = True
    memories: Annotated[int, Field(ge=0, le=256)] = 0
    settings: Annotated[tuple[Annotated[str, Field(max_length=40)], ...], Field(max_length=40)] = ()

    @model_validator(mode="after")
    def _has_room(self) -> "Head":
        if self.pan_min_deg >= self.pan_max_deg or self.tilt_min_deg >= self.tilt_max_deg:
            raise ValueError("the least pan and tilt of a head lie below the most")
        return self

    @property
    def limits(self) -> AimLimits:
        """How far it can aim."""
        return AimLimits(self.pan_min_deg, self.pan_max_deg, self.tilt_min_deg, self.tilt_max_deg)

    @property
    def motion(self) -> HeadMotion:
        """The same for travel times."""
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


class Control(Part):
    """How a steered camera is reached. `line` is a serial device. A password is never here: see `devices/secrets`."""

    protocol: Protocol = Protocol.VISCA_IP
    host: Address = "127.0.0.1"
    port: Port = 52381
    line: Annotated[str, Field(max_length=200)] = ""
    baud_rate: Annotated[int, Field(ge=1200, le=921600)] = 9600
    user: Address = ""

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
    name: Address = ""
    user: Address = ""
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
    zoom_table: Annotated[tuple[tuple[Finite, Finite], ...], Field(max_length=256)] = ((0.0, 63.7), (1.0, 4.3))
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
        """Has it a head that can be moved?"""
        return self.head is not None

    @property
    def recall_only(self) -> bool:
        """Steered, but it does not say where it stands: it goes to its own memories."""
        return self.head is not None and not self.head.reports_position

    @property
    def lens(self) -> Lens:
        """The same for projection."""
        return Lens.of(self.zoom_table)
