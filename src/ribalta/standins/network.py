"""How a stand-in's VISCA travels: four ways in, each with the delays that real cameras have, and the faults asked for.

Datagrams may be lost, late or out of order; what comes over TCP or a serial line is only late. What is lost of a TCP
connection is sent again after a while, so there it is late, and all that follows with it.
"""

import contextlib
import heapq
import os
import random
import selectors
import socket
import threading
import time
import tty
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from ribalta.core.base.faults import LocalFault
from ribalta.standins.body import Body
from ribalta.standins.cameras import Build
from ribalta.standins.visca import Answerer

VISCA_IP_PORT, VISCA_UDP_PORT, VISCA_TCP_PORT = 52381, 1259, 5678
NAP_S, IDLE_S = 0.02, 0.1  # while a command is being done, and while none is
FAULTS_EVERY_S = 0.1


@dataclass
class _Line:
    """One conversation. `ordered`: nothing is lost or overtaken. `send` gets the bytes of one reply."""

    service: str
    build: Build
    body: Body
    answerer: Answerer
    send: Callable[[bytes], None]
    ordered: bool
    last_s: dict[bool, float] = field(default_factory=lambda: {True: 0.0, False: 0.0})


@dataclass(order=True)
class _Letter:
    """Bytes on their way: heard later, or answered later."""

    due_s: float
    order: int
    line: _Line = field(compare=False)
    data: bytes = field(compare=False)
    outgoing: bool = field(compare=False)


class Network(threading.Thread):
    """Hears and answers for all cameras. Raises LocalFault when an address is taken."""

    def __init__(self, seed: int) -> None:
        super().__init__(name="stand-in network", daemon=True)
        self._random = random.Random(seed)
        self._letters: list[_Letter] = []
        self._count = 0
        self._selector = selectors.DefaultSelector()
        self._lines: list[_Line] = []
        self._doors: list[_Door] = []
        self.stopping = False

    def add(self, build: Build, body: Body, host: str, line_path: Path) -> None:
        """Open a camera's four services at a host of its own."""
        self._doors += [
            _UdpDoor(self, build, body, host, VISCA_IP_PORT, "visca-ip"),
            _UdpDoor(self, build, body, host, VISCA_UDP_PORT, "visca-udp"),
            _TcpDoor(self, build, body, host, VISCA_TCP_PORT),
            _SerialDoor(self, build, body, line_path),
        ]
        for door in self._doors[-4:]:
            door.open()

    def run(self) -> None:
        looked_s = 0.0  # at the faults
        while not self.stopping:
            nap_s = NAP_S if any(line.answerer.is_busy for line in self._lines) else IDLE_S
            due_s = self._letters[0].due_s if self._letters else time.monotonic() + nap_s
            for key, _ in self._selector.select(min(nap_s, max(0.0, due_s - time.monotonic()))):
                with contextlib.suppress(BlockingIOError, ConnectionError, OSError):
                    key.data()
            self._deliver()
            if time.monotonic() - looked_s >= FAULTS_EVERY_S:
                looked_s = time.monotonic()
                for door in self._doors:
                    door.follow_faults()

    def close(self) -> None:
        for door in self._doors:
            door.close()
        self._selector.close()

    # For the doors

    def listen(self, thing: int | socket.socket, heard: Callable[[], None]) -> None:
        self._selector.register(thing, selectors.EVENT_READ, heard)

    def unlisten(self, thing: int | socket.socket) -> None:
        with contextlib.suppress(KeyError):
            self._selector.unregister(thing)

    def begin(self, line: _Line) -> None:
        self._lines.append(line)

    def end(self, line: _Line) -> None:
        if line in self._lines:
            self._lines.remove(line)

    def post(self, line: _Line, data: bytes, outgoing: bool) -> None:
        resent = line.service == "visca-tcp"
        way_s = line.body.faults.way_s(self._random, line.build.delay_s, line.ordered, resent)
        if way_s is None:
            return
        due_s = time.monotonic() + way_s
        if line.ordered:
            due_s = line.last_s[outgoing] = max(due_s, line.last_s[outgoing])
        self._count += 1
        heapq.heappush(self._letters, _Letter(due_s, self._count, line, data, outgoing))

    def _deliver(self) -> None:
        now_s = time.monotonic()
        while self._letters and self._letters[0].due_s <= now_s:
            letter = heapq.heappop(self._letters)
            if letter.outgoing:
                with contextlib.suppress(OSError):
                    letter.line.send(letter.data)
            else:
                for reply in letter.line.answerer.hear(letter.data, now_s):
                    self.post(letter.line, reply, outgoing=True)
        for line in self._lines:
            for reply in line.answerer.finished(now_s):
                self.post(line, reply, outgoing=True)


class _Door:
    """One service of one camera, which faults can close and open again."""

    def __init__(self, network: Network, build: Build, body: Body, service: str) -> None:
        self.network, self.build, self.body, self.service = network, build, body, service
        self.is_open = False

    def follow_faults(self) -> None:
        wanted = self.service not in self.body.faults.closed
        if wanted and not self.is_open:
            with contextlib.suppress(LocalFault):
                self.open()
        elif not wanted and self.is_open:
            self.close()

    def line(self, send: Callable[[bytes], None], bare: bool, ordered: bool) -> _Line:
        return _Line(self.service, self.build, self.body, Answerer(self.body, bare), send, ordered)

    def open(self) -> None:
        raise NotImplementedError

    def close(self) -> None:
        raise NotImplementedError


def bound(kind: int, host: str, port: int, number: int) -> socket.socket:
    """A socket at an address of loopback. Raises LocalFault when it is taken."""
    made = socket.socket(socket.AF_INET, kind)
    if kind == socket.SOCK_STREAM:
        made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        made.bind((host, port))
    except OSError as error:
        made.close()
        raise LocalFault(
            f"Stand-in camera {number} cannot have port {port} of {host}: {error.strerror}. Stop what uses it, or"
            " give another --net."
        ) from None
    made.setblocking(False)
    return made


class _UdpDoor(_Door):
    def __init__(self, network: Network, build: Build, body: Body, host: str, port: int, service: str) -> None:
        super().__init__(network, build, body, service)
        self._host, self._port = host, port
        self._socket: socket.socket | None = None
        self._line: _Line | None = None
        self._peer: tuple[str, int] = ("", 0)

    def open(self) -> None:
        made = self._socket = bound(socket.SOCK_DGRAM, self._host, self._port, self.build.number)
        self._line = self.line(lambda data: self._send(made, data), self.service == "visca-udp", ordered=False)
        self.network.listen(made, self._hear)
        self.network.begin(self._line)
        self.is_open = True

    def _send(self, made: socket.socket, data: bytes) -> None:
        if made is self._socket and self._peer[1]:
            made.sendto(data, self._peer)

    def _hear(self) -> None:
        while self._socket is not None and self._line is not None:
            data, self._peer = self._socket.recvfrom(2048)
            self.network.post(self._line, data, outgoing=False)

    def close(self) -> None:
        if self._socket is not None and self._line is not None:
            self.network.unlisten(self._socket)
            self.network.end(self._line)
            self._socket.close()
        self._socket, self.is_open = None, False


class _TcpDoor(_Door):
    def __init__(self, network: Network, build: Build, body: Body, host: str, port: int = VISCA_TCP_PORT) -> None:
        super().__init__(network, build, body, "visca-tcp")
        self._host, self._port = host, port
        self._listening: socket.socket | None = None
        self._callers: dict[socket.socket, _Line] = {}

    def open(self) -> None:
        self._listening = bound(socket.SOCK_STREAM, self._host, self._port, self.build.number)
        self._listening.listen(4)
        self.network.listen(self._listening, self._accept)
        self.is_open = True

    def _accept(self) -> None:
        assert self._listening is not None
        caller, _ = self._listening.accept()
        caller.setblocking(False)
        caller.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        line = self.line(lambda data: self._send(caller, data), bare=True, ordered=True)
        self._callers[caller] = line
        self.network.begin(line)
        self.network.listen(caller, lambda: self._hear(caller))

    def _send(self, caller: socket.socket, data: bytes) -> None:
        if caller in self._callers:
            caller.send(data)

    def _hear(self, caller: socket.socket) -> None:
        try:
            data = caller.recv(2048)
        except ConnectionError:
            data = b""
        if data:
            self.network.post(self._callers[caller], data, outgoing=False)
        else:
            self._hang_up(caller)

    def _hang_up(self, caller: socket.socket) -> None:
        self.network.unlisten(caller)
        self.network.end(self._callers.pop(caller))
        caller.close()

    def close(self) -> None:
        for caller in list(self._callers):
            self._hang_up(caller)
        if self._listening is not None:
            self.network.unlisten(self._listening)
            self._listening.close()
        self._listening, self.is_open = None, False


class _SerialDoor(_Door):
    """A pseudo-terminal; a link with a name that stays the same leads to it."""

    def __init__(self, network: Network, build: Build, body: Body, path: Path) -> None:
        super().__init__(network, build, body, "visca-serial")
        self._path = path
        self._ends: tuple[int, int] | None = None
        self._line: _Line | None = None

    def open(self) -> None:
        ours, theirs = self._ends = os.openpty()
        tty.setraw(theirs)
        os.set_blocking(ours, False)
        self._path.unlink(missing_ok=True)
        self._path.symlink_to(os.ttyname(theirs))
        self._line = self.line(lambda data: self._send(ours, data), bare=True, ordered=True)
        self.network.listen(ours, self._hear)
        self.network.begin(self._line)
        self.is_open = True

    def _send(self, ours: int, data: bytes) -> None:
        if self._ends is not None and self._ends[0] == ours:
            os.write(ours, data)

    def _hear(self) -> None:
        assert self._ends is not None
        assert self._line is not None
        self.network.post(self._line, os.read(self._ends[0], 2048), outgoing=False)

    def close(self) -> None:
        if self._ends is not None and self._line is not None:
            self.network.unlisten(self._ends[0])
            self.network.end(self._line)
            for end in self._ends:
                os.close(end)
            self._path.unlink(missing_ok=True)
        self._ends, self.is_open = None, False
