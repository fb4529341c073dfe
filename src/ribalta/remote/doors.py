"""Doors of a server: so many for each neighbour, closed when nothing is said, and all of them when listening ends."""

import asyncio
from collections import Counter
from collections.abc import Callable

MOST_OF_ONE, MOST = 64, 256


class Doors:
    """`talk` makes the protocol that is behind each door."""

    def __init__(self, talk: Callable[[], asyncio.BaseProtocol], idle_s: float) -> None:
        self._talk, self.idle_s = talk, idle_s
        self.by_host: Counter[str] = Counter()
        self.doors: set[_Door] = set()

    def open(self) -> asyncio.Protocol:
        return _Door(self, self._talk())

    def close(self) -> None:
        for door in list(self.doors):
            door.shut()


class _Door(asyncio.Protocol):
    """Hands everything on to what is behind it."""

    def __init__(self, doors: Doors, behind: asyncio.BaseProtocol) -> None:
        self._doors, self._behind, self._host = doors, behind, ""
        self._transport: asyncio.Transport | None = None
        self._timer: asyncio.TimerHandle | None = None
        self._let_in = False

    def shut(self) -> None:
        if self._transport is not None:
            self._transport.abort()

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        assert isinstance(transport, asyncio.Transport)
        self._transport, self._host = transport, str((transport.get_extra_info("peername") or ("",))[0])
        doors = self._doors
        if doors.by_host[self._host] >= MOST_OF_ONE or len(doors.doors) >= MOST:
            transport.abort()
            return
        self._let_in = True
        doors.by_host[self._host] += 1
        doors.doors.add(self)
        self._wait()
        self._behind.connection_made(transport)

    def _wait(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
        self._timer = asyncio.get_running_loop().call_later(self._doors.idle_s, self.shut)

    def data_received(self, data: bytes) -> None:
        if self._let_in and isinstance(self._behind, asyncio.Protocol):
            self._wait()
            self._behind.data_received(data)

    def eof_received(self) -> bool | None:
        return self._behind.eof_received() if self._let_in and isinstance(self._behind, asyncio.Protocol) else None

    def connection_lost(self, exc: Exception | None) -> None:
        if self._timer is not None:
            self._timer.cancel()
        if self._let_in:
            self._doors.by_host[self._host] -= 1
            self._doors.doors.discard(self)
            self._behind.connection_lost(exc)

    def pause_writing(self) -> None:
        self._behind.pause_writing()

    def resume_writing(self) -> None:
        self._behind.resume_writing()
