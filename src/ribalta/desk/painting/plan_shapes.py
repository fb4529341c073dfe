"""What a floor plan has in common wherever it is drawn: furniture, and what a camera sees of the floor."""

import math

from ribalta.core.base.aim import Aim
from ribalta.core.engine.state.live import LiveState
from ribalta.core.optics.projection import mount_to_world, view_to_mount
from ribalta.core.show.document.model import Camera, Obstacle


def corners(box: Obstacle) -> list[tuple[float, float]]:
    """The four corners on the floor, metres."""
    a = math.radians(box.turned_deg)
    across, along = (math.cos(a), -math.sin(a)), (math.sin(a), math.cos(a))
    signs = ((-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5))
    return [
        (
            box.x_m + u * box.wide_m * across[0] + v * box.deep_m * along[0],
            box.y_m + u * box.wide_m * across[1] + v * box.deep_m * along[1],
        )
        for u, v in signs
    ]


def sight(state: LiveState, camera: Camera) -> tuple[float, float] | None:
    """Heading and horizontal angle in degrees of what a camera shows now; None when that is not known."""
    live = state.live(camera.id)
    aim = live.aim if camera.steered else Aim(0.0, 0.0, 0.0)
    if aim is None:
        return None
    forward = (mount_to_world(camera.place.pose) @ view_to_mount(aim, camera.place.hung))[:, 1]
    return math.degrees(math.atan2(float(forward[0]), float(forward[1]))), camera.lens.hfov_deg(aim.zoom)
