"""A message partner: another machine that logs what it is sent, over OSC, UDP, TCP and HTTP, and can send.

Its OSC is its own (Open Sound Control 1.0: strings and blobs in multiples of four bytes, big-endian numbers), so that
it does not repeat a mistake of the desk's.
"""

import contextlib
import http.server
import socket
import socketserver
import struct
import time
from collections import deque
from typing import Any

from ribalta.workers.crew import Crew, Worker

PORTS = {"osc": 9000, "udp": 9001, "tcp": 9002, "http": 9003}
KEPT, LONGEST = 1000, 4096


def osc_bytes(address: str, arguments: list[Any]) -> bytes:
    """Raises ValueError for what OSC 1.0 has no type for."""
    tags, data = ",", b""
    for value in arguments:
        if isinstance(value, bool):
            tags += "T" if value else "F"
        elif isinstance(value, int):
            tags, data = tags + "i", data + struct.pack(">i", value)
        elif isinstance(value, float):
            tags, data = tags + "f", data + struct.pack(">f", value)
        elif isinstance(value, str):
            tags, data = tags + "s", data + _string(value)
        else:
            raise ValueError(f"OSC has no type for {value!r}")
    return _string(address) + _string(tags) + data


def _string(text: str) -> bytes:
    data = text.encode() + b"\0"
    return data + b"\0" * (-len(data) % 4)


def osc_words(data: bytes) -> str:
    """A message as one line. Raises ValueError for what is none."""
    address, at = _text(data, 0)
    tags, at = _text(data, at)
    words = [address]
    for tag in tags[1:]:
        if tag in "if":
            words.append(f"{struct.unpack_from('>' + tag, data, at)[0]:g}")
            at += 4
        elif tag == "s":
            text, at = _text(data, at)
            words.append(text)
        else:
            words.append({"T": "true", "F": "false"}.get(tag, tag))
    return " ".join(words)


def _text(data: bytes, at: int) -> tuple[str, int]:
    end = data.index(b"\0", at)
    return data[at:end].decode(), end + 4 - end % 4


class Partner:
    """`heard` are the last messages with their times (CLOCK_MONOTONIC). `aloud`: they are printed too."""

    def __init__(self, host: str, aloud: bool = False) -> None:
        self._aloud = aloud
        self.heard: deque[dict[str, Any]] = deque(maxlen=KEPT)
        self._servers: list[socketserver.BaseServer] = []
        self._threads: list[Worker] = []
        partner = self

        class Datagram(socketserver.BaseRequestHandler):
            def handle(self) -> None:
                data: bytes = self.request[0]
                osc = self.server is partner._servers[0]
                try:
                    partner.note(f"osc {osc_words(data)}" if osc else f"udp {data.decode().strip()}")
                except (ValueError, struct.error):
                    partner.note(f"{len(data)} bytes")

        class Line(socketserver.StreamRequestHandler):
            def handle(self) -> None:
                while line := self.rfile.readline(LONGEST):
                    partner.note(f"tcp {line.decode('utf-8', 'replace').strip()}")
                    self.wfile.write(b"heard\n")

        class Web(http.server.BaseHTTPRequestHandler):
            def answer(self) -> None:
                size = min(LONGEST, int(self.headers.get("Content-Length") or 0))
                body = self.rfile.read(size).decode("utf-8", "replace") if size else ""
                partner.note(f"http {self.command} {self.path} {body}".strip())
                self.send_response(404 if self.path.startswith("/nothing") else 200)
                self.end_headers()
                self.wfile.write(b"heard")

            do_GET = do_POST = do_PUT = answer  # noqa: N815

            def log_message(self, *_: Any) -> None:
                return

        try:
            for name in ("osc", "udp"):
                self._begin(socketserver.UDPServer((host, PORTS[name]), Datagram))
            for name, handler in (("tcp", Line), ("http", Web)):
                self._begin(_Threading((host, PORTS[name]), handler))
        except OSError:
            self.close()
            raise

    def _begin(self, server: socketserver.BaseServer) -> None:
        thread = Crew().worker("stand-in partner", lambda: server.serve_forever(0.1))
        thread.start()
        self._servers.append(server)
        self._threads.append(thread)

    def note(self, words: str) -> None:
        self.heard.append({"at_s": time.monotonic(), "words": words})
        if self._aloud:
            print(words, flush=True)

    def obey(self, asked: dict[str, Any]) -> dict[str, Any]:
        """{"partner": "heard"}, or {"partner": "send", "wire": "osc", "host": ..., "port": ..., "address": ...,
        "arguments": [...]}; over udp and tcp a "text" goes out. Raises ValueError for anything else."""
        if asked["partner"] == "heard":
            return {"heard": list(self.heard)}
        if asked["partner"] != "send":
            raise ValueError("partner is heard or send")
        try:
            where, wire = (str(asked["host"]), int(asked["port"])), asked["wire"]
            if wire == "osc":
                self._datagram(where, osc_bytes(str(asked["address"]), list(asked.get("arguments", []))))
            elif wire == "udp":
                self._datagram(where, str(asked["text"]).encode())
            elif wire == "tcp":
                with socket.create_connection(where, 2) as line:
                    line.sendall(str(asked["text"]).encode() + b"\n")
            else:
                raise ValueError("wire is osc, udp or tcp")
        except (KeyError, TypeError, OSError) as error:
            raise ValueError(f"it could not be sent: {error}") from None
        return {"sent": True}

    @staticmethod
    def _datagram(where: tuple[str, int], data: bytes) -> None:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as one:
            one.sendto(data, where)

    def close(self) -> None:
        for server in self._servers:
            with contextlib.suppress(OSError):
                server.shutdown()
                server.server_close()
        for thread in self._threads:
            thread.join()


class _Threading(socketserver.ThreadingTCPServer):
    allow_reuse_address = True
    daemon_threads = True
