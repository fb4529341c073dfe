"""Tally for others: who wants it is told what is on air and next, at once and again every second.

Each receiver is looked up and told by itself: one that cannot be reached costs the others nothing. When the sender
ends, all of them are told that nothing is on air any more.
"""

import socket
import threading
import time
from collections.abc import Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType

from ribalta.core.show.document.outputs import TallyReceiver
from ribalta.devices.drivers.tsl.wire import Display, v31, v50
from ribalta.devices.links.addresses import Lookup
from ribalta.workers.crew import Crew

AGAIN_S = 1.0  # a datagram may be lost
LOOK_UP_AGAIN_S = 10.0
Where = tuple[str, int]


class TallySender:
    """`follow` may come from any thread and returns at once. `troubles`: why a receiver is not told, as a phrase, by
    its host and port."""

    def __init__(self, crew: Crew | None = None) -> None:
        self._crew = crew or Crew()
        self._receivers: Sequence[TallyReceiver] = ()
        self._displays: Sequence[Display] = ()
        self._news = threading.Event()
        self._stopping = False
        self._sockets: dict[int, socket.socket] = {}
        self._found: dict[Where, tuple[Lookup, float]] = {}
        self.troubles: Mapping[Where, str] = MappingProxyType({})
        self._worker = self._crew.worker("tally", self._run)

    def start(self) -> None:
        """Begin, on a thread of its own."""
        self._worker.start()

    def stop(self) -> None:
        """Tell all receivers that everything is off, and wait for the thread."""
        self._stopping = True
        self._news.set()
        self._worker.stop()
        self._worker.join()
        for one in self._sockets.values():
            one.close()

    def follow(self, receivers: Sequence[TallyReceiver], displays: Sequence[Display]) -> None:
        """Who is to be told what from now on; from any thread, without waiting."""
        if (receivers, displays) != (self._receivers, self._displays):
            self._receivers, self._displays = receivers, displays
            self._news.set()

    def _run(self) -> None:
        while not self._stopping:
            self._news.wait(AGAIN_S)
            self._news.clear()
            if not self._stopping:
                self._tell_all(self._displays, time.monotonic())
        dark = [replace(display, on_air=False, next=False) for display in self._displays]
        self._tell_all(dark, time.monotonic())

    def _tell_all(self, displays: Sequence[Display], now_s: float) -> None:
        receivers, troubles = self._receivers, {}
        wanted = {(r.host, r.port) for r in receivers}
        self._found = {where: found for where, found in self._found.items() if where in wanted}
        for receiver in receivers:
            where = (receiver.host, receiver.port)
            with self._crew.guarded(f"telling {receiver.host} the tally", "All others are told."):
                trouble = self._tell(receiver, displays, now_s)
                if trouble:
                    troubles[where] = trouble
        self.troubles = MappingProxyType(troubles)

    def _tell(self, receiver: TallyReceiver, displays: Sequence[Display], now_s: float) -> str:
        """Returns why it could not be told, if so. A name is looked up on a thread of its own."""
        where = (receiver.host, receiver.port)
        lookup, since_s = self._found.get(where, (None, now_s))
        if lookup is None or (lookup.failed and now_s - since_s > LOOK_UP_AGAIN_S):
            lookup = Lookup(receiver.host, receiver.port, socket.SOCK_DGRAM)
            self._found[where] = lookup, now_s
        if lookup.address is None:
            return lookup.failed or "its name is being looked up"
        family, _, _, address = lookup.address
        if receiver.version == "3.1":
            packets = [v31(display) for display in displays if display.index <= 126]
        else:
            packets = v50(displays, receiver.screen)
        try:
            for packet in packets:
                self._socket(family).sendto(packet, address)
        except OSError as error:
            return f"it cannot be reached ({error.strerror or error})"
        return ""

    def _socket(self, family: int) -> socket.socket:
        if family not in self._sockets:
            made = self._sockets[family] = socket.socket(family, socket.SOCK_DGRAM)
            made.setblocking(False)
        return self._sockets[family]
