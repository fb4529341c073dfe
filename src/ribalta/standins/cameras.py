"""The six cameras of the Clay Cup hall as they really stand and move; only the stand-ins know this."""

from dataclasses import dataclass

from ribalta.standins.hall.view import Mount


@dataclass(frozen=True)
class Axis:
    """Top speed and acceleration in units a second (squared); `ring` is how much the mechanism springs, 0..1."""

    speed: float
    acceleration: float
    ring: float = 0.25


@dataclass(frozen=True)
class Build:
    """One camera. A fixed one has no axes and stays at zoom angle `wide_deg`."""

    number: int
    name: str
    mount: Mount
    wide_deg: float
    tele_deg: float = 4.3
    pan: Axis | None = None
    tilt: Axis | None = None
    zoom: Axis | None = None
    picture_delay_s: float = 0.06

    @property
    def steered(self) -> bool:
        return self.pan is not None


def _steered(number: int, name: str, mount: Mount, quick: float, delay_s: float) -> Build:
    return Build(
        number,
        name,
        mount,
        63.7,
        pan=Axis(80.0 * quick, 165.0 * quick),
        tilt=Axis(60.0 * quick, 125.0 * quick),
        zoom=Axis(0.45 * quick, 1.9 * quick, 0.1),
        picture_delay_s=delay_s,
    )


BUILDS = (
    _steered(1, "Left", Mount(-6.3, -4.6, 1.75, 40), 1.0, 0.08),
    _steered(2, "Centre", Mount(0.3, -5.6, 1.9, 0), 0.97, 0.06),
    _steered(3, "Right", Mount(5.2, -5.6, 1.8, -22), 1.03, 0.1),
    _steered(4, "Gantry", Mount(0.0, 0.4, 5.4, 0, hung=True), 0.98, 0.07),
    Build(5, "Wide", Mount(-0.6, -8.6, 3.5, 1, -9), 66.0, picture_delay_s=0.05),
    Build(6, "Glazing", Mount(-5.6, -2.3, 2.4, -52, -40), 50.0, picture_delay_s=0.05),
)
