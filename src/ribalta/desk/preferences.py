"""What a person has chosen for this desk, whatever show is open: kept beside its shortcuts."""

from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.files.shortcut_file import config_folder
from ribalta.core.show.files.whole_file import whole_file

LARGEST = 64 * 1024


class Preferences(BaseModel):
    """`hold_s`: how long a press is held to stop or overwrite something; `confirm`: when it has to be held at all.
    `text_percent` and `side` are those of the window, `folder` is where files are looked for first."""

    model_config = ConfigDict(frozen=True)

    hold_s: Annotated[float, Field(ge=0.3, le=3)] = 0.8
    confirm: Literal["always", "on air"] = "always"
    text_percent: Annotated[int, Field(ge=100, le=150)] = 100
    side: Literal["right", "left"] = "right"
    folder: Annotated[str, Field(max_length=4000)] = ""


def preferences_path() -> Path:
    return config_folder() / "preferences.json"


def read_preferences() -> tuple[Preferences, str]:
    """Those of this desk, and a sentence if they could not be read: then they are as at first."""
    path = preferences_path()
    try:
        if path.stat().st_size > LARGEST:
            raise ValueError
        return Preferences.model_validate_json(path.read_bytes()), ""
    except FileNotFoundError:
        return Preferences(), ""
    except (OSError, ValueError, ValidationError):
        return Preferences(), f"The preferences of this desk cannot be read: {path} is damaged. They are as at first."


def write_preferences(preferences: Preferences) -> None:
    """Raises LocalFault."""
    try:
        preferences_path().parent.mkdir(parents=True, exist_ok=True)
        with whole_file(preferences_path()) as file:
            file.write(preferences.model_dump_json(indent=1).encode())
    except OSError as error:
        raise LocalFault(f"The preferences could not be kept: {error.strerror or error}.") from None
