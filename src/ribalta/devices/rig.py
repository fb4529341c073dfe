"""Joins drivers and links, on one thread of its own that sleeps until bytes or a deadline come."""

import contextlib
import logging
import select
import socket
from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from queue import Empty, SimpleQueue
from typing import TypeVar

from ribalta.core.base.clock import Clock
from ribalta.core.ports.messages import Contact, LinkTrouble, Report, Request
from ribalta.core.show.document.model import Camera, Control, Protocol
from ribalta.devices.drivers.index import Driver, driver_for
from ribalta.devices.links.link import Link
from ribalta.devices.links.onvif import OnvifLink
from ribalta.devices.links.serial_line import SerialLink
from ribalta.devices.links.tcp import TcpLink
from ribalta.devices.links.udp import UdpLink
from ribalta.workers.crew import Crew

LONGEST_NAP_S = 0.5
LEFT_ALONE_S, STANDS_STILL_S = 2.0, 3.0
_log = logging.getLogger(__name__)

PasswordFor = Callable[[Control], str]
T = TypeVar("T")
LINKS: dict[Protocol, Callable[[Control, PasswordFor, Crew], Link]] = {
    Protocol.VISCA_IP: lambda control, _, __: UdpLink(control.host, control.port),
    Protocol.VISCA_UDP: lambda control, _, __: UdpLink(control.host, control.port),
    Protocol.VISCA_TCP: lambda control, _, __: TcpLink(control.host, control.port),
    Protocol.VISCA_SERIAL: lambda control, _, __: SerialLink(control.line, control.baud_rate),
    Protocol.ONVIF: lambda control, password_for, crew: OnvifLink(
        control.host, control.port, control.user, lambda: password_for(control), crew
    ),
}


@dataclass
class _Joined:
    """A camera that the rig speaks to; `made_of` says when it has to be joined anew."""

    camera_id: str
    called: str
    made_of: tuple[object, ...]
    driver: Driver
    link: Link
    trouble: str | None = None
    answers: bool = False
    due_s: float | None = None
    """When its driver wants to be called next; None after it was, until it has been asked."""


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
        crew: Crew | None = None,
    ) -> None:
        self._crew = crew or Crew()
        self._clock = clock
        self._password_for = password_for
        self._on_report = on_report
        self._work: SimpleQueue[Request | tuple[Camera, ...] | str] = SimpleQueue()
        self._wake_in, self._wake_out = socket.socketpair()
        self._wake_in.setblocking(False)
        self._wake_out.setblocking(False)
        self._joined: dict[str, _Joined] = {}
        self._closed: deque[tuple[str, Link]] = deque(maxlen=200)
        self._left_alone: dict[str, float] = {}  # cameras by id, until when
        self._stopping = False
        self._cameras: tuple[Camera, ...] = ()
        self.follow(cameras)
        self._worker = self._crew.worker("rig", self._run, limit_s=STANDS_STILL_S)

    def start(self) -> None:
        """Begin, on a thread of its own."""
        self._worker.start()

    def send(self, request: Request) -> None:
        """Ask something of a camera; from any thread, without waiting."""
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
        """Close all lines and wait for the thread."""
        self._stopping = True
        self._wake()
        self._worker.stop()
        self._worker.join()
        links = [(joined.called, joined.link) for joined in self._joined.values()]
        for called, link in links:
            with self._crew.guarded(f"closing the line to {called}", "It was left alone."):
                link.close()
        for called, link in (*self._closed, *links):
            with self._crew.guarded(f"closing the line to {called}", "It was left alone."):
                link.wait()
        self._wake_in.close()
        self._wake_out.close()

    def _run(self) -> None:
        while not self._stopping:
            self.round()
            self._worker.beat()

    def round(self) -> None:
        """Take up what was asked, wait for bytes or a deadline, and let every camera do what is due.

        What goes wrong with one camera, in its driver or on its line, is that camera's alone: it is left alone for a
        moment and then joined anew.
        """
        self._take_work()
        self._each(self._flush)
        self._wait()
        self._each(self._tend)
        now_s = self._clock.now_s()
        for camera_id in [i for i, due_s in self._left_alone.items() if due_s <= now_s]:
            del self._left_alone[camera_id]
            self._rejoin(camera_id)

    def _each(self, work: Callable[[_Joined], None]) -> None:
        for joined in list(self._joined.values()):
            self._one(joined, lambda joined=joined: work(joined))  # type: ignore[misc]

    def _one(self, joined: _Joined, work: Callable[[], T]) -> T | None:
        """What concerns one camera. If it raises, that camera is let go of and joined anew a little later."""
        try:
            return work()
        except Exception as error:
            self._crew.failed(f"the conversation with {joined.called}", error, "It begins anew.")
            self._give_up(joined, type(error).__name__)
            return None

    def _give_up(self, joined: _Joined, kind: str) -> None:
        camera_id = joined.camera_id
        if self._joined.pop(camera_id, None) is None:
            return
        with self._crew.guarded(f"closing the line to {joined.called}", "It was left alone."):
            joined.link.close()
        self._closed.append((joined.called, joined.link))
        if joined.answers:
            self._on_report(Contact(camera_id, False))
        self._on_report(LinkTrouble(camera_id, f"Ribalta made a mistake ({kind}) and begins anew with it"))
        self._left_alone[camera_id] = self._clock.now_s() + LEFT_ALONE_S

    def _tend(self, joined: _Joined) -> None:
        now_s = self._clock.now_s()
        joined.link.tend(now_s)
        if self._due_s(joined) <= now_s:
            joined.due_s = None
            joined.driver.tick(now_s)

    @staticmethod
    def _due_s(joined: _Joined) -> float:
        if joined.due_s is None:
            joined.due_s = joined.driver.next_deadline_s()
        return joined.due_s

    def _wait(self) -> None:
        now_s = self._clock.now_s()
        dues = list(self._left_alone.values())
        for joined in list(self._joined.values()):
            due_s = self._one(joined, lambda j=joined: min(self._due_s(j), j.link.next_deadline_s()))  # type: ignore[misc]
            dues.append(due_s if due_s is not None else now_s)
        nap_s = max(0.0, min([LONGEST_NAP_S, *(due - now_s for due in dues)]))
        poll = select.poll()  # made anew each time: links open and close, and there are few
        poll.register(self._wake_in, select.POLLIN)
        there: dict[int, _Joined] = {}
        for joined in list(self._joined.values()):
            number = self._one(joined, joined.link.fileno)
            if number is not None and number >= 0:
                there[number] = joined
                poll.register(number, select.POLLOUT if joined.link.opening else select.POLLIN)
        for number, _ in poll.poll(nap_s * 1000):
            if number in there:
                self._one(there[number], lambda n=number: self._read(there[n]))  # type: ignore[misc]
            else:
                with contextlib.suppress(BlockingIOError):
                    self._wake_in.recv(4096)

    def _read(self, joined: _Joined) -> None:
        joined.due_s = None
        for data in joined.link.receive():
            try:
                joined.driver.receive(data, self._clock.now_s())
            except Exception as error:  # what it sent is passed over, and the conversation goes on
                said = f"what {joined.called} sent ({data[:32].hex()})"
                self._crew.failed(said, error, "It was passed over.")

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
            self._ask(work)

    def _ask(self, work: Request) -> None:
        joined = self._joined.get(work.camera_id)
        if joined is None:
            _log.warning("a request for camera %s, which the rig does not have", work.camera_id)
        else:
            joined.due_s = None
            self._one(joined, lambda: joined.driver.request(work, self._clock.now_s()))

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
                with self._crew.guarded(f"closing the line to {joined.called}", "It was left alone."):
                    joined.link.close()
                self._closed.append((joined.called, joined.link))
                del self._joined[camera_id]
                if joined.answers:
                    self._on_report(Contact(camera_id, False))
        self._left_alone = {i: due for i, due in self._left_alone.items() if i in wanted}
        for camera_id, camera in wanted.items():
            if camera_id not in self._joined and camera_id not in self._left_alone:
                self._try_to_join(camera)

    def _try_to_join(self, camera: Camera) -> None:
        """A camera whose description no driver can make anything of is said, and no other waits for it."""
        try:
            self._join(camera)
        except Exception as error:
            called = f"camera {camera.number} “{camera.name}”"
            self._crew.failed(f"setting up {called}", error, "It is left out until it is described otherwise.")
            self._on_report(LinkTrouble(camera.id, "no driver can be made for it as it is described in Rig"))

    def _join(self, camera: Camera) -> None:
        now_s = self._clock.now_s()
        driver = driver_for(camera, now_s)
        if driver is None or camera.control is None:
            return
        link = LINKS[camera.control.protocol](camera.control, self._password_for, self._crew)
        link.tend(now_s)
        called = f"camera {camera.number} “{camera.name}”"
        self._joined[camera.id] = _Joined(camera.id, called, _made_of(camera), driver, link)

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
