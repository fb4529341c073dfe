"""Small live pictures for guests: each camera is encoded once for each size, however many watch, and none that nobody
sees."""

import struct
import time
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, Protocol

import cv2

from ribalta.core.picture.colours import image_of
from ribalta.core.picture.planes import Picture

SIZES: Mapping[str, tuple[int, int]] = {"small": (320, 180), "large": (640, 360)}
QUALITY = {"small": 62, "large": 72}
EVERY_S = {"small": 0.07, "large": 0.03}  # a little less than two frames of a camera, and one
HEAD = struct.Struct("<4sBxxxIxxxxd")  # "RBLT", size (0 small, 1 large), number, when it was captured (clock time)
PROGRAM = "program"


def place(what: str, size: str) -> str:
    """The name under which the server is asked for it."""
    return f"{what}@{size}"


class PacketEncoder(Protocol):
    """See `streams.Encoder`."""

    def want_key(self) -> None: ...
    def encode(self, picture: Picture, sent_s: float) -> Sequence[Any]: ...


@dataclass
class Encoded:
    """The newest JPEG of one place."""

    number: int = 0
    captured_s: float = 0.0
    data: bytes = b""
    done_s: float = 0.0
    busy: bool = False


class Encodings:
    """One thread asks (`look`, `stream`); encoding is done beside it. `encoder` makes one for packets of a size."""

    def __init__(self, encoder: Callable[[str], PacketEncoder]) -> None:
        self._pool = ThreadPoolExecutor(1, "guests' pictures")
        self._made: dict[str, Encoded] = {}
        self._encoder = encoder
        self._streams: dict[str, tuple[PacketEncoder, Encoded]] = {}

    def newest(self, where: str) -> Encoded | None:
        """What there is of a place, if somebody has watched it lately."""
        return self._made.get(where)

    def look(
        self,
        watched: Mapping[str, str],
        pictures: Mapping[str, Picture],
        captured_s: Mapping[str, float],
        made: Callable[[str], None],
    ) -> None:
        """`watched`: places with their size. What is new is encoded, and `made` is called with its place."""
        for where in list(self._made):
            if where not in watched:
                del self._made[where]
        now_s = time.monotonic()
        for where, size in watched.items():
            one = self._made.setdefault(where, Encoded())
            at_s = captured_s.get(where, 0.0)
            if one.busy or now_s - one.done_s < EVERY_S[size] or (at_s and at_s == one.captured_s):
                continue
            picture = pictures.get(where)
            if picture is None:
                continue
            one.busy, one.done_s = True, now_s
            self._pool.submit(self._encode, where, one, picture, at_s, size, made)

    def _encode(
        self, where: str, one: Encoded, picture: Picture, at_s: float, size: str, made: Callable[[str], None]
    ) -> None:
        try:
            done, data = cv2.imencode(".jpg", image_of(picture), [cv2.IMWRITE_JPEG_QUALITY, QUALITY[size]])
            if done:
                one.number, one.captured_s = one.number + 1, at_s
                one.data = data.tobytes()
        finally:
            one.busy = False
        made(where)

    def want_key(self, where: str) -> None:
        """Somebody begins to watch the packets of a place."""
        found = self._streams.get(where)
        if found is not None:
            found[0].want_key()

    def stream(
        self,
        watched: Mapping[str, str],
        pictures: Mapping[str, Picture],
        captured_s: Mapping[str, float],
        made: Callable[[str, Sequence[Any], float], None],
    ) -> None:
        """The same as packets: `made` is called with a place, its next ones, and how old they are (s)."""
        for where in self._streams.keys() - watched.keys():
            del self._streams[where]
        now_s = time.monotonic()
        for where, size in watched.items():
            if where not in self._streams:
                self._streams[where] = self._encoder(size), Encoded()
            encoder, one = self._streams[where]
            at_s, picture = captured_s.get(where, now_s), pictures.get(where)  # program is as it is now
            if picture is None or one.busy or now_s - one.done_s < EVERY_S[size] or at_s == one.captured_s:
                continue
            one.busy, one.done_s, one.captured_s = True, now_s, at_s
            self._pool.submit(self._encode_packets, where, encoder, one, picture, made)

    def _encode_packets(
        self,
        where: str,
        encoder: PacketEncoder,
        one: Encoded,
        picture: Picture,
        made: Callable[[str, Sequence[Any], float], None],
    ) -> None:
        try:
            packets = encoder.encode(picture, time.monotonic())
        finally:
            one.busy = False
        made(where, packets, time.monotonic() - one.captured_s)

    def close(self) -> None:
        """Nothing more is encoded."""
        self._pool.shutdown(cancel_futures=True)


def packed(size: str, one: Encoded, what: str) -> bytes:
    """As it goes to a page: a head, the camera's id, the JPEG."""
    name = what.encode()[:60]
    head = HEAD.pack(b"RBLT", list(SIZES).index(size), one.number, one.captured_s)
    return head + bytes([len(name)]) + name + one.data
