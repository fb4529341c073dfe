"""Datagrams of one port. Several that have come are taken at each turn: under a flood the turns cost more than the
messages."""

import asyncio
import socket
from collections import deque
from collections.abc import Callable

Peer = tuple[str, int]
ROOM = 1 << 20  # bytes that wait in the system for their turn
LARGEST, MOST_AT_ONCE, MOST_WAITING = 65535, 32, 1000


class Datagrams:
    """All on the thread of its loop. `came` gets each datagram and who sent it."""

    def __init__(
        self, loop: asyncio.AbstractEventLoop, host: str, port: int, came: Callable[[bytes, Peer], None]
    ) -> None:
        """Raises OSError when the port cannot be had."""
        self._loop, self._came = loop, came
        self._waiting: deque[tuple[bytes, Peer]] = deque()
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        try:
            self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, ROOM)
            self._socket.setblocking(False)
            self._socket.bind((host, port))
        except OSError:
            self._socket.close()
            raise
        loop.add_reader(self._socket, self._take)

    def _take(self) -> None:
        """What has come, but so many that others on this loop have their turn."""
        for _ in range(MOST_AT_ONCE):
            try:
                data, peer = self._socket.recvfrom(LARGEST)
            except OSError:  # nothing more; or something that was sent before could not be brought
                return
            self._came(data, (str(peer[0]), int(peer[1])))

    def send(self, data: bytes, peer: Peer) -> None:
        """At once, or as soon as the system has room for it; what is behind MOST_WAITING others is lost."""
        if len(self._waiting) < MOST_WAITING:
            self._waiting.append((data, peer))
        self._send_waiting()

    def _send_waiting(self) -> None:
        while self._waiting:
            try:
                self._socket.sendto(*self._waiting[0])
            except BlockingIOError:
                self._loop.add_writer(self._socket, self._send_waiting)
                return
            except OSError:  # nobody is there, or it is too long: what comes behind it may still be brought
                pass
            self._waiting.popleft()
        self._loop.remove_writer(self._socket)

    def close(self) -> None:
        self._loop.remove_reader(self._socket)
        self._loop.remove_writer(self._socket)
        self._socket.close()
