"""One UDP conversation: datagrams to and from a single address, never blocking."""

import contextlib
import socket

from ribalta.core.base.back_off import BackOff
from ribalta.devices.links.addresses import Lookup
from ribalta.devices.links.link import NEVER_S

LONGEST = 2048
LOOK_S = 0.05


class UdpLink:
    """Only datagrams from the peer's own address and port come in; see `link.Link`."""

    opening = False

    def __init__(self, host: str, port: int) -> None:
        self._host, self._port = host, port
        self._socket: socket.socket | None = None
        self._lookup: Lookup | None = None
        self._back_off = BackOff(longest_s=5.0)
        self.trouble: str | None = None

    def fileno(self) -> int:
        """See `Link`."""
        return self._socket.fileno() if self._socket is not None else -1

    def tend(self, now_s: float) -> None:
        """See `Link`."""
        if self._socket is not None or now_s < self._back_off.due_s:
            return
        if self._lookup is None:
            self._lookup = Lookup(self._host, self._port, socket.SOCK_DGRAM)
        if self._lookup.failed is not None:
            self.trouble, self._lookup = self._lookup.failed, None
            self._back_off.failed(now_s)
        elif self._lookup.address is not None:
            self._open(now_s)
        else:
            self._back_off.due_s = now_s + LOOK_S

    def _open(self, now_s: float) -> None:
        assert self._lookup is not None
        assert self._lookup.address is not None
        family, kind, protocol, address = self._lookup.address
        made = socket.socket(family, kind, protocol)
        try:
            made.setblocking(False)
            made.connect(address)
        except OSError as error:
            made.close()
            self.trouble, self._lookup = f"{self._host} cannot be reached ({error.strerror or error})", None
            self._back_off.failed(now_s)
            return
        self._socket, self.trouble = made, None

    def next_deadline_s(self) -> float:
        """See `Link`."""
        return NEVER_S if self._socket is not None else self._back_off.due_s

    def send(self, data: bytes) -> None:
        """A datagram that the system will not take now is lost, as any may be on the way."""
        if self._socket is not None:
            with contextlib.suppress(OSError):
                self._socket.send(data)

    def receive(self) -> list[bytes]:
        """Everything that has arrived; a refusal from the other machine reads as nothing."""
        arrived: list[bytes] = []
        for _ in range(64):
            if self._socket is None:
                break
            try:
                arrived.append(self._socket.recv(LONGEST))
            except BlockingIOError:
                break
            except OSError:
                continue
        return arrived

    def close(self) -> None:
        """See `Link`."""
        if self._socket is not None:
            self._socket.close()
            self._socket = None

    def wait(self) -> None:
        """It has no thread."""
