"""What the mixer needs of any camera's picture, wherever it comes from."""

from dataclasses import dataclass
from typing import Protocol

from ribalta.core.picture.planes import Picture

LOST_AFTER_S = 0.9
LATE_AFTER_S = 0.15


@dataclass(frozen=True)
class Frame:
    """The newest picture of a camera; see `Picture` for how long it stays."""

    number: int
    captured_s: float
    picture: Picture


class FrameSource(Protocol):
    """None of these waits for the device. `trouble`: why no picture comes, as a phrase, if that is known."""

    @property
    def trouble(self) -> str | None:
        """Why no picture comes, as a phrase; None when that is not known."""
        ...

    @property
    def newest_s(self) -> float:
        """When the newest frame that was looked at was captured; 0 before there is one."""
        ...

    def arrives(self, now_s: float) -> bool:
        """Has a frame come lately?"""
        ...

    def want_main(self, now_s: float) -> None:
        """Say that the full-size picture is wanted for the next half second."""
        ...

    def step(self, now_s: float, frame_s: float | None) -> None:
        """Program goes on by a frame of `frame_s` and shows this picture: `best` goes on by one frame, if its rate is
        program's. None: it is not on air, and the newest is the best."""
        ...

    def best(self) -> Frame | None:
        """The newest frame, or the one whose turn it is; at full size if there is a fresh one."""
        ...

    def small(self) -> Frame | None:
        """The newest small frame; None when there is only one size, or none."""
        ...

    def close(self) -> None:
        """Nothing more comes."""
        ...
