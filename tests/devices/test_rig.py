"""The rig over real UDP on loopback, with stand-in cameras answering on threads of the test."""

import socket
import threading
import time

import pytest

from ribalta.core.base.aim import Aim
from ribalta.core.base.clock import SystemClock
from ribalta.core.ports.messages import Contact, GoTo, LinkTrouble, Position
from ribalta.core.show.document.model import Camera, Control, Head
from ribalta.devices.links.udp import UdpLink
from ribalta.devices.rig import Rig
from ribalta.standins.body import Body
from ribalta.standins.cameras import BUILDS
from ribalta.standins.head import Head as StandInHead
from ribalta.standins.visca import Answerer


class LoopbackCamera(threading.Thread):
    """Answers on a UDP port at once, until it is stopped."""

    def __init__(self) -> None:
        super().__init__(name="loopback camera")
        self.head = StandInHead(BUILDS[0], time.monotonic())
        self.answerer = Answerer(Body(self.head))
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.bind(("127.0.0.1", 0))
        self.port = self._socket.getsockname()[1]
        self.start()

    def run(self) -> None:
        while True:
            data, address = self._socket.recvfrom(2048)
            if data == b"stop":
                return
            for reply in self.answerer.hear(data, time.monotonic()):
                self._socket.sendto(reply, address)

    def stop(self) -> None:
        self._socket.sendto(b"stop", ("127.0.0.1", self.port))
        self.join()
        self._socket.close()


class Reports:
    """What a rig reported, and a way to wait for something among it."""

    def __init__(self) -> None:
        self.heard: list[object] = []
        self._news = threading.Condition()

    def __call__(self, report: object) -> None:
        with self._news:
            self.heard.append(report)
            self._news.notify_all()

    def wait(self, true) -> None:
        with self._news:
            assert self._news.wait_for(lambda: any(true(r) for r in self.heard), 10), self.heard[-5:]


def camera(number: int, port: int, host: str = "127.0.0.1") -> Camera:
    return Camera(
        id=f"c{number}", number=number, name=f"Camera {number}", head=Head(), control=Control(host=host, port=port)
    )


@pytest.fixture
def pair():
    cameras = [LoopbackCamera(), LoopbackCamera()]
    yield cameras
    for one in cameras:
        one.stop()


def test_two_cameras_are_reached_each_is_sent_its_own_way_and_reports_it(pair):
    heard = Reports()
    fixed = Camera(id="c9", number=9, name="Fixed")
    rig = Rig([camera(1, pair[0].port), camera(2, pair[1].port), fixed], SystemClock(), heard)
    rig.start()
    try:
        for name in ("c1", "c2"):
            heard.wait(lambda r, name=name: r == Contact(name, True))
        rig.send(GoTo("c1", Aim(4.0, -2.0, 0.1)))
        rig.send(GoTo("c2", Aim(-5.0, 3.0, 0.2)))
        for name, pan in (("c1", 4.0), ("c2", -5.0)):
            heard.wait(
                lambda r, name=name, pan=pan: isinstance(r, Position) and r.camera_id == name and r.aim.pan_deg == pan
            )
    finally:
        rig.stop()
    assert (pair[0].head.goal().tilt_deg, pair[1].head.goal().zoom) == (-2.0, pytest.approx(0.2, abs=1e-4))


def test_of_many_wishes_the_last_one_is_fulfilled(pair):
    heard = Reports()
    rig = Rig([camera(1, pair[0].port)], SystemClock(), heard)
    rig.start()
    try:
        heard.wait(lambda r: r == Contact("c1", True))
        for k in range(300):
            rig.send(GoTo("c1", Aim(0.01 * k, 0.0, 0.0)))
        heard.wait(lambda r: isinstance(r, Position) and r.aim.pan_deg == 2.99)
    finally:
        rig.stop()


def test_one_camera_at_a_wrong_address_does_not_take_the_others_away(pair):
    heard = Reports()
    rig = Rig([camera(1, 5, "no-such-host.invalid"), camera(2, pair[0].port)], SystemClock(), heard)
    rig.start()
    try:
        heard.wait(lambda r: r == Contact("c2", True))
        rig.send(GoTo("c1", Aim(1, 1, 0)))  # asked of a camera that is not there
        rig.send(GoTo("c2", Aim(1.5, 0, 0)))
        heard.wait(lambda r: isinstance(r, Position) and r.aim.pan_deg == 1.5)
    finally:
        rig.stop()
    heard.wait(lambda r: isinstance(r, LinkTrouble) and r.camera_id == "c1" and "no-such-host" in (r.phrase or ""))


def test_nobody_at_a_port_is_silence_and_not_an_error():
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as unused:
        unused.bind(("127.0.0.1", 0))
        port = unused.getsockname()[1]
    link = UdpLink("127.0.0.1", port)
    link.tend(0.0)
    for _ in range(3):
        link.send(b"hello")
        assert link.receive() == []
    link.close()


def test_only_the_cameras_own_address_is_listened_to(pair):
    link = UdpLink("127.0.0.1", pair[0].port)
    link.tend(0.0)
    own = ("127.0.0.1", link._socket.getsockname()[1])
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as stranger:
        stranger.sendto(b"\x01\x11\x00\x03\x00\x00\x00\x01\x90\x41\xff", own)
    assert link.receive() == []
    link.close()
