"""The six cameras of the Clay Cup hall as they really stand and move; only the stand-ins know this."""

from dataclasses import dataclass
from math import atan, degrees, radians, tan

from ribalta.standins.hall.view import Mount


@dataclass(frozen=True)
class Axis:
    """Top speed and acceleration in units a second (squared); `ring` is how much the mechanism springs, 0..1."""

    speed: float
    acceleration: float
    ring: float = 0.25


@dataclass(frozen=True)
class Build:
    """One camera. A fixed one has no axes and stays at zoom angle `wide_deg`.

    `bend` is how far the middle of the zoom lies off an evenly geared one; commands take `delay_s` (from, to).
    """

    number: int
    name: str
    mount: Mount
    wide_deg: float
    tele_deg: float = 4.3
    bend: float = 0.0
    pan: Axis | None = None
    tilt: Axis | None = None
    zoom: Axis | None = None
    delay_s: tuple[float, float] = (0.02, 0.06)
    picture_delay_s: float = 0.06

    @property
    def steered(self) -> bool:
        return self.pan is not None

    def hfov_deg(self, zoom: float) -> float:
        """Degrees across the picture at a zoom position 0..1."""
        geared = zoom + self.bend * zoom * (1 - zoom)
        ratio = tan(radians(self.wide_deg / 2)) / tan(radians(self.tele_deg / 2))
        return degrees(2 * atan(tan(radians(self.wide_deg / 2)) / ratio**geared))


BUILDS = (
    Build(
        1,
        "Left",
        Mount(-6.3, -4.6, 1.75, 40),
        63.7,
        4.3,
        0.1,
        Axis(80.0, 165.0),
        Axis(60.0, 125.0),
        Axis(0.45, 1.9, 0.1),
        picture_delay_s=0.08,
    ),
    Build(
        2,
        "Centre",
        Mount(0.3, -5.6, 1.9, 0),
        61.5,
        4.6,
        -0.08,
        Axis(72.0, 190.0),
        Axis(55.0, 110.0),
        Axis(0.5, 1.6, 0.1),
        delay_s=(0.03, 0.07),
        picture_delay_s=0.06,
    ),
    Build(
        3,
        "Right",
        Mount(5.2, -5.6, 1.8, -22),
        65.2,
        4.1,
        0.06,
        Axis(95.0, 150.0, 0.35),
        Axis(70.0, 140.0),
        Axis(0.4, 2.2, 0.1),
        picture_delay_s=0.1,
    ),
    Build(
        4,
        "Gantry",
        Mount(0.0, 0.4, 5.4, 0, hung=True),
        62.8,
        4.4,
        0.0,
        Axis(64.0, 128.0),
        Axis(50.0, 100.0, 0.3),
        Axis(0.36, 1.5, 0.1),
        delay_s=(0.025, 0.05),
        picture_delay_s=0.07,
    ),
    Build(5, "Wide", Mount(-0.6, -8.6, 3.5, 1, -9), 66.0, picture_delay_s=0.05),
    Build(6, "Glazing", Mount(-5.6, -2.3, 2.4, -52, -40), 50.0, picture_delay_s=0.05),
)
