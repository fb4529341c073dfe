"""The stand-ins' process: six cameras, four of them answering VISCA on loopback, all of them showing the hall."""

import heapq
import json
import os
import random
import selectors
import signal
import socket
import sys
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from math import atan, degrees, radians, tan

import cv2

from ribalta.core.base.faults import LocalFault
from ribalta.standins.cameras import BUILDS, Build
from ribalta.standins.frames import SIZES, FrameFile, sweep
from ribalta.standins.hall.people import Moment, moment
from ribalta.standins.hall.picture import CoarseLayers, HallPicture
from ribalta.standins.hall.room import Room
from ribalta.standins.hall.view import View
from ribalta.standins.head import Head, Stand
from ribalta.standins.visca import Answerer

FRAME_S = 0.04
MAIN_FOR_S = 0.5
COMMAND_DELAY_S = (0.020, 0.060)


@dataclass
class _Camera:
    build: Build
    file: FrameFile
    main: HallPicture
    small: HallPicture
    coarse: CoarseLayers
    head: Head | None = None
    answerer: Answerer | None = None
    port: socket.socket | None = None

    def stand(self, now_s: float) -> Stand:
        """Where the picture that leaves now was taken."""
        if self.head is None:
            return Stand(0.0, 0.0, 0.0)
        return self.head.past(now_s, self.build.picture_delay_s)

    def view(self, stand: Stand, size: tuple[int, int]) -> View:
        wide, tele = self.build.wide_deg, self.build.tele_deg
        return View(self.build.mount, stand.pan_deg, stand.tilt_deg, zoom_angle(wide, tele, stand.zoom), *size)


def zoom_angle(wide_deg: float, tele_deg: float, zoom: float) -> float:
    """Degrees across the picture; the focal length grows by the same factor for each step of the zoom."""
    ratio = tan(radians(wide_deg / 2)) / tan(radians(tele_deg / 2))
    return degrees(2 * atan(tan(radians(wide_deg / 2)) / ratio**zoom))


@dataclass(order=True)
class _Letter:
    """A datagram on its way through a camera: heard later, or answered later."""

    due_s: float
    order: int
    camera: _Camera = field(compare=False)
    data: bytes = field(compare=False)
    address: tuple[str, int] = field(compare=False)
    outgoing: bool = field(compare=False)


class Network(threading.Thread):
    """Hears and answers, with the delays that real cameras have."""

    def __init__(self, cameras: Sequence[_Camera], seed: int) -> None:
        super().__init__(name="stand-in network", daemon=True)
        self._cameras = [c for c in cameras if c.port is not None]
        self._random = random.Random(seed)
        self._letters: list[_Letter] = []
        self._count = 0
        self._peers: dict[int, tuple[str, int]] = {}
        self.stopping = False

    def _post(self, camera: _Camera, data: bytes, address: tuple[str, int], outgoing: bool) -> None:
        low, high = COMMAND_DELAY_S
        delay_s = self._random.uniform(low, high) / 2
        self._count += 1
        letter = _Letter(time.monotonic() + delay_s, self._count, camera, data, address, outgoing)
        heapq.heappush(self._letters, letter)

    def run(self) -> None:
        with selectors.DefaultSelector() as selector:
            for camera in self._cameras:
                assert camera.port is not None
                selector.register(camera.port, selectors.EVENT_READ, camera)
            while not self.stopping:
                due_s = self._letters[0].due_s if self._letters else time.monotonic() + 0.02
                for key, _ in selector.select(min(0.02, max(0.0, due_s - time.monotonic()))):
                    self._hear(key.data)
                self._deliver()

    def _hear(self, camera: _Camera) -> None:
        assert camera.port is not None
        try:
            while True:
                data, address = camera.port.recvfrom(2048)
                self._peers[camera.build.number] = address
                self._post(camera, data, address, outgoing=False)
        except OSError:
            return

    def _deliver(self) -> None:
        now_s = time.monotonic()
        while self._letters and self._letters[0].due_s <= now_s:
            letter = heapq.heappop(self._letters)
            camera = letter.camera
            assert camera.answerer is not None
            assert camera.port is not None
            if letter.outgoing:
                try:
                    camera.port.sendto(letter.data, letter.address)
                except OSError:
                    continue
            else:
                for reply in camera.answerer.hear(letter.data, now_s):
                    self._post(camera, reply, letter.address, outgoing=True)
        for camera in self._cameras:
            peer = self._peers.get(camera.build.number)
            if peer is not None and camera.answerer is not None:
                for reply in camera.answerer.finished(now_s):
                    self._post(camera, reply, peer, outgoing=True)


def _bind(port: int, number: int) -> socket.socket:
    bound = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    try:
        bound.bind(("127.0.0.1", port))
    except OSError as error:
        bound.close()
        raise LocalFault(
            f"Stand-in camera {number} cannot have UDP port {port}: {error.strerror}. Stop what uses it, or give"
            " other --ports (0 takes any free one)."
        ) from None
    bound.setblocking(False)
    return bound


def _make(name: str, ports: Sequence[int], room: Room) -> list[_Camera]:
    cameras: list[_Camera] = []
    left = list(ports)
    sweep()
    try:
        for build in BUILDS:
            tilts = (0, 1, 2) if build.mount.hung else (0, -1)
            coarse = CoarseLayers(room, build.mount, tilts if build.steered else ())
            pictures = HallPicture(room, coarse), HallPicture(room, coarse)
            camera = _Camera(build, FrameFile(f"{name}-{build.number}"), *pictures, coarse)
            cameras.append(camera)
            if build.steered:
                camera.head = Head(build, time.monotonic())
                camera.answerer = Answerer(camera.head)
                camera.port = _bind(left.pop(0), build.number)
    except LocalFault:
        for camera in cameras:
            camera.file.close()
        raise
    return cameras


def announcement(cameras: Sequence[_Camera]) -> str:
    rows = []
    for camera in cameras:
        row: dict[str, object] = {
            "number": camera.build.number,
            "name": camera.build.name,
            "picture": camera.file.path.name,
        }
        if camera.port is not None:
            row["host"], row["port"] = camera.port.getsockname()
            row["protocol"] = "visca-ip"
        rows.append(row)
    return json.dumps({"standins": rows})


def _show(camera: _Camera, now_s: float, scene: Moment, tick: int) -> None:
    """Paint one camera's frame: the main stream when somebody wants it, or else the small one every other tick."""
    stand = camera.stand(now_s)
    goal = camera.head.goal() if camera.head else stand
    away = max(abs(goal.pan_deg - stand.pan_deg), abs(goal.tilt_deg - stand.tilt_deg), 40 * abs(goal.zoom - stand.zoom))
    wanted = now_s - camera.file.main_wanted_s() < MAIN_FOR_S
    if not wanted and (tick + camera.build.number) % 2:
        return
    stream = 0 if wanted else 1
    picture = camera.main if wanted else camera.small
    pixels = camera.file.begin(stream)
    coming = camera.view(goal, SIZES[stream]) if away > 0.05 else None
    picture.paint(camera.view(stand, SIZES[stream]), scene, pixels, coming)
    camera.file.publish(stream, now_s, stand)
    if wanted and (tick + camera.build.number) % 2 == 0:
        cv2.resize(pixels, SIZES[1], dst=camera.file.begin(1), interpolation=cv2.INTER_LINEAR)
        camera.file.publish(1, now_s, stand)


def run(name: str, ports: Sequence[int], seed: int, with_parent: bool) -> int:
    """Run until SIGTERM, SIGINT or, if asked, the end of the parent. Prints the announcement first."""
    cv2.setNumThreads(1)
    sys.setswitchinterval(0.001)
    os.nice(5)
    parent = os.getppid()
    stopping = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stopping.set())
    cameras = _make(name, ports, Room())
    print(announcement(cameras), flush=True)
    network = Network(cameras, seed)
    network.start()
    start_s, tick = time.monotonic(), 0
    try:
        while not stopping.is_set() and not (with_parent and os.getppid() != parent):
            now_s = time.monotonic()
            scene = moment(now_s)
            for camera in cameras:
                _show(camera, time.monotonic(), scene, tick)
            tick = max(tick + 1, int((time.monotonic() - start_s) / FRAME_S))
            for camera in cameras:
                camera.coarse.work(start_s + tick * FRAME_S - 0.002)
            stopping.wait(max(0.0, start_s + tick * FRAME_S - time.monotonic()))
    finally:
        network.stopping = True
        network.join()
        for camera in cameras:
            camera.file.close()
            if camera.port is not None:
                camera.port.close()
    return 0
