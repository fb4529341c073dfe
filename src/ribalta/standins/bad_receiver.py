"""Receivers of streams that do everything wrong, each in its own way, over a real socket."""

import socket
import struct
import threading

from ribalta.workers.crew import Crew

WAYS = ("says nothing", "stops reading", "resets", "drops calls", "refuses", "hangs up")
READ_FIRST = 300_000  # bytes that it takes before it goes wrong
LOOK_S = 0.1


class BadReceiver:
    """Listens at `port` on 127.0.0.1, unless its way is to refuse or to drop calls.

    - says nothing: takes a call and never answers or reads;
    - stops reading: reads for a while, and then no more;
    - resets: reads for a while, and then resets the line;
    - drops calls: its queue of calls is full, so that no call is answered at all;
    - refuses: nothing listens there;
    - hangs up: takes a call and ends it at once.
    """

    def __init__(self, way: str) -> None:
        if way not in WAYS:
            raise ValueError(f"{way} is none of {', '.join(WAYS)}")
        self.way = way
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        self._socket.bind(("127.0.0.1", 0))
        self.port = int(self._socket.getsockname()[1])
        self._lines: list[socket.socket] = []
        self._stopping = threading.Event()
        self._thread = Crew().worker(f"receiver that {way}", self._run)
        if way == "drops calls":
            self._socket.listen(0)
            for _ in range(3):  # these fill its queue
                caller = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
                caller.setblocking(False)
                caller.connect_ex(("127.0.0.1", self.port))
                self._lines.append(caller)
        elif way != "refuses":
            self._socket.listen(8)
            self._socket.settimeout(LOOK_S)
            self._thread.start()

    def close(self) -> None:
        self._stopping.set()
        self._thread.join()
        for line in (*self._lines, self._socket):
            line.close()

    def _run(self) -> None:
        while not self._stopping.is_set():
            try:
                line, _ = self._socket.accept()
            except TimeoutError:
                continue
            self._lines.append(line)
            line.settimeout(LOOK_S)
            if self.way == "hangs up":
                line.close()
            elif self.way != "says nothing":
                self._read_and_go_wrong(line)

    def _read_and_go_wrong(self, line: socket.socket) -> None:
        taken = 0
        while taken < READ_FIRST and not self._stopping.is_set():
            try:
                data = line.recv(65536)
            except TimeoutError:
                continue
            except OSError:
                return
            if not data:
                return
            taken += len(data)
        if self.way == "resets":
            line.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))
            line.close()
