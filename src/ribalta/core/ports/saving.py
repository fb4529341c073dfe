"""The show's file: it is to be saved, or was."""

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True, slots=True)
class SaveWanted:
    """The show is to be saved under its name."""


@dataclass(frozen=True, slots=True)
class CopySaved:
    """The show is now in another file too, as somebody has asked."""

    path: Path
