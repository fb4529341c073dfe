"""Who else takes part: roles, invitations, guests, and shots that they are asked for.

A code or a session is known here by its SHA-256 only, so a journal or a state that is read by others lets nobody in.
"""

from dataclasses import dataclass
from enum import StrEnum


class Role(StrEnum):
    """What somebody may do, each more than the one before. DIRECTOR is whoever sits at a desk of the show's own
    machine, DOOR the part of the server that lets guests in."""

    WATCHER = "watcher"
    OPERATOR = "operator"
    DEPUTY = "deputy"
    DIRECTOR = "director"
    DOOR = "door"


OUT = "You are out: the invitation was taken back, or is over."
RANKS = {role: rank for rank, role in enumerate(Role)}


@dataclass(frozen=True, slots=True)
class Invitation:
    """`cameras` by id, empty for all. `ends_at_s` is clock time, None: as the show ends. `uses` is how many may come
    with it, 0 for any number; `used` how many have. `hears`: the sound of program, and what the crew says; `talks`:
    may speak to the crew."""

    id: str
    name: str
    role: Role
    cameras: tuple[str, ...] = ()
    code: str = ""
    ends_at_s: float | None = None
    uses: int = 1
    used: int = 0
    hears: bool = False
    talks: bool = False

    def is_over(self, now_s: float) -> bool:
        """Has its time passed?"""
        return self.ends_at_s is not None and self.ends_at_s <= now_s


@dataclass(frozen=True, slots=True)
class Guest:
    """Somebody who came in with an invitation. `session` is what its browser or station shows; `there`: its line is up.
    `by` is "browser" or "station"."""

    id: str
    name: str
    role: Role
    invitation: str
    cameras: tuple[str, ...] = ()
    session: str = ""
    by: str = "browser"
    there: bool = False
    hears: bool = False
    talks: bool = False

    def may_touch(self, camera_id: str) -> bool:
        """Is a camera among those that it was given?"""
        return not self.cameras or camera_id in self.cameras

    @property
    def initial(self) -> str:
        """One letter, for where there is no room for the name."""
        return self.name[:1].upper()


@dataclass(frozen=True, slots=True)
class Hold:
    """A guest has a camera until then (clock time); `kept`: it asked to keep it, and not only touched it."""

    guest: str
    until_s: float
    kept: bool = False


@dataclass(frozen=True, slots=True)
class ShotAsked:
    """What the director asks for: `camera` by id, `words` as people say it. `offered_at_s` is when the guest
    said that it is there."""

    id: str
    camera: str
    words: str
    guest: str = ""
    offered_at_s: float | None = None
