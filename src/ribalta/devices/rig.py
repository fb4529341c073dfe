"""Joins drivers and links, on one thread of its own that sleeps until bytes or a deadline come."""

import contextlib
import logging
import selectors
import socket
import threading
from collections.abc import Callable, Iterable
from queue import Empty, SimpleQueue

from ribalta.core.base.clock import Clock
from ribalta.core.base.faults import RemoteFault
from ribalta.core.engine.messages import DeviceRefused, Report, Request
from ribalta.core.show.model import Camera
from ribalta.devices.drivers.index import Driver, driver_for
from ribalta.devices.links.udp import UdpLink

LONGEST_NAP_S = 0.5
_log = logging.getLogger(__name__)


class Rig:
    """`on_report` is called on the rig's thread. Requests may come from any thread."""

    def __init__(self, cameras: Iterable[Camera], clock: Clock, on_report: Callable[[Report], None]) -> None:
        self._clock = clock
        self._on_report = on_report
        self._requests: SimpleQueue[Request] = SimpleQueue()
        self._wake_in, self._wake_out = socket.socketpair()
        self._wake_in.setblocking(False)
        self._wake_out.setblocking(False)
        self._joined: dict[str, tuple[Driver, UdpLink]] = {}
        self._stopping = False
        self._selector = selectors.DefaultSelector()
        self._selector.register(self._wake_in, selectors.EVENT_READ, None)
        for camera in cameras:
            self._join(camera)
        self._thread = threading.Thread(target=self._run, name="rig", daemon=True)

    def _join(self, camera: Camera) -> None:
        driver = driver_for(camera, self._clock.now_s())
        if driver is None or camera.control is None:
            return
        try:
            link = UdpLink(camera.control.host, camera.control.port)
        except RemoteFault as fault:
            self._on_report(DeviceRefused(camera.id, f"it is out of reach: {fault}".rstrip(".")))
            return
        self._joined[camera.id] = (driver, link)
        self._selector.register(link, selectors.EVENT_READ, (driver, link))

    def start(self) -> None:
        self._thread.start()

    def send(self, request: Request) -> None:
        self._requests.put(request)
        self._wake()

    def _wake(self) -> None:
        with contextlib.suppress(BlockingIOError):  # so many wake-ups are waiting that one more says nothing
            self._wake_out.send(b"!")

    def stop(self) -> None:
        self._stopping = True
        self._wake()
        self._thread.join()
        for _, link in self._joined.values():
            link.close()
        self._selector.close()
        self._wake_in.close()
        self._wake_out.close()

    def _run(self) -> None:
        while not self._stopping:
            for driver, link in self._joined.values():
                self._flush(driver, link)
            now_s = self._clock.now_s()
            due_s = min((d.next_deadline_s() for d, _ in self._joined.values()), default=now_s + LONGEST_NAP_S)
            for key, _ in self._selector.select(max(0.0, min(due_s - now_s, LONGEST_NAP_S))):
                self._read(key.data)
            self._take_requests()
            now_s = self._clock.now_s()
            for driver, _ in self._joined.values():
                if driver.next_deadline_s() <= now_s:
                    driver.tick(now_s)

    def _read(self, joined: tuple[Driver, UdpLink] | None) -> None:
        if joined is None:
            self._wake_in.recv(4096)
            return
        driver, link = joined
        for data in link.receive():
            try:
                driver.receive(data, self._clock.now_s())
            except Exception:  # one device's bytes must not take the other cameras away
                _log.exception("camera %s sent what its driver cannot take: %s", driver.camera_id, data.hex())

    def _take_requests(self) -> None:
        while True:
            try:
                request = self._requests.get_nowait()
            except Empty:
                return
            joined = self._joined.get(request.camera_id)
            if joined is None:
                _log.warning("a request for camera %s, which the rig does not have", request.camera_id)
            else:
                joined[0].go_to(request, self._clock.now_s())

    def _flush(self, driver: Driver, link: UdpLink) -> None:
        out, reports = driver.drain()
        for data in out:
            link.send(data)
        for report in reports:
            self._on_report(report)
