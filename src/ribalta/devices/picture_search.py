"""Which address gives the picture of a camera that was found: what ONVIF names, or the usual paths of an RTSP server.

Source: RFC 2326, DESCRIBE. Each question has a limit of time; asked only when somebody looks for cameras.
"""

import contextlib
import socket
from dataclasses import dataclass

from ribalta.devices.probing import CONNECT_WITHIN_S, onvif_login

ANSWER_WITHIN_S, LONGEST_ANSWER = 1.0, 16384
USUAL_PATHS = ("/", "/1", "/main", "/live", "/live/main", "/stream", "/stream1", "/video", "/video1", "/h264", "/media")


@dataclass(frozen=True, slots=True)
class FoundPicture:
    """`address` is empty when none answered; `locked`: it needs a user and a password."""

    address: str = ""
    locked: bool = False


def rtsp_picture(host: str, port: int, paths: tuple[str, ...] = USUAL_PATHS) -> FoundPicture:
    """The first of the usual paths at which an RTSP server has a video stream."""
    locked = ""
    where = f"[{host}]" if ":" in host else host
    for path in paths:
        address = f"rtsp://{where}:{port}{path}"
        status, body = _describe(host, port, address)
        if status == 200 and "m=video" in body:
            return FoundPicture(address)
        if status == 401 and not locked:
            locked = address
        if status == 0:
            break
    return FoundPicture(locked, bool(locked))


def onvif_picture(host: str, port: int) -> FoundPicture:
    """What a device with ONVIF names without a login; nothing when it wants one."""
    trouble, address = onvif_login(host, port, "", "")
    return FoundPicture(address if trouble is None else "")


def _describe(host: str, port: int, address: str) -> tuple[int, str]:
    """The status of the answer, 0 for none, and what it says."""
    question = f"DESCRIBE {address} RTSP/1.0\r\nCSeq: 1\r\nAccept: application/sdp\r\nUser-Agent: Ribalta\r\n\r\n"
    kind = socket.AF_INET6 if ":" in host else socket.AF_INET
    heard = b""
    with socket.socket(kind, socket.SOCK_STREAM) as line, contextlib.suppress(OSError):
        line.settimeout(CONNECT_WITHIN_S)
        line.connect((host, port))
        line.settimeout(ANSWER_WITHIN_S)
        line.sendall(question.encode())
        while len(heard) < LONGEST_ANSWER and not _is_whole(heard):
            more = line.recv(4096)
            if not more:
                break
            heard += more
    text = heard.decode("latin-1")
    words = text.split(None, 2)
    if len(words) < 2 or not words[0].startswith("RTSP/") or not words[1].isdigit():
        return 0, ""
    return int(words[1]), text


def _is_whole(heard: bytes) -> bool:
    head, sign, body = heard.partition(b"\r\n\r\n")
    if not sign:
        return False
    for line in head.split(b"\r\n"):
        name, _, value = line.partition(b":")
        if name.strip().lower() == b"content-length" and value.strip().isdigit():
            return len(body) >= int(value)
    return True
