"""Who comes in: codes of invitations, sessions, and how often a wrong one may be tried."""

import hmac
import ipaddress
import time
from collections import deque

from ribalta.core.base.codes import hashed
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.guests import Guest, Invitation

TRIES_OF_ONE, TRIES_OF_ALL, TRIES_S = 8, 100, 60.0
MOST_ADDRESSES = 1000


def invitation_of(state: LiveState, code: str) -> Invitation | None:
    """The invitation with this code, while it lasts. Takes the same time whichever it is."""
    given, found = hashed(code), None
    for one in state.guests.invitations.values():
        if hmac.compare_digest(one.code, given):
            found = one
    return found if state.guests.open else None


def guest_of(state: LiveState, session: str) -> Guest | None:
    """Whose session it is. Takes the same time whichever it is."""
    given, found = hashed(session), None
    for guest in state.guests.here.values():
        if hmac.compare_digest(guest.session, given):
            found = guest
    return found if state.guests.open else None


def is_near(address: str) -> bool:
    """Is it of this machine or of a network without a way in from outside (private or link-local)?"""
    try:
        found = ipaddress.ip_address(address.partition("%")[0])
    except ValueError:
        return False
    mapped = getattr(found, "ipv4_mapped", None)
    found = mapped or found
    return found.is_loopback or found.is_private or found.is_link_local


class Tries:
    """Wrong codes of late, by address and in all."""

    def __init__(self) -> None:
        self._by: dict[str, deque[float]] = {}
        self._all: deque[float] = deque(maxlen=TRIES_OF_ALL)
        self.count = 0

    def may(self, address: str) -> bool:
        """May this address try one more?"""
        now_s = time.monotonic()
        mine = self._by.get(address, ())
        lately = sum(now_s - at_s < TRIES_S for at_s in mine)
        return lately < TRIES_OF_ONE and sum(now_s - at_s < TRIES_S for at_s in self._all) < TRIES_OF_ALL

    def wrong(self, address: str) -> None:
        """It was a wrong one."""
        self.count += 1
        self._all.append(time.monotonic())
        self._by.setdefault(address, deque(maxlen=TRIES_OF_ONE)).append(time.monotonic())
        while len(self._by) > MOST_ADDRESSES:
            self._by.pop(next(iter(self._by)))
