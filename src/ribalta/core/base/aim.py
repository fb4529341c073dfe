"""Where a camera head points, and how far it can."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Aim:
    """A head's position in its own axes: pan right positive and tilt up positive, degrees; zoom 0 (wide) to 1."""

    pan_deg: float
    tilt_deg: float
    zoom: float

    def __add__(self, other: "Aim") -> "Aim":
        return Aim(self.pan_deg + other.pan_deg, self.tilt_deg + other.tilt_deg, self.zoom + other.zoom)

    def __sub__(self, other: "Aim") -> "Aim":
        return Aim(self.pan_deg - other.pan_deg, self.tilt_deg - other.tilt_deg, self.zoom - other.zoom)


STILL = Aim(0.0, 0.0, 0.0)


@dataclass(frozen=True, slots=True)
class AimLimits:
    """The travel of each axis, degrees and zoom 0..1, both ends included."""

    pan_min_deg: float = -170.0
    pan_max_deg: float = 170.0
    tilt_min_deg: float = -30.0
    tilt_max_deg: float = 90.0

    def clamp(self, aim: Aim) -> tuple[Aim, tuple[str, ...]]:
        """The nearest reachable aim, and a phrase for each limit that was met ("pan 181° is outside -170° to 170°")."""
        met: list[str] = []

        def held(name: str, value: float, low: float, high: float, unit: str) -> float:
            if low <= value <= high:
                return value
            met.append(f"{name} {value:g}{unit} is outside {low:g}{unit} to {high:g}{unit}")
            return min(high, max(low, value))

        return (
            Aim(
                held("pan", round(aim.pan_deg, 9), self.pan_min_deg, self.pan_max_deg, "°"),
                held("tilt", round(aim.tilt_deg, 9), self.tilt_min_deg, self.tilt_max_deg, "°"),
                held("zoom", round(aim.zoom, 9), 0.0, 1.0, ""),
            ),
            tuple(met),
        )
