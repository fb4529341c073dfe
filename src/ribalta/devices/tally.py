"""Tally for others: who wants it is told what is on air and next, at once and again every second."""

import contextlib
import socket
import threading
from collections.abc import Sequence

from ribalta.core.show.outputs import TallyReceiver
from ribalta.devices.drivers.tsl.wire import Display, v31, v50

AGAIN_S = 1.0  # a datagram may be lost


class TallySender:
    """`follow` may come from any thread and returns at once."""

    def __init__(self) -> None:
        self._receivers: Sequence[TallyReceiver] = ()
        self._displays: Sequence[Display] = ()
        self._news = threading.Event()
        self._stopping = False
        self._sockets: dict[int, socket.socket] = {}
        self._thread = threading.Thread(target=self._run, name="tally", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._stopping = True
        self._news.set()
        self._thread.join()
        for one in self._sockets.values():
            one.close()

    def follow(self, receivers: Sequence[TallyReceiver], displays: Sequence[Display]) -> None:
        if (receivers, displays) != (self._receivers, self._displays):
            self._receivers, self._displays = receivers, displays
            self._news.set()

    def _run(self) -> None:
        while not self._stopping:
            self._news.wait(AGAIN_S)
            self._news.clear()
            displays = self._displays
            for receiver in self._receivers:
                with contextlib.suppress(OSError):  # a receiver that is not there is not an error of ours
                    self._send(receiver, displays)

    def _send(self, receiver: TallyReceiver, displays: Sequence[Display]) -> None:
        found = socket.getaddrinfo(receiver.host, receiver.port, type=socket.SOCK_DGRAM)[0]
        family, address = found[0], found[4]
        if family not in self._sockets:
            self._sockets[family] = socket.socket(family, socket.SOCK_DGRAM)
        if receiver.version == "3.1":
            packets = [v31(display) for display in displays if display.index <= 126]
        else:
            packets = v50(displays, receiver.screen)
        for packet in packets:
            self._sockets[family].sendto(packet, address)
