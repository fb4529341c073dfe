"""A small RTSP server for one camera: H.264 over RTP, interleaved in the TCP connection.

Addresses: rtsp://HOST:8554/main and /small. Sources: RFC 2326 (RTSP), RFC 3550 (RTP), RFC 6184 (H.264 over RTP).
"""

import base64
import random
import socketserver
import struct
import threading
import time
from collections.abc import Iterator
from fractions import Fraction
from urllib.parse import urlsplit

import av
from av.video.codeccontext import VideoCodecContext
from av.video.frame import VideoFrame

from ribalta.standins.faults import Faults
from ribalta.standins.showing import Showing
from ribalta.workers.crew import Crew, Worker

RTSP_PORT = 8554
LONGEST_PAYLOAD = 1400
CLOCK = 90_000
START = b"\x00\x00\x01"
STREAMS = {"main": 0, "small": 1}


def encoder(width: int, height: int) -> VideoCodecContext:
    """Low delay: no frames held back, a key frame each second."""
    codec = av.CodecContext.create("libx264", "w")
    codec.width, codec.height, codec.pix_fmt = width, height, "yuv420p"
    codec.time_base, codec.framerate = Fraction(1, CLOCK), Fraction(25)
    codec.thread_count = 1
    codec.colorspace, codec.color_range = 1, 1  # BT.709, limited range, as cameras send it
    codec.options = {"preset": "ultrafast", "tune": "zerolatency", "crf": "20", "g": "25"}
    return codec


def units(data: bytes) -> Iterator[bytes]:
    """The NAL units between start codes."""
    for part in data.replace(b"\x00" + START, START).split(START):
        if part:
            yield part


def payloads(unit: bytes) -> Iterator[tuple[bytes, bool]]:
    """RTP payloads of one NAL unit, whole or in fragments (FU-A), and whether each is the unit's last."""
    if len(unit) <= LONGEST_PAYLOAD:
        yield unit, True
        return
    indicator, kind = unit[0] & 0xE0 | 28, unit[0] & 0x1F
    pieces = [unit[i : i + LONGEST_PAYLOAD] for i in range(1, len(unit), LONGEST_PAYLOAD)]
    for k, piece in enumerate(pieces):
        first, last = k == 0, k == len(pieces) - 1
        yield bytes((indicator, first << 7 | last << 6 | kind)) + piece, last


class _Talk(socketserver.StreamRequestHandler):
    server: "RtspServer"

    def handle(self) -> None:
        self._lock = threading.Lock()
        self._playing: Worker | None = None
        self._gone = False
        try:
            while (request := self._read()) is not None:
                method, address, headers = request
                name = urlsplit(address).path.strip("/").partition("/")[0]
                if not self._answer(method, headers.get("cseq", "0"), headers, STREAMS.get(name)):
                    break
        except (OSError, ValueError):
            pass
        self._gone = True
        if self._playing is not None:
            self._playing.join()

    def _read(self) -> tuple[str, str, dict[str, str]] | None:
        first = self.rfile.read(1)
        while first == b"$":  # a report of the receiver, between requests
            size = struct.unpack(">xH", self.rfile.read(3))[0]
            self.rfile.read(size)
            first = self.rfile.read(1)
        line = first + self.rfile.readline(4096)
        if not line:
            return None
        method, address, _ = line.decode("latin-1").split(" ", 2)
        headers: dict[str, str] = {}
        while (text := self.rfile.readline(4096).decode("latin-1").strip()) != "":
            name, _, value = text.partition(":")
            headers[name.strip().lower()] = value.strip()
        return method, address, headers

    def _answer(self, method: str, sequence: str, headers: dict[str, str], stream: int | None) -> bool:
        faults = self.server.faults()
        if "picture" in faults.closed:
            return False
        if faults.refuse_login and method != "OPTIONS":
            self._say("401 Unauthorized", sequence, {"WWW-Authenticate": 'Basic realm="camera"'})
            return True
        if method == "OPTIONS":
            self._say("200 OK", sequence, {"Public": "OPTIONS, DESCRIBE, SETUP, PLAY, TEARDOWN"})
        elif stream is None:
            self._say("404 Not Found", sequence, {})
        elif method == "DESCRIBE":
            text = self._description(stream)
            self._say("200 OK", sequence, {"Content-Type": "application/sdp"}, text)
        elif method == "SETUP":
            if "interleaved" not in headers.get("transport", ""):
                self._say("461 Unsupported Transport", sequence, {})
            else:
                transport = "RTP/AVP/TCP;unicast;interleaved=0-1"
                self._say("200 OK", sequence, {"Transport": transport, "Session": "1"})
        elif method == "PLAY":
            self._say("200 OK", sequence, {"Session": "1"})
            self._playing = Crew().worker("stand-in rtsp", lambda: self._play(stream))
            self._playing.start()
        elif method == "TEARDOWN":
            self._say("200 OK", sequence, {"Session": "1"})
            return False
        else:
            self._say("200 OK", sequence, {"Session": "1"})
        return True

    def _say(self, status: str, sequence: str, headers: dict[str, str], text: str = "") -> None:
        lines = [f"RTSP/1.0 {status}", f"CSeq: {sequence}", *(f"{k}: {v}" for k, v in headers.items())]
        if text:
            lines.append(f"Content-Length: {len(text)}")
        with self._lock:
            self.wfile.write(("\r\n".join(lines) + "\r\n\r\n" + text).encode())

    def _description(self, stream: int) -> str:
        found = self.server.showing.wait(stream, -1, lambda: not self.server.ending)
        assert found is not None
        width, height = found[1].width, found[1].height
        codec = encoder(width, height)
        heads = [u for p in codec.encode(_timed(found[1], 0)) for u in units(bytes(p)) if u[0] & 0x1F in (7, 8)]
        sets = ",".join(base64.b64encode(u).decode() for u in heads)
        return "\r\n".join(
            [
                "v=0", "o=- 1 1 IN IP4 127.0.0.1", "s=stand-in", "c=IN IP4 0.0.0.0", "t=0 0", "m=video 0 RTP/AVP 96",
                "a=rtpmap:96 H264/90000", f"a=fmtp:96 packetization-mode=1;sprop-parameter-sets={sets}",
                "a=control:track1", "",
            ]
        )  # fmt: skip

    def _play(self, stream: int) -> None:
        codec: VideoCodecContext | None = None
        start_s, sequence, number = time.monotonic(), random.getrandbits(15), -1
        try:
            while (found := self.server.showing.wait(stream, number, self._goes_on)) is not None:
                number, frame = found
                codec = codec or encoder(frame.width, frame.height)
                at = int((time.monotonic() - start_s) * CLOCK)
                for packet in codec.encode(_timed(frame, at)):
                    sequence = self._send(bytes(packet), at, sequence)
        except (OSError, ValueError, av.error.FFmpegError):
            self._gone = True

    def _goes_on(self) -> bool:
        faults = self.server.faults()
        return not (self._gone or self.server.ending or "picture" in faults.closed or faults.refuse_login)

    def _send(self, data: bytes, at: int, sequence: int) -> int:
        out = bytearray()
        whole = list(units(data))
        for k, unit in enumerate(whole):
            for payload, last in payloads(unit):
                marker = 0x80 if last and k == len(whole) - 1 else 0
                header = struct.pack(">BBHII", 0x80, marker | 96, sequence & 0xFFFF, at & 0xFFFFFFFF, 0x52494241)
                out += b"$\x00" + struct.pack(">H", len(header) + len(payload)) + header + payload
                sequence += 1
        with self._lock:
            self.wfile.write(out)
        return sequence


def _timed(frame: VideoFrame, at: int) -> VideoFrame:
    frame.pts, frame.time_base = at, Fraction(1, CLOCK)
    return frame


class RtspServer(socketserver.ThreadingTCPServer):
    """One camera's pictures at an address of loopback."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, host: str, port: int, showing: Showing) -> None:
        super().__init__((host, port), _Talk)
        self.showing = showing
        self.ending = False
        self._thread = Crew().worker("stand-in rtsp", lambda: self.serve_forever(0.1))
        self._thread.start()

    def faults(self) -> Faults:
        return self.showing.body.faults if self.showing.body is not None else Faults()

    def handle_error(self, request: object, client_address: object) -> None:
        """A caller that goes away is nothing to talk about."""

    def end(self) -> None:
        self.ending = True
        self.shutdown()
        self.server_close()
        self._thread.join()
