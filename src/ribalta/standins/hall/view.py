"""What a stand-in camera sees: its own pinhole, written without the desk's optics so that each checks the other.

World: metres, x east, y north, z up. A mount's heading is clockwise from north. Pan and tilt are the head's own
axes; a hung head is turned by half a turn, and its sensor is read out turned again.
"""

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]
NEAR_M = 0.25


@dataclass(frozen=True)
class Mount:
    x_m: float
    y_m: float
    z_m: float
    heading_deg: float = 0.0
    tilt_deg: float = 0.0
    hung: bool = False
    roll_deg: float = 0.0


@dataclass(frozen=True)
class View:
    """One picture's geometry. `hfov_deg` across `width` pixels."""

    mount: Mount
    pan_deg: float
    tilt_deg: float
    hfov_deg: float
    width: int
    height: int

    @cached_property
    def axes(self) -> Points:
        """(3, 3): rows are the picture's right, forward and up in the world."""
        sign = -1.0 if self.mount.hung else 1.0
        heading = math.radians(self.mount.heading_deg)
        north, east = np.array([0.0, 1.0, 0.0]), np.array([1.0, 0.0, 0.0])
        forward = math.cos(heading) * north + math.sin(heading) * east
        right = math.cos(heading) * east - math.sin(heading) * north
        up = np.array([0.0, 0.0, 1.0])
        base = math.radians(self.mount.tilt_deg)
        forward, up = (
            math.cos(base) * forward + math.sin(base) * up,
            math.cos(base) * up - math.sin(base) * forward,
        )
        roll = math.radians(self.mount.roll_deg)  # to the right: its right side sinks
        right, up = math.cos(roll) * right - math.sin(roll) * up, math.cos(roll) * up + math.sin(roll) * right
        pan, tilt = math.radians(sign * self.pan_deg), math.radians(sign * self.tilt_deg)
        forward, right = (
            math.cos(pan) * forward + math.sin(pan) * right,
            math.cos(pan) * right - math.sin(pan) * forward,
        )
        forward, up = (
            math.cos(tilt) * forward + math.sin(tilt) * up,
            math.cos(tilt) * up - math.sin(tilt) * forward,
        )
        return np.stack([right, forward, up])

    @cached_property
    def eye(self) -> Points:
        return np.array([self.mount.x_m, self.mount.y_m, self.mount.z_m])

    @cached_property
    def focal(self) -> float:
        return self.width / 2 / math.tan(math.radians(self.hfov_deg) / 2)

    def local(self, points: Points) -> Points:
        """(..., 3) world to (..., 3) right, forward (depth), up."""
        return (points - self.eye) @ self.axes.T

    def flat(self, local: Points) -> Points:
        """(..., 3) local to (..., 2) pixels; depths are held above NEAR_M."""
        depth = np.maximum(local[..., 1:2], NEAR_M)
        centre = np.array([self.width / 2, self.height / 2])
        return centre + self.focal * np.concatenate([local[..., 0:1], -local[..., 2:3]], axis=-1) / depth

    def intrinsics(self) -> Points:
        """(3, 3): (right, down, forward) to pixels."""
        return np.array([[self.focal, 0, self.width / 2], [0, self.focal, self.height / 2], [0, 0, 1.0]])

    def homography_to(self, other: "View") -> Points:
        """(3, 3) from this picture's pixels to those of another view from the same eye."""
        swap = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])  # right, forward, up to right, down, forward
        turn = swap @ other.axes @ self.axes.T @ swap.T
        return np.asarray(other.intrinsics() @ turn @ np.linalg.inv(self.intrinsics()), float)
