"""Which picture a camera that was found has, asked of servers that answer, refuse, hang, flood or lie."""

import contextlib
import socket
import threading

import pytest

from ribalta.core.base.hosts import split_port
from ribalta.core.engine.dryrun.rehearsal import all_there
from ribalta.core.engine.loop import Engine
from ribalta.core.show.document.model import PictureKind, Show
from ribalta.devices import picture_search
from ribalta.devices.picture_search import FoundPicture, rtsp_picture

SDP = "v=0\r\nm=video 0 RTP/AVP 96\r\n"


def answer(status: str, body: str = "", lie: int | None = None) -> bytes:
    length = len(body) if lie is None else lie
    return f"RTSP/1.0 {status}\r\nCSeq: 1\r\nContent-Length: {length}\r\n\r\n{body}".encode()


class Server:
    """Answers each path as it is told; None: it says nothing."""

    def __init__(self, paths: dict[str, bytes | None], other: bytes | None) -> None:
        self.paths, self.other, self.asked = paths, other, list[str]()
        self._door = socket.create_server(("127.0.0.1", 0))
        self.port = self._door.getsockname()[1]
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._run)
        self._thread.start()

    def _run(self) -> None:
        self._door.settimeout(0.05)
        while not self._over.is_set():
            with contextlib.suppress(TimeoutError):
                line, _ = self._door.accept()
                with line, contextlib.suppress(OSError):
                    path = "/" + line.recv(4096).decode().split()[1].split("/", 3)[3]
                    self.asked.append(path)
                    said = self.paths.get(path, self.other)
                    if said is None:
                        self._over.wait(1.2)
                    else:
                        line.sendall(said)

    def close(self) -> None:
        self._over.set()
        self._thread.join()
        self._door.close()


@pytest.fixture
def server():
    made = []

    def make(paths: dict[str, bytes | None], other: bytes | None = answer("404 Not Found")) -> Server:
        made.append(Server(paths, other))
        return made[-1]

    yield make
    for one in made:
        one.close()


def test_the_usual_path_that_has_video_is_offered_and_one_with_sound_alone_is_not(server):
    one = server({"/1": answer("200 OK", "v=0\r\nm=audio 0 RTP/AVP 0\r\n"), "/live": answer("200 OK", SDP)})
    assert rtsp_picture("127.0.0.1", one.port) == FoundPicture(f"rtsp://127.0.0.1:{one.port}/live")
    assert one.asked.index("/live") == len(one.asked) - 1


def test_one_that_wants_a_login_is_offered_with_that(server):
    one = server({}, answer("401 Unauthorized"))
    assert rtsp_picture("127.0.0.1", one.port) == FoundPicture(f"rtsp://127.0.0.1:{one.port}/", True)


@pytest.mark.parametrize(
    "said",
    [None, b"", b"\x00" * 40000, b"HTTP/1.1 200 OK\r\n\r\n" + SDP.encode(), b"RTSP/1.0 \xff\xff\r\n\r\n",
     answer("200 OK", "nothing", lie=10**9), b"RTSP/1.0 200 OK\r\n" + b"X: y\r\n" * 9000],
)  # fmt: skip
def test_what_is_no_answer_is_no_picture_and_ends_soon(server, said, monkeypatch):
    monkeypatch.setattr(picture_search, "ANSWER_WITHIN_S", 0.1)
    assert rtsp_picture("127.0.0.1", server({}, said).port, ("/", "/1")) == FoundPicture()


@pytest.mark.parametrize(
    ("text", "host", "port"),
    [("192.168.1.20:5678", "192.168.1.20", 5678), ("cam-2:80", "cam-2", 80), ("192.168.1.20", "192.168.1.20", None),
     ("192.168.1.20:99999", "192.168.1.20:99999", None), ("fe80::1", "fe80::1", None), (":80", ":80", None)],
)  # fmt: skip
def test_an_address_with_its_port_is_an_address(text, host, port):
    assert split_port(text) == (host, port)
    engine = Engine(all_there(Show()))
    ran = engine.act("camera.add", {"protocol": "visca-tcp", "host": text}, 1.0)
    control = engine.state.show.cameras[0].control if engine.state.show.cameras else None
    if port is not None:
        assert not ran.refused
        assert (control.host, control.port) == (host, port)


def test_a_camera_is_added_with_its_picture_and_all_that_were_found_are_one_edit():
    engine = Engine(all_there(Show()))
    calls = [
        {"action": "camera.add", "arguments": {"protocol": "onvif", "host": f"10.0.0.{k}", "port": 80,
                                               "picture": f"rtsp://10.0.0.{k}:554/1"}}
        for k in range(1, 9)
    ]  # fmt: skip
    assert not engine.act("edit.together", {"calls": calls, "what": "added 8 cameras"}, 1.0).refused
    show = engine.state.show
    assert [c.number for c in show.cameras] == list(range(1, 9))
    assert {c.picture.kind for c in show.cameras} == {PictureKind.STREAM}
    assert show.cameras[7].picture.name == "rtsp://10.0.0.8:554/1"
    engine.act("edit.undo", {}, 2.0)
    assert engine.state.show.cameras == ()
