"""Names to addresses without waiting: numbers at once, names on a thread of their own."""

import socket

from ribalta.core.base.faults import RemoteFault
from ribalta.core.base.hosts import is_host
from ribalta.workers.crew import Crew

Address = tuple[int, int, int, tuple[str, int]]  # family, kind, protocol, socket address


def check_host(host: str) -> str:
    """The host as typed, trimmed. Raises RemoteFault when it is neither an address nor a name."""
    host = host.strip()
    if not host:
        raise RemoteFault("An address is missing: type one such as 192.168.1.20.")
    if not is_host(host):
        raise RemoteFault(f"“{host}” is not an address: type one such as 192.168.1.20, or a name.")
    return host


class Lookup:
    """Looks one name up. `address` is None until it is known; `failed` says why it never will be."""

    def __init__(self, host: str, port: int, kind: int) -> None:
        self.address: Address | None = None
        self.failed: str | None = None
        try:
            check_host(host)
        except RemoteFault as fault:
            self.failed = str(fault)
            return
        try:
            self._ask(host, port, kind, socket.AI_NUMERICHOST)
        except OSError:
            Crew().begin(f"lookup {host}", lambda: self._ask_names(host, port, kind))

    def _ask(self, host: str, port: int, kind: int, flags: int) -> None:
        family, kind, protocol, _, address = socket.getaddrinfo(host, port, type=kind, flags=flags)[0]
        self.address = (family, kind, protocol, (str(address[0]), int(address[1])))

    def _ask_names(self, host: str, port: int, kind: int) -> None:
        try:
            self._ask(host, port, kind, 0)
        except OSError as error:
            self.failed = f"there is no machine called “{host}” ({error.strerror or error})"
