"""A full desk on another machine: attached through the guests' door, with its role, its seat, its pictures, and a line
that may be lost."""

import asyncio
import socket
import tempfile
import threading
import time
from pathlib import Path

import pytest

from ribalta.app.station import LineProcess, fingerprint_of
from ribalta.attach import runtime_folder
from ribalta.attach.remote_show import RemoteShow
from ribalta.core.base.codes import hashed, new_code
from ribalta.core.base.faults import LocalFault, RibaltaFault
from ribalta.core.ports.causes import By, Cause
from ribalta.core.ports.messages import Notice
from ribalta.core.show.files import storage
from ribalta.remote.guests.station_line import StationLine
from ribalta.server.desks.desk_port import DeskPort
from ribalta.server.session import Session
from tests.remote.guests.browser import free_port
from tests.server.test_desk_port import until
from tests.server.test_session import fixed_only

pytestmark = pytest.mark.real_time


class Between:
    """A line between station and door that can be cut: nothing goes through, and nobody is told."""

    def __init__(self, port: int) -> None:
        self._to, self.cut, self._stopping = port, False, False
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.port = self._listening.getsockname()[1]
        self._ends: list[socket.socket] = []
        self._threads = [threading.Thread(target=self._accept)]
        self._threads[0].start()

    def _accept(self) -> None:
        while not self._stopping:
            try:
                near, _ = self._listening.accept()
                far = socket.create_connection(("127.0.0.1", self._to))
            except OSError:
                return
            self._ends += [near, far]
            for a, b in ((near, far), (far, near)):
                self._threads.append(threading.Thread(target=self._pump, args=(a, b)))
                self._threads[-1].start()

    def _pump(self, a: socket.socket, b: socket.socket) -> None:
        pause = threading.Event()
        was_cut = False
        while not self._stopping:
            try:
                a.settimeout(0.1)
                data = a.recv(65536)
            except TimeoutError:
                continue
            except OSError:
                break
            while self.cut and not self._stopping:
                was_cut = True
                pause.wait(0.01)
            if not data or was_cut:
                break
            try:
                b.sendall(data)
            except OSError:
                break
        for end in (a, b):
            try:
                end.shutdown(socket.SHUT_RDWR)
            except OSError:
                continue

    def close(self) -> None:
        self._stopping = True
        self._listening.shutdown(socket.SHUT_RDWR)
        self._listening.close()
        for end in self._ends:
            end.close()
        for thread in self._threads:
            thread.join()


class Stage:
    """A show with its door, and a desk of its own."""

    def __init__(self, folder: Path) -> None:
        path = folder / "show.ribalta"
        storage.save(path, fixed_only())
        self.session = Session(storage.load(path), path)
        self.port = DeskPort(self.session, runtime_folder.meeting_of(path))
        self.session.start()
        self.port.start()
        self.director = RemoteShow(self.port.meeting.path)
        self.director.act("guests.open", {"on": True, "port": free_port()})
        until(lambda: self.director.outside.guests.door.addresses, 20)
        self.between = Between(self.director.state.guests.port)

    def invite(self, role: str, name: str = "Bram", cameras: tuple[int, ...] = ()) -> str:
        code = new_code()
        self.director.act("guest.invite", {"name": name, "role": role, "code": hashed(code), "cameras": cameras})
        until(lambda: any(i.code == hashed(code) for i in self.director.state.guests.invitations.values()))
        return f"https://127.0.0.1:{self.between.port}/#{code}"

    @property
    def fingerprint(self) -> str:
        return self.director.outside.guests.door.fingerprint

    def close(self) -> None:
        self.between.close()
        self.director.close()
        self.port.stop()
        self.session.stop()


@pytest.fixture
def stage(monkeypatch):
    with tempfile.TemporaryDirectory(prefix="rb") as short:  # the path of a Unix socket has to be short
        for name, folder in (("XDG_RUNTIME_DIR", "r"), ("XDG_CONFIG_HOME", "c")):
            monkeypatch.setenv(name, f"{short}/{folder}")
            Path(short, folder).mkdir(mode=0o700)
        made = Stage(Path(short))
        yield made
        made.close()


class Seat:
    """The window's end of a station, without a window."""

    def __init__(self, stage: Stage, link: str) -> None:
        self.line = LineProcess(link, stage.fingerprint, "")
        self.said: list[str] = []
        self.lost = threading.Event()
        self.show = RemoteShow(self.line.meeting.path, on_lost=self.lost.set)
        self.show.listen(lambda e: self.said.append(e.sentence) if isinstance(e, Notice) else None)

    def close(self) -> None:
        self.show.close()
        self.line.close()


def test_a_station_directs_sees_comes_back_and_is_sent_away(stage):
    seat = Seat(stage, stage.invite("deputy"))
    show, director = seat.show, stage.director
    try:
        assert show.number.startswith("guest ")
        assert show.state.show.title == director.state.show.title
        assert abs(show.clock.now_s() - time.monotonic()) < 0.5
        until(lambda: next(iter(director.state.guests.here.values())).there)
        guest = next(iter(director.state.guests.here.values()))
        assert (guest.name, guest.by) == ("Bram", "station")

        # it directs, with a seat of its own, and whatever it says of who asks
        director.act("row.select", {"camera": 1})
        show.act("ready.camera", {"camera": 2})
        until(lambda: director.state.program.next is not None)
        for held in (True, False):  # the camera has no picture: again cuts anyway
            show.act("take", {}, cause=Cause(By.KEY, "Space", desk="1"))
            until(lambda held=held: (director.state.program.held is not None) == held)
        until(lambda: director.state.program.takes == 1)
        until(lambda: any(line.by == "guest Bram" for line in director.log.as_run.lines))
        until(lambda: director.state.desk.row == "c1")

        # what only the show's own machine does, it does not
        show.act("guest.invite", {"name": "More", "role": "deputy", "code": hashed("x")})
        until(lambda: any("only the director" in said for said in seat.said))
        show.end_show()
        until(lambda: any("show's own machine" in said for said in seat.said))
        show.ended = False

        # live pictures, as small encodings
        show.media.show_at({"program": (320, 180), "c1": (160, 90)})
        until(lambda: "program" in show.media.pictures.shown, 10)
        assert show.media.pictures.shown["program"].size == (320, 180)

        # its line is cut: nothing on air changes, and it is back soon after the line is
        on_air, number = director.state.program.on_air, show.number
        stage.between.cut = True
        until(lambda: not next(iter(director.state.guests.here.values())).there, 15)
        assert director.state.program.on_air == on_air
        assert show.state.program.on_air == on_air
        stage.between.cut = False
        began_s = time.monotonic()
        assert seat.lost.wait(10)
        show.attach_again(seat.line.meeting.path)
        assert time.monotonic() - began_s < 3.0
        assert show.number == number
        show.act("show.rename", {"title": "Again"})
        until(lambda: director.state.show.title == "Again")

        # the invitation is taken back
        seat.lost.clear()
        began_s = time.monotonic()
        director.act("guest.withdraw", {"invitation": guest.invitation})
        until(lambda: any("taken back" in said for said in seat.said))
        assert time.monotonic() - began_s < 1.0
    finally:
        seat.close()


def test_an_operators_station_does_what_an_operator_may_and_no_more(stage):
    seat = Seat(stage, stage.invite("operator", cameras=(1,)))
    try:
        seat.show.media.show_at({"c2": (160, 90), "c1": (160, 90), "c1@large": (320, 180), "c2@large": (320, 180)})
        until(lambda: seat.show.media.pictures.shown._slots.keys() == {"c1", "c1@large"})
        seat.show.act("take", {})
        until(lambda: any("is not for Bram" in said for said in seat.said))
        seat.show.setup.passwords.keep("127.0.0.1:80", "x", "y")
        until(lambda: any("show's own machine" in said for said in seat.said))
        assert stage.director.state.program.takes == 0
        seat.show.act("row.select", {"camera": 2})
        until(lambda: seat.show.state.desk.row == "c2")
        for _ in range(2):  # its number key selects, and does not ready
            seat.show.act("row.key", {"number": 1})
        until(lambda: seat.show.state.desk.row == "c1")
        assert stage.director.state.program.next is None
    finally:
        seat.close()


def test_a_link_that_is_none_and_a_door_that_is_another_are_said(stage, tmp_path):
    link, right = stage.invite("deputy"), fingerprint_of(stage.fingerprint)

    def refused(link: str, fingerprint: bytes | None) -> str:
        try:
            line = StationLine(link, fingerprint, "", tmp_path / "station.sock")
            asyncio.run(line.run(lambda: None))
        except RibaltaFault as fault:
            return str(fault)
        raise AssertionError("it was let in")

    assert "no link of an invitation" in refused("https://127.0.0.1:1/", None)
    assert "no link of an invitation" in refused("http://127.0.0.1:1/#abc", None)
    assert "another certificate" in refused(link, bytes(32))
    assert "known to nobody" in refused(link, None)
    assert "does not let this station in" in refused(link + "x", right)
    assert "does not answer" in refused(f"https://127.0.0.1:{free_port()}/#abc", right)
    with pytest.raises(LocalFault, match="64 hexadecimal digits"):
        fingerprint_of("not a fingerprint")
    with pytest.raises(LocalFault, match="does not let this station in"):
        LineProcess(link + "x", stage.fingerprint, "")
