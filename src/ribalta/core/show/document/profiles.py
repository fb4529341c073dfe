"""What camera models can do: one JSON file each. Generic ones ship with Ribalta; users put theirs into a folder.

A file states everything: what is left out is an error, for a guessed limit would be believed. `ribalta profile FILE`
checks one.
"""

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated

from platformdirs import user_data_path
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from ribalta.core.base.faults import LocalFault
from ribalta.core.base.validation import reason
from ribalta.core.optics.lens import Lens
from ribalta.core.show.document.model import Axis, Head
from ribalta.core.show.document.part import Finite, Name, Positive
from ribalta.core.show.document.settings import BY_ID

SHIPPED = Path(__file__).parent / "models"
LARGEST = 1024 * 1024
Rows = Annotated[tuple[tuple[Finite, Finite], ...], Field(min_length=2, max_length=200)]
SpeedRows = Annotated[tuple[tuple[Finite, Positive], ...], Field(min_length=1, max_length=64)]


class Travel(BaseModel):
    """One axis: its ends, and its speeds in units a second by share of full speed (0..1, the last row is 1)."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    low: Finite
    high: Finite
    speeds: SpeedRows
    acceleration: Positive

    @model_validator(mode="after")
    def _possible(self) -> "Travel":
        if self.low >= self.high:
            raise ValueError("low must be below high")
        shares = [share for share, _ in self.speeds]
        if shares != sorted(set(shares)) or shares[-1] != 1.0 or shares[0] <= 0:
            raise ValueError("the shares of speeds rise from above 0 to 1")
        return self

    @property
    def axis(self) -> Axis:
        """The same as an axis of a head."""
        return Axis(speed=self.speeds[-1][1], acceleration=self.acceleration, table=self.speeds[:-1])


class Profile(BaseModel):
    """`zoom_table` has (zoom 0..1, horizontal angle in degrees) rows."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    name: Name
    pan: Travel
    tilt: Travel
    zoom: Travel
    counts_per_deg: Positive
    zoom_table: Rows
    latency_s: Annotated[float, Field(ge=0, le=10)]
    settle_s: Annotated[float, Field(ge=0, le=10)]
    reports_position: bool
    memories: Annotated[int, Field(ge=0, le=256)]
    settings: tuple[str, ...]

    @model_validator(mode="after")
    def _possible(self) -> "Profile":
        Lens.of(self.zoom_table)
        unknown = [x for x in self.settings if x not in BY_ID]
        if unknown:
            raise ValueError(f"there is no setting called {', '.join(unknown)}")
        return self

    @property
    def head(self) -> Head:
        """A head as this model has it."""
        return Head(
            pan_min_deg=self.pan.low,
            pan_max_deg=self.pan.high,
            tilt_min_deg=self.tilt.low,
            tilt_max_deg=self.tilt.high,
            pan=self.pan.axis,
            tilt=self.tilt.axis,
            zoom=self.zoom.axis,
            latency_s=self.latency_s,
            settle_s=self.settle_s,
            counts_per_deg=self.counts_per_deg,
            reports_position=self.reports_position,
            memories=self.memories,
            settings=self.settings,
        )


def own_folder() -> Path:
    """Where a user's profiles are looked for."""
    return user_data_path("ribalta") / "profiles"


def read_profile(path: Path) -> Profile:
    """Raises LocalFault with everything that is missing or wrong in the file."""
    try:
        if path.stat().st_size > LARGEST:
            raise ValueError("it is too large")
        raw = json.loads(path.read_bytes())
    except OSError as error:
        raise LocalFault(f"The profile {path.name} cannot be read: {error.strerror or error}.") from None
    except (ValueError, RecursionError) as error:
        raise LocalFault(f"The profile {path.name} is not JSON: {error}.") from None
    try:
        return Profile.model_validate(raw)
    except ValidationError as error:
        wrong = [f"{'.'.join(map(str, e['loc'])) or 'the whole'}: {reason(e)}" for e in error.errors()]
        raise LocalFault(f"The profile {path.name} cannot be used: {'; '.join(wrong)}.") from None


def all_profiles(own: Path | None = None) -> tuple[tuple[Profile, ...], tuple[str, ...]]:
    """The shipped profiles and the user's, by name; and a sentence for each file that cannot be used."""
    found: dict[str, Profile] = {}
    faults: list[str] = []
    for path in _files(own or own_folder()):
        try:
            profile = read_profile(path)
        except LocalFault as fault:
            faults.append(str(fault))
        else:
            found[profile.name] = profile
    return tuple(found[name] for name in sorted(found)), tuple(faults)


def _files(own: Path) -> Iterator[Path]:
    for folder in (SHIPPED, own):
        if folder.is_dir():
            yield from sorted(folder.glob("*.json"))
