"""A stand-in camera's web server: its pictures as MJPEG, and its ONVIF services.

Addresses: http://HOST:8080/picture/main and /small; http://HOST:8080/onvif/... (see `onvif.py`).
"""

import http.server
import random
import threading
from typing import Any

import cv2
from av.video.frame import VideoFrame

from ribalta.standins.faults import RESENT_AFTER_S, Faults
from ribalta.standins.onvif.services import OnvifServices
from ribalta.standins.sensor import as_seen
from ribalta.standins.showing import Showing
from ribalta.workers.crew import Crew

BOUNDARY = "picture"
LONGEST_REQUEST = 65536
QUALITY = [cv2.IMWRITE_JPEG_QUALITY, 85]


def jpeg(frame: VideoFrame) -> bytes:
    return cv2.imencode(".jpg", as_seen(frame), QUALITY)[1].tobytes()


def late_s(faults: Faults) -> float:
    """How late an answer is: on a connection, what is lost on the way is sent again after a while."""
    again_s = RESENT_AFTER_S * (random.random() * 100 < faults.loss_percent)
    return (faults.delay_ms + random.random() * faults.jitter_ms) / 1000 + again_s


class _Talk(http.server.BaseHTTPRequestHandler):
    server: "WebServer"
    protocol_version = "HTTP/1.1"

    def log_message(self, format: str, *args: Any) -> None:
        """Nothing: standard output is for the announcement."""

    def do_GET(self) -> None:
        stream = {"/picture/main": 0, "/picture/small": 1}.get(self.path.partition("?")[0])
        faults = self.server.faults()
        if stream is None or "picture" in faults.closed:
            self.send_error(404)
        elif faults.refuse_login:
            self.send_response(401)
            self.send_header("WWW-Authenticate", 'Basic realm="camera"')
            self.send_header("Content-Length", "0")
            self.end_headers()
        else:
            self._stream(stream)

    def _stream(self, stream: int) -> None:
        self.close_connection = True
        self.send_response(200)
        self.send_header("Content-Type", f"multipart/x-mixed-replace; boundary={BOUNDARY}")
        self.end_headers()
        number = -1
        try:
            while (found := self.server.showing.wait(stream, number, self._goes_on)) is not None:
                number, data = found[0], jpeg(found[1])
                head = f"--{BOUNDARY}\r\nContent-Type: image/jpeg\r\nContent-Length: {len(data)}\r\n\r\n"
                self.wfile.write(head.encode() + data + b"\r\n")
        except OSError:
            return

    def _goes_on(self) -> bool:
        faults = self.server.faults()
        return not (self.server.ending or faults.refuse_login or "picture" in faults.closed)

    def do_POST(self) -> None:
        services, faults = self.server.services, self.server.faults()
        size = int(self.headers.get("Content-Length") or 0)
        if services is None or "onvif" in faults.closed or not 0 < size <= LONGEST_REQUEST:
            self.send_error(404)
            return
        asked = self.rfile.read(size)
        if faults.silence:
            self.server.wait_for_end(10.0)
            self.close_connection = True
            return
        self.server.wait_for_end(late_s(faults))
        status, answer = services.answer(asked)
        self.send_response(status)
        self.send_header("Content-Type", "application/soap+xml; charset=utf-8")
        self.send_header("Content-Length", str(len(answer)))
        self.end_headers()
        self.wfile.write(answer)


class WebServer(http.server.ThreadingHTTPServer):
    """`services` is None for a camera without ONVIF."""

    daemon_threads = True

    def __init__(self, host: str, port: int, showing: Showing, services: OnvifServices | None) -> None:
        super().__init__((host, port), _Talk)
        self.showing, self.services = showing, services
        self._end = threading.Event()
        self._thread = Crew().worker("stand-in web", lambda: self.serve_forever(0.1))
        self._thread.start()

    @property
    def ending(self) -> bool:
        return self._end.is_set()

    def wait_for_end(self, seconds: float) -> None:
        if seconds > 0:
            self._end.wait(seconds)

    def faults(self) -> Faults:
        return self.showing.body.faults if self.showing.body is not None else Faults()

    def handle_error(self, request: object, client_address: object) -> None:
        """A caller that goes away is nothing to talk about."""

    def end(self) -> None:
        self._end.set()
        self.shutdown()
        self.server_close()
        self._thread.join()
