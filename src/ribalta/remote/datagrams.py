"""Datagrams of one port. Several that have come are taken at each turn: under a flood the turns cost more than the
messages."""

import asyncio
import contextlib
import socket
from collections.abc import Callable

Peer = tuple[str, int]
ROOM = 1 << 20  # bytes that wait in the system for their turn
LARGEST, MOST_AT_ONCE = 65535, 32


class Datagrams:
    """All on the thread of its loop. `came` gets each datagram and who sent it."""

    def __init__(
        self, loop: asyncio.AbstractEventLoop, host: str, port: int, came: Callable[[bytes, Peer], None]
    ) -> None:
        """Raises OSError when the port cannot be had."""
        self._loop, self._came = loop, came
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
        """What the system has no room for is lost, as datagrams are."""
        with contextlib.suppress(OSError):
            self._socket.sendto(data, peer)

    def close(self) -> None:
        self._loop.remove_reader(self._socket)
        self._socket.close()
