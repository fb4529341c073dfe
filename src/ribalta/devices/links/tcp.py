"""One TCP connection that is made again whenever it breaks, never blocking."""

import errno
import select
import socket

from ribalta.core.base.back_off import BackOff
from ribalta.devices.links.addresses import Lookup
from ribalta.devices.links.link import NEVER_S

LONGEST = 4096
CONNECT_WITHIN_S = 2.0
LOOK_S = 0.05


class TcpLink:
    """See `link.Link`. What cannot be sent at once (a full or broken line) is lost: drivers ask again."""

    def __init__(self, host: str, port: int) -> None:
        self._host, self._port = host, port
        self._socket: socket.socket | None = None
        self._lookup: Lookup | None = None
        self._back_off = BackOff()
        self._begun_s: float | None = None
        self._broken: str | None = None
        self.trouble: str | None = None

    @property
    def opening(self) -> bool:
        """Is it being connected?"""
        return self._begun_s is not None

    def fileno(self) -> int:
        """See `Link`."""
        return self._socket.fileno() if self._socket is not None else -1

    def tend(self, now_s: float) -> None:
        """See `Link`."""
        if self._broken is not None:
            self._drop(self._broken, now_s)
        elif self._begun_s is not None:
            self._try_connected(now_s)
        elif self._socket is None and now_s >= self._back_off.due_s:
            self._begin(now_s)

    def _begin(self, now_s: float) -> None:
        if self._lookup is None:
            self._lookup = Lookup(self._host, self._port, socket.SOCK_STREAM)
        if self._lookup.failed is not None:
            phrase, self._lookup = self._lookup.failed, None
            self._drop(phrase, now_s)
        elif self._lookup.address is None:
            self._back_off.due_s = now_s + LOOK_S
        else:
            family, kind, protocol, address = self._lookup.address
            self._socket = socket.socket(family, kind, protocol)
            self._socket.setblocking(False)
            self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            self._begun_s = now_s
            refused = self._socket.connect_ex(address)
            if refused not in (0, errno.EINPROGRESS):
                self._drop(f"it refuses on TCP {self._port}", now_s)

    def _try_connected(self, now_s: float) -> None:
        assert self._socket is not None
        assert self._begun_s is not None
        poll = select.poll()
        poll.register(self._socket, select.POLLOUT)
        if poll.poll(0):
            error = self._socket.getsockopt(socket.SOL_SOCKET, socket.SO_ERROR)
            if error == 0:
                self._begun_s, self.trouble = None, None
                self._back_off.worked()
            elif error == errno.ECONNREFUSED:
                self._drop(f"nothing listens on TCP {self._port}", now_s)
            else:
                self._drop(f"it cannot be reached on TCP {self._port} ({errno.errorcode.get(error, error)})", now_s)
        elif now_s - self._begun_s > CONNECT_WITHIN_S:
            self._drop(f"it does not take a connection on TCP {self._port}", now_s)

    def _drop(self, phrase: str, now_s: float) -> None:
        self.close()
        self.trouble = phrase
        self._back_off.failed(now_s)

    def next_deadline_s(self) -> float:
        """See `Link`."""
        if self._broken is not None:
            return -NEVER_S
        if self._begun_s is not None:
            return self._begun_s + CONNECT_WITHIN_S + 0.001
        return NEVER_S if self._socket is not None else self._back_off.due_s

    def send(self, data: bytes) -> None:
        """See `Link`."""
        if self._socket is None or self.opening:
            return
        try:
            self._socket.send(data)
        except BlockingIOError:
            return
        except OSError as error:
            self._broken = f"the connection broke ({error.strerror or error})"

    def receive(self) -> list[bytes]:
        """See `Link`."""
        if self._socket is None or self.opening:
            return []
        try:
            data = self._socket.recv(LONGEST)
        except BlockingIOError:
            return []
        except OSError as error:
            self._broken = f"the connection broke ({error.strerror or error})"
            return []
        if not data:
            self._broken = "it closed the connection"
            return []
        return [data]

    def close(self) -> None:
        """See `Link`."""
        self._begun_s = self._broken = None
        if self._socket is not None:
            self._socket.close()
            self._socket = None

    def wait(self) -> None:
        """It has no thread."""
