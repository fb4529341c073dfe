"""What the mixer gives, and what it needs of others."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Protocol

from ribalta.core.picture.layering import Drawing
from ribalta.core.picture.planes import Picture
from ribalta.media.program.composer import ProgramPlan


@dataclass(frozen=True)
class Composed:
    """One program frame: when it went out, what was in it, and what it cost."""

    at_s: float
    plan: ProgramPlan
    source_number: int
    cost_s: float
    on_clock: bool


@dataclass(frozen=True)
class Pictures:
    """The latest scaled pictures for the desk, by the name of the place that shows them."""

    shown: Mapping[str, Picture] = field(default_factory=dict)
    captured_s: Mapping[str, float] = field(default_factory=dict)


class FrameConsumer(Protocol):
    """Somebody who wants every frame of something, such as a recorder: of PROGRAM, of CLEAN, or of a camera."""

    what: str

    def take(self, tick: int, at_s: float, picture: Picture | None) -> None:
        """A frame that is only lent, on the mixer's thread; it has to be quick.

        `tick` counts frames of program, `at_s` is when it was due.
        """
        ...


class LibraryPictures(Protocol):
    """Media and titles. None of these waits."""

    def picture(self, medium_id: str, at_s: float | None = None) -> Picture | None:
        """A medium as it is at a clock time (None: now); None until it is there."""
        ...

    def file(self, name: str) -> Picture | None:
        """A stored picture by name; None until it is decoded."""
        ...

    def drawing(self, name: str, size: tuple[int, int]) -> Drawing | None:
        """A title drawn for a size in pixels; None until it is drawn."""
        ...
