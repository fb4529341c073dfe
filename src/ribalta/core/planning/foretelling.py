"""What a list of shots asks of the cameras: when each must leave, when it is set, and what comes too late.

A camera is free when it has left the air, and leaves at once for where it is needed next. It is set when its model's
travel time and its picture's delay are over. With *hold*, what is late pushes all that follows; otherwise each entry
keeps its time. A camera that is on air with another aim in the entry before can only leave when its own entry begins:
until it is set the cover shot is seen.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ribalta.core.base.aim import Aim
from ribalta.core.show.document.model import Show

NOTHING_S = 1e-6


@dataclass(frozen=True, slots=True)
class Wanted:
    """One entry: which cameras with which aims (None: as it stands), for how long, and the length of its transition."""

    cameras: tuple[tuple[str, Aim | None], ...]
    length_s: float
    mix_s: float = 0.0


@dataclass(frozen=True, slots=True)
class Travel:
    """A camera on its way to an entry: from leaving to being set, in seconds from the beginning."""

    camera_id: str
    leaves_s: float
    set_s: float


@dataclass(frozen=True, slots=True)
class Foretold:
    """When an entry is due, when it goes on air, when it ends, how late its cameras are (0: in time), and who causes
    that. `slack_s` is how much sooner the last of them is set than it must be."""

    due_s: float
    begins_s: float
    ends_s: float
    late_s: float
    travels: tuple[Travel, ...]
    slack_s: float = float("inf")
    cause: str = ""

    @property
    def late(self) -> bool:
        """Does it come late?"""
        return self.late_s > NOTHING_S


@dataclass
class Cameras:
    """Where each camera stands or was last sent, from when it is free, and when it is set there."""

    aims: dict[str, Aim] = field(default_factory=dict)
    free_s: dict[str, float] = field(default_factory=dict)
    set_s: dict[str, float] = field(default_factory=dict)


def travel_s(show: Show, camera_id: str, start: Aim | None, end: Aim | None) -> float:
    """Seconds from asking until the picture shows it standing there; 0 for fixed cameras, and where nothing moves."""
    camera = show.camera(camera_id)
    if camera is None or camera.head is None or end is None or start is None:
        return 0.0
    moving = camera.head.motion.at_pace(camera.recall_pace).travel_s(start, end)
    return moving + camera.picture.delay_s if moving > 0 else 0.0


def foretell(
    show: Show, entries: Sequence[Wanted], aims: Mapping[str, Aim], on_air: Sequence[str] = (), hold: bool = True
) -> tuple[Foretold, ...]:
    """The first entry is due at 0. `aims` is where cameras stand then; those `on_air` are free when it begins."""
    cameras = Cameras(dict(aims), {}, {})
    found: list[Foretold] = []
    due_s, begins_s = 0.0, 0.0
    before: tuple[str, ...] = tuple(on_air)
    for entry in entries:
        travels, set_s, cause = [], 0.0, ""
        for camera_id, aim in entry.cameras:
            at = cameras.aims.get(camera_id)
            needs_s = travel_s(show, camera_id, at, aim)
            leaves_s = cameras.free_s.get(camera_id, 0.0)
            if camera_id in before and needs_s > 0:
                leaves_s = max(leaves_s, due_s)  # it is on air until this entry begins
            arrives_s = leaves_s + needs_s if needs_s > 0 else cameras.set_s.get(camera_id, 0.0)
            if needs_s > 0:
                travels.append(Travel(camera_id, leaves_s, arrives_s))
            if arrives_s > set_s:
                set_s, cause = arrives_s, camera_id
            if aim is not None:
                cameras.aims[camera_id] = aim
            cameras.set_s[camera_id] = arrives_s
        late_s = max(0.0, set_s - due_s)
        begins_s = max(due_s, set_s) if hold else due_s
        ends_s = begins_s + entry.length_s
        found.append(Foretold(due_s, begins_s, ends_s, late_s, tuple(travels), due_s - set_s, cause if late_s else ""))
        for camera_id, _ in entry.cameras:
            cameras.free_s[camera_id] = ends_s
        for camera_id in before:  # what comes late, or is mixed to, keeps them on air for longer
            if all(camera_id != c for c, _ in entry.cameras):
                cameras.free_s[camera_id] = max(cameras.free_s.get(camera_id, 0.0), begins_s + entry.mix_s)
        before = tuple(c for c, _ in entry.cameras)
        due_s = ends_s
    return tuple(found)
