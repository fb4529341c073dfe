"""Guests and stations: who is invited, who is here, who holds what."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from ribalta.core.ports.causes import By, Cause
from ribalta.core.ports.guests import Guest, Hold, Invitation, ShotAsked

DOOR_PORT = 8443
GUEST_HAND = "guest "  # before a guest's id: the name of its hand on a camera


def seat_of_guest(guest_id: str) -> str:
    """The seat of a guest: the number of its desk."""
    return GUEST_HAND + guest_id


@dataclass(frozen=True)
class GuestsState:
    """`open`: guests can come, at `port`, from this network or from `beyond` it. `asked` are shots that the director
    waits for, the oldest first. `talking` are the guests who speak to the crew, `crew_talks`: the director does.
    `beats`: a camera that is pushed stops by then, unless it is pushed again."""

    open: bool = False
    port: int = DOOR_PORT
    beyond: bool = False
    invitations: Mapping[str, Invitation] = field(default_factory=lambda: MappingProxyType({}))
    here: Mapping[str, Guest] = field(default_factory=lambda: MappingProxyType({}))
    holds: Mapping[str, Hold] = field(default_factory=lambda: MappingProxyType({}))
    asked: tuple[ShotAsked, ...] = ()
    talking: frozenset[str] = frozenset()
    crew_talks: bool = False
    beats: Mapping[str, float] = field(default_factory=lambda: MappingProxyType({}))
    count: int = 0  # of invitations, guests and asked shots so far, for their ids

    @property
    def talkers(self) -> list[str]:
        """The guests who talk, by name."""
        return [guest.name for guest in self.here.values() if guest.id in self.talking]

    def speaking(self, cause: Cause) -> Cause:
        """Whoever asks at the seat of a guest is that guest, whatever is said."""
        guest_id = cause.desk.removeprefix(GUEST_HAND)
        if guest_id == cause.desk or cause.guest:
            return cause
        guest = self.here.get(guest_id)
        return replace(cause, by=By.GUEST, words=guest.name if guest is not None else "", guest=guest_id)

    def holder(self, camera_id: str, now_s: float) -> Guest | None:
        """Who holds a camera now."""
        hold = self.holds.get(camera_id)
        return self.here.get(hold.guest) if hold is not None and now_s < hold.until_s else None
