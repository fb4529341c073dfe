"""Links: TCP and serial lines that break and come back, names that are none; all through a real rig."""

import contextlib
import os
import socket
import threading
import time
import tty

import pytest

from ribalta.core.base.clock import SystemClock
from ribalta.core.base.faults import RemoteFault
from ribalta.core.ports.messages import Contact, LinkTrouble, Position
from ribalta.core.show.document.model import Camera, Control, Head, PictureSource, Protocol
from ribalta.devices.links.addresses import check_host
from ribalta.devices.rig import Rig
from ribalta.standins.body import Body
from ribalta.standins.cameras import BUILDS
from ribalta.standins.head import Head as StandInHead
from ribalta.standins.visca import Answerer
from tests.devices.test_rig import Reports


def answer_until_it_ends(read, write) -> None:
    answerer = Answerer(Body(StandInHead(BUILDS[0], time.monotonic())), bare=True)
    while data := read():
        for reply in answerer.hear(data, time.monotonic()):
            write(reply)


class TcpCamera(threading.Thread):
    """Takes one caller after another; `hang_up` ends the present one."""

    def __init__(self, port: int = 0) -> None:
        super().__init__(name="tcp camera")
        self._door = socket.create_server(("127.0.0.1", port))
        self.port = self._door.getsockname()[1]
        self._caller: socket.socket | None = None
        self.start()

    def run(self) -> None:
        while True:
            try:
                self._caller, _ = self._door.accept()
            except OSError:
                return
            with self._caller as caller, contextlib.suppress(OSError):
                answer_until_it_ends(lambda caller=caller: caller.recv(2048), caller.sendall)

    def hang_up(self) -> None:
        with contextlib.suppress(OSError):
            self._caller.shutdown(socket.SHUT_RDWR)

    def stop(self) -> None:
        self._door.shutdown(socket.SHUT_RDWR)
        if self._caller is not None:
            self.hang_up()
        self.join()
        self._door.close()


def rig_for(control: Control) -> tuple[Rig, Reports]:
    heard = Reports()
    camera = Camera(id="c1", number=1, name="One", head=Head(), control=control, picture=PictureSource())
    rig = Rig([camera], SystemClock(), heard)
    rig.start()
    return rig, heard


def test_a_tcp_camera_that_hangs_up_is_called_again():
    camera = TcpCamera()
    rig, heard = rig_for(Control(protocol=Protocol.VISCA_TCP, port=camera.port))
    try:
        heard.wait(lambda r: isinstance(r, Position))
        heard.heard.clear()
        camera.hang_up()
        heard.wait(lambda r: isinstance(r, LinkTrouble) and r.phrase == "it closed the connection")
        heard.wait(lambda r: isinstance(r, LinkTrouble) and r.phrase is None)
        heard.wait(lambda r: isinstance(r, Position))
    finally:
        rig.stop()
        camera.stop()


def test_a_tcp_camera_that_is_not_there_yet_is_found_when_it_comes():
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = taken.getsockname()[1]
    rig, heard = rig_for(Control(protocol=Protocol.VISCA_TCP, port=port))
    camera = None
    try:
        heard.wait(lambda r: r == LinkTrouble("c1", f"nothing listens on TCP {port}"))
        camera = TcpCamera(port)
        heard.wait(lambda r: isinstance(r, Position))
    finally:
        rig.stop()
        if camera is not None:
            camera.stop()


def test_a_serial_line_is_spoken_to_and_one_that_is_missing_is_said():
    ours, theirs = os.openpty()
    tty.setraw(theirs)

    def read() -> bytes:
        try:
            return os.read(ours, 2048)
        except OSError:  # the other end has closed
            return b""

    camera = threading.Thread(
        target=answer_until_it_ends, args=(read, lambda data: os.write(ours, data)), name="serial camera"
    )
    rig, heard = rig_for(Control(protocol=Protocol.VISCA_SERIAL, line=os.ttyname(theirs)))
    try:
        camera.start()
        heard.wait(lambda r: r == Contact("c1", True))
        heard.wait(lambda r: isinstance(r, Position))
    finally:
        os.close(theirs)  # not sooner: while nobody has it open, the camera's end counts as hung up
        rig.stop()
        camera.join(5)
        os.close(ours)
    rig, heard = rig_for(Control(protocol=Protocol.VISCA_SERIAL, line="/dev/no-such-line"))
    try:
        heard.wait(lambda r: isinstance(r, LinkTrouble) and "/dev/no-such-line cannot be opened" in (r.phrase or ""))
    finally:
        rig.stop()


@pytest.mark.parametrize("host", ["192.0.2.7", " kiln-cam ", "a.b.example", "::1", "cam_1.local."])
def test_addresses_and_names_are_taken(host):
    assert check_host(host) == host.strip()


@pytest.mark.parametrize("host", ["", "  ", "256.1.1.1", "1.2.3", "a b", "-x", "http://a", "a/b", "x" * 64, "a..b"])
def test_what_is_neither_an_address_nor_a_name_is_refused(host):
    with pytest.raises(RemoteFault, match=r"address"):
        check_host(host)
