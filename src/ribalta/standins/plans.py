"""Cameras that stand where a show has them, described from outside: a list in JSON instead of those of the Clay Cup."""

import json
from pathlib import Path
from typing import Any

from ribalta.core.base.faults import LocalFault
from ribalta.standins.cameras import Axis, Build
from ribalta.standins.hall.view import Mount

MOST = 24


def builds_of(path: Path) -> tuple[Build, ...]:
    """One a row: `number`, `name`, `place` (x, y, z in metres, heading, tilt and roll in degrees), `hung`, `wide_deg`,
    `tele_deg` and, for a steered one, `pan`, `tilt` and `zoom` (speed and acceleration). Raises LocalFault."""
    try:
        rows = json.loads(path.read_text())
        if not isinstance(rows, list) or not 1 <= len(rows) <= MOST:
            raise ValueError(f"a list of 1 to {MOST} cameras is wanted")
        return tuple(_build(row) for row in rows)
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise LocalFault(f"The stand-ins cannot be made from {path.name}: {error}.") from None


def _build(row: dict[str, Any]) -> Build:
    x, y, z, heading, leans, rolls = (float(value) for value in row["place"])
    pan, tilt, zoom = (_axis(row[name]) if name in row else None for name in ("pan", "tilt", "zoom"))
    number = int(row["number"])
    if not 1 <= number <= 199:
        raise ValueError(f"there is no camera {number}")
    return Build(
        number,
        str(row["name"])[:80],
        Mount(x, y, z, heading, leans, bool(row.get("hung")), rolls),
        float(row["wide_deg"]),
        float(row["tele_deg"]),
        pan=pan,
        tilt=tilt,
        zoom=zoom,
    )


def _axis(values: list[float]) -> Axis:
    speed, acceleration = (float(value) for value in values)
    return Axis(speed, acceleration, 0.1)
