"""Who wants to be told by OSC what the board shows: touch surfaces and small displays.

A surface sends SUBSCRIBE at least every BEAT_S seconds, with a port if it listens on another than it sends from: who
is silent for longer is told nothing more. It is told what changes, in bundles, and everything when it comes and with a
beat from time to time: what was lost on the way is there again then.
"""

import contextlib
from collections.abc import Iterable

from pythonosc.osc_bundle_builder import IMMEDIATELY, OscBundleBuilder
from pythonosc.osc_message_builder import OscMessageBuilder

from ribalta.core.engine.views.board_values import Value, board_values
from ribalta.remote.datagrams import Datagrams, Peer
from ribalta.remote.show_access import ShowAccess

SUBSCRIBE, UNSUBSCRIBE = "/ribalta/subscribe", "/ribalta/unsubscribe"
BEAT_S, MOST, IN_A_BUNDLE = 10.0, 16, 40
WHOLE_EVERY_S = 4.0
SECONDS_EVERY_S = 0.2  # numbers of seconds; names and tally are told at once


class Subscribers:
    """All on the remote thread. `line` is where OSC comes in; what is told goes out there."""

    def __init__(self, desk: ShowAccess) -> None:
        self._desk = desk
        self.line: Datagrams | None = None
        self._last_s: dict[Peer, float] = {}
        self._known: dict[Peer, dict[str, Value]] = {}
        self._whole_s: dict[Peer, float] = {}  # when it was told everything
        self._told: tuple[object, ...] = ()
        self._seconds_s = float("-inf")

    @property
    def there(self) -> bool:
        """Does anybody want to be told?"""
        return bool(self._last_s)

    def come(self, peer: Peer) -> tuple[bool, str]:
        """It wants to be told (still). Whether it is a new one, and why it cannot be."""
        fresh = peer not in self._last_s
        if fresh and len(self._last_s) >= MOST:
            return False, f"refused: {MOST} surfaces are told already"
        now_s = self._last_s[peer] = self._desk.clock.now_s()
        if fresh or now_s - self._whole_s[peer] > WHOLE_EVERY_S:
            self._known[peer], self._whole_s[peer] = {}, now_s
            self._told = ()
        return fresh, ""

    def leave(self, peer: Peer) -> None:
        """It wants to be told no more."""
        self._last_s.pop(peer, None)
        self._known.pop(peer, None)
        self._whole_s.pop(peer, None)

    def value(self, address: str, place: float) -> None:
        """A fader of theirs is to stand at a place."""
        for peer in self._last_s:
            self._send(peer, [(address, place)])

    def tell(self) -> None:
        """What has changed since it was told last."""
        now_s = self._desk.clock.now_s()
        for peer in [p for p, last_s in self._last_s.items() if now_s - last_s > BEAT_S]:
            self.leave(peer)
        if not self._last_s:
            return
        state = self._desk.state
        groups = (state.program, state.show, state.sound, state.automation, state.desk, state.outputs)
        same = len(groups) == len(self._told) and all(a is b for a, b in zip(groups, self._told, strict=True))
        if same and now_s - self._seconds_s < SECONDS_EVERY_S:
            return
        self._told, self._seconds_s = groups, now_s
        values = dict(board_values(state, now_s))
        for peer, known in self._known.items():
            gone = [(address, "") for address in known.keys() - values.keys()]
            fresh = [(address, value) for address, value in values.items() if known.get(address) != value]
            for first in range(0, len(gone) + len(fresh), IN_A_BUNDLE):
                self._send(peer, (gone + fresh)[first : first + IN_A_BUNDLE])
            self._known[peer] = dict(values)

    def close(self) -> None:
        """Listening ends, and with it all telling."""
        self.line = None
        self._last_s.clear()
        self._known.clear()
        self._whole_s.clear()

    def _send(self, peer: Peer, values: Iterable[tuple[str, Value]]) -> None:
        if self.line is None:
            return
        bundle = OscBundleBuilder(IMMEDIATELY)
        for address, value in values:
            message = OscMessageBuilder(address=address)
            message.add_arg(value)
            bundle.add_content(message.build())
        with contextlib.suppress(ValueError):
            self.line.send(bundle.build().dgram, peer)
