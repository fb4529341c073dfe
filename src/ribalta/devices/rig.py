"""Joins drivers and links, on one thread of its own that sleeps until bytes or a deadline come."""

import contextlib
import logging
import select
import socket
import threading
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from queue import Empty, SimpleQueue

from ribalta.core.base.clock import Clock
from ribalta.core.engine.messages import Contact, LinkTrouble, Report, Request
from ribalta.core.show.model import Camera, Control, Protocol
from ribalta.devices.drivers.index import Driver, driver_for
from ribalta.devices.links.link import Link
from ribalta.devices.links.onvif import OnvifLink
from ribalta.devices.links.serial_line import SerialLink
from ribalta.devices.links.tcp import TcpLink
from ribalta.devices.links.udp import UdpLink

LONGEST_NAP_S = 0.5
_log = logging.getLogger(__name__)

PasswordFor = Callable[[Control], str]
LINKS: dict[Protocol, Callable[[Control, PasswordFor], Link]] = {
    Protocol.VISCA_IP: lambda control, _: UdpLink(control.host, control.port),
    Protocol.VISCA_UDP: lambda control, _: UdpLink(control.host, control.port),
    Protocol.VISCA_TCP: lambda control, _: TcpLink(control.host, control.port),
    Protocol.VISCA_SERIAL: lambda control, _: SerialLink(control.line, control.baud_rate),
    Protocol.ONVIF: lambda control, password_for: OnvifLink(
        control.host, control.port, control.user, lambda: password_for(control)
    ),
}


@dataclass
class _Joined:
    """A camera that the rig speaks to; `made_of` says when it has to be joined anew."""

    made_of: tuple[object, ...]
    driver: Driver
    link: Link
    trouble: str | None = None
    answers: bool = False


def _made_of(camera: Camera) -> tuple[object, ...]:
    """What, when it changes, makes a new conversation: not what is learned of a camera's speed."""
    head = camera.head
    if head is None:
        return ()
    return (camera.control, head.limits, head.counts_per_deg, head.reports_position, head.settings)


class Rig:
    """`on_report` is called on the rig's thread. Requests may come from any thread."""

    def __init__(
        self,
        cameras: Iterable[Camera],
        clock: Clock,
        on_report: Callable[[Report], None],
        password_for: PasswordFor = lambda _: "",
    ) -> None:
        self._clock = clock
        self._password_for = password_for
        self._on_report = on_report
        self._work: SimpleQueue[Request | tuple[Camera, ...] | str] = SimpleQueue()
        self._wake_in, self._wake_out = socket.socketpair()
        self._wake_in.setblocking(False)
        self._wake_out.setblocking(False)
        self._joined: dict[str, _Joined] = {}
        self._closed: list[Link] = []
        self._stopping = False
        self._cameras: tuple[Camera, ...] = ()
        self.follow(cameras)
        self._thread = threading.Thread(target=self._run, name="rig", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def send(self, request: Request) -> None:
        if not self._stopping:
            self._work.put(request)
            self._wake()

    def follow(self, cameras: Iterable[Camera]) -> None:
        """These are the cameras from now on: join the new ones, leave those that are gone, rejoin the changed."""
        self._work.put(tuple(cameras))
        self._wake()

    def rejoin(self, camera_id: str) -> None:
        """Begin a camera's conversation anew: its password has changed."""
        self._work.put(camera_id)
        self._wake()

    def _wake(self) -> None:
        with contextlib.suppress(BlockingIOError):  # so many wake-ups are waiting that one more says nothing
            self._wake_out.send(b"!")

    def stop(self) -> None:
        self._stopping = True
        self._wake()
        self._thread.join()
        for joined in self._joined.values():
            joined.link.close()
        for link in (*self._closed, *(joined.link for joined in self._joined.values())):
            link.wait()
        self._wake_in.close()
        self._wake_out.close()

    def _run(self) -> None:
        while not self._stopping:
            self._take_work()
            for joined in self._joined.values():
                self._flush(joined)
            self._wait()
            now_s = self._clock.now_s()
            for joined in self._joined.values():
                joined.link.tend(now_s)
                if joined.driver.next_deadline_s() <= now_s:
                    joined.driver.tick(now_s)

    def _wait(self) -> None:
        now_s, joined = self._clock.now_s(), list(self._joined.values())
        due_s = [min(j.driver.next_deadline_s(), j.link.next_deadline_s()) for j in joined]
        nap_s = max(0.0, min([LONGEST_NAP_S, *(due - now_s for due in due_s)]))
        poll = select.poll()  # made anew each time: links open and close, and there are few
        poll.register(self._wake_in, select.POLLIN)
        there = {j.link.fileno(): j for j in joined if j.link.fileno() >= 0}
        for number, one in there.items():
            poll.register(number, select.POLLOUT if one.link.opening else select.POLLIN)
        for number, _ in poll.poll(nap_s * 1000):
            if number in there:
                self._read(there[number])
            else:
                with contextlib.suppress(BlockingIOError):
                    self._wake_in.recv(4096)

    def _read(self, joined: _Joined) -> None:
        for data in joined.link.receive():
            try:
                joined.driver.receive(data, self._clock.now_s())
            except Exception:  # one device's bytes must not take the other cameras away
                _log.exception("camera %s sent what its driver cannot take: %s", joined.driver.camera_id, data.hex())

    def _take_work(self) -> None:
        while True:
            try:
                work = self._work.get_nowait()
            except Empty:
                return
            if isinstance(work, tuple):
                self._follow(work)
                continue
            if isinstance(work, str):
                self._rejoin(work)
                continue
            joined = self._joined.get(work.camera_id)
            if joined is None:
                _log.warning("a request for camera %s, which the rig does not have", work.camera_id)
            else:
                joined.driver.request(work, self._clock.now_s())

    def _rejoin(self, camera_id: str) -> None:
        cameras = self._cameras
        self._follow(tuple(c for c in cameras if c.id != camera_id))
        self._follow(cameras)

    def _follow(self, cameras: tuple[Camera, ...]) -> None:
        self._cameras = cameras
        wanted = {c.id: c for c in cameras if c.control is not None and c.head is not None}
        for camera_id in list(self._joined):
            joined, camera = self._joined[camera_id], wanted.get(camera_id)
            if camera is None or _made_of(camera) != joined.made_of:
                joined.link.close()
                self._closed.append(joined.link)
                del self._joined[camera_id]
                if joined.answers:
                    self._on_report(Contact(camera_id, False))
        for camera_id, camera in wanted.items():
            if camera_id not in self._joined:
                self._join(camera)

    def _join(self, camera: Camera) -> None:
        now_s = self._clock.now_s()
        driver = driver_for(camera, now_s)
        if driver is None or camera.control is None:
            return
        link = LINKS[camera.control.protocol](camera.control, self._password_for)
        link.tend(now_s)
        self._joined[camera.id] = _Joined(_made_of(camera), driver, link)

    def _flush(self, joined: _Joined) -> None:
        out, reports = joined.driver.drain()
        for data in out:
            joined.link.send(data)
        if joined.link.trouble != joined.trouble:
            joined.trouble = joined.link.trouble
            self._on_report(LinkTrouble(joined.driver.camera_id, joined.trouble))
        for report in reports:
            if isinstance(report, Contact):
                joined.answers = report.answers
            self._on_report(report)
