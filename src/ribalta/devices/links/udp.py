"""One UDP conversation: datagrams to and from a single address, never blocking."""

import contextlib
import socket

from ribalta.core.base.faults import RemoteFault

LONGEST = 2048


class UdpLink:
    """Only datagrams from the peer's own address and port come in. Raises RemoteFault for an unknown host."""

    def __init__(self, host: str, port: int) -> None:
        try:
            family, kind, protocol, _, address = socket.getaddrinfo(host, port, type=socket.SOCK_DGRAM)[0]
            self._socket = socket.socket(family, kind, protocol)
            self._socket.setblocking(False)
            self._socket.connect(address)
        except OSError as error:
            raise RemoteFault(f"{host} port {port} cannot be reached: {error.strerror or error}.") from None

    def fileno(self) -> int:
        return self._socket.fileno()

    def send(self, data: bytes) -> None:
        """A datagram that the system will not take now is lost, as any may be on the way."""
        with contextlib.suppress(OSError):
            self._socket.send(data)

    def receive(self) -> list[bytes]:
        """Everything that has arrived; a refusal from the other machine reads as nothing."""
        arrived = []
        for _ in range(64):
            try:
                arrived.append(self._socket.recv(LONGEST))
            except BlockingIOError:
                break
            except OSError:
                continue
        return arrived

    def close(self) -> None:
        self._socket.close()
