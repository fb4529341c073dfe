"""The stand-ins' process: six cameras of the hall at addresses of their own on loopback, until it is told to end."""

import contextlib
import json
import os
import random
import signal
import sys
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import cv2

from ribalta.core.base.faults import LocalFault
from ribalta.standins.body import Body
from ribalta.standins.cameras import BUILDS, Build
from ribalta.standins.control import Control
from ribalta.standins.frames import FOLDER, LESS, SIZES, FrameFile, Sizes, sweep
from ribalta.standins.hall.people import Moment, moment
from ribalta.standins.hall.picture import CoarseLayers, HallPicture
from ribalta.standins.hall.room import Room
from ribalta.standins.head import Head
from ribalta.standins.network import VISCA_IP_PORT, VISCA_TCP_PORT, VISCA_UDP_PORT, Network
from ribalta.standins.onvif.discovery import Finding
from ribalta.standins.onvif.services import OnvifServices
from ribalta.standins.partner import PORTS as PARTNER_PORTS
from ribalta.standins.partner import Partner
from ribalta.standins.plans import builds_of
from ribalta.standins.rtsp import RTSP_PORT, RtspServer
from ribalta.standins.showing import Showing
from ribalta.standins.sound.speech import COUNT
from ribalta.standins.sound.voices import PORT as SOUND_PORT
from ribalta.standins.sound.voices import Voices
from ribalta.standins.web import WebServer

FRAME_S = 0.04
OFTEN, SELDOM = 2, 25  # frames for which people keep a pose
NICE = 10
CONTROL_PORT, WEB_PORT = 7788, 8080
TRIES = 20
PARTNER_HOST = 210
SOUND_HOST = 200  # where whoever wants the sound has to listen


def free_net(chance: random.Random) -> str:
    """The first three parts of a block of loopback addresses, drawn by lot."""
    return f"127.{chance.randint(16, 250)}.{chance.randint(1, 250)}"


@dataclass
class Set:
    """All that runs. `closers` are called in turn, the last made first."""

    net: str
    cameras: list[Showing] = field(default_factory=list)
    closers: list[Callable[[], None]] = field(default_factory=list)

    def close(self) -> None:
        while self.closers:
            self.closers.pop()()

    def announcement(self, name: str) -> str:
        """One line of JSON: where each camera's services are."""
        rows: list[dict[str, object]] = []
        for camera in self.cameras:
            number, host = camera.build.number, f"{self.net}.{camera.build.number}"
            row: dict[str, object] = {
                "number": number,
                "name": camera.build.name,
                "picture": camera.file.path.name,
                "host": host,
                "mjpeg": f"http://{host}:{WEB_PORT}/picture/",
                "rtsp": f"rtsp://{host}:{RTSP_PORT}/",
            }
            if camera.build.steered:
                row |= {"visca-ip": VISCA_IP_PORT, "visca-udp": VISCA_UDP_PORT, "visca-tcp": VISCA_TCP_PORT}
                row |= {"visca-serial": str(_line(name, camera.build)), "onvif": WEB_PORT}
            rows.append(row)
        control = {"host": f"{self.net}.1", "port": CONTROL_PORT}
        sound = {"address": f"rtp://{self.net}.{SOUND_HOST}:{SOUND_PORT}", "channels": COUNT}
        partner = {"host": f"{self.net}.{PARTNER_HOST}"} | PARTNER_PORTS
        whole = {"net": self.net, "control": control, "standins": rows, "sound": sound, "partner": partner}
        return json.dumps(whole)


def _line(name: str, build: Build) -> Path:
    return FOLDER / f"{name}-{build.number}.line"


def _showing(build: Build, name: str, room: Room, sizes: Sizes) -> Showing:
    tilts = (0, 1, 2) if build.mount.hung else (0, -1)
    coarse = CoarseLayers(room, build.mount, tilts if build.steered and sizes == SIZES else ())
    body = Body(Head(build, time.monotonic())) if build.steered else None
    file = FrameFile(f"{name}-{build.number}", sizes)
    return Showing(build, file, HallPicture(room, coarse), HallPicture(room, coarse), coarse, body)


def _serve(made: Set, name: str, seed: int, aloud: bool) -> None:
    """Open every service. Raises LocalFault when an address is taken."""
    network = Network(seed)
    made.closers.append(network.close)
    found: list[OnvifServices] = []
    try:
        for camera in made.cameras:
            host, services = f"{made.net}.{camera.build.number}", None
            if camera.body is not None:
                network.add(camera.build, camera.body, host, _line(name, camera.build))
                services = OnvifServices(camera.build, camera.body, host, WEB_PORT, f"rtsp://{host}:{RTSP_PORT}")
                found.append(services)
            made.closers.append(WebServer(host, WEB_PORT, camera, services).end)
            made.closers.append(RtspServer(host, RTSP_PORT, camera).end)
        bodies = {c.build.number: c.body for c in made.cameras if c.body is not None}
        voices = Voices(f"{made.net}.{SOUND_HOST}", SOUND_PORT, seed)
        made.closers.append(voices.close)
        partner = Partner(f"{made.net}.{PARTNER_HOST}", aloud)
        made.closers.append(partner.close)
        made.closers.append(Control(f"{made.net}.1", CONTROL_PORT, bodies, partner, voices).end)
        finding = Finding(found)
        finding.start()
        made.closers.append(finding.end)
    except OSError as error:
        raise LocalFault(f"Stand-ins cannot serve on {made.net}.0: {error.strerror}. Give another --net.") from None
    network.start()

    def end_network() -> None:
        network.stopping = True
        network.join()

    made.closers.append(end_network)


def _open(name: str, net: str, seed: int, aloud: bool, builds: Sequence[Build] = BUILDS, sizes: Sizes = SIZES) -> Set:
    """All cameras and services; without a chosen net, others are tried while one is taken."""
    sweep()
    room, cameras = Room(), list[Showing]()
    chance = random.Random()
    try:
        for build in builds:
            cameras.append(_showing(build, name, room, sizes))
        for left in range(TRIES, 0, -1):
            made = Set(net or free_net(chance), cameras)
            try:
                _serve(made, name, seed, aloud)
                return made
            except LocalFault:
                made.close()
                if net or left == 1:
                    raise
    except LocalFault:
        for camera in cameras:
            camera.file.close()
        raise
    raise AssertionError("a net was neither found nor refused")


def _give_way() -> None:
    """Whoever uses the cameras goes first. Where each session is scheduled as one group, the group has to give way,
    unless others are in it."""
    os.nice(NICE)
    if os.getsid(0) == os.getpid():
        with contextlib.suppress(OSError):
            Path("/proc/self/autogroup").write_text(str(NICE))


def run(
    name: str,
    net: str,
    seed: int,
    parent: int | None,
    cameras: Path | None = None,
    stamp: bool = False,
    keep_up: bool = False,
) -> int:
    """Run until SIGTERM, SIGINT or the end of the process `parent`, if one is given. Prints the announcement first.
    `cameras` describes others than those of the Clay Cup; see `plans`. `stamp`: the time is in every picture;
    `keep_up`: they do not give way to whoever uses them, people in the hall move once a second only, and
    pictures are smaller and smeared where a head has only just come to, so that they are in time on a machine that has
    much to do."""
    cv2.setNumThreads(1)
    sys.setswitchinterval(0.001)
    stopping = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stopping.set())
    builds = builds_of(cameras) if cameras is not None else BUILDS
    made = _open(name, net, seed, parent is None, builds, LESS if keep_up else SIZES)
    for camera in made.cameras:
        camera.stamp = stamp
    print(made.announcement(name), flush=True)
    if not keep_up:
        _give_way()  # from now on: until then somebody waits for it
    try:
        every = SELDOM if keep_up else OFTEN
        _paint(made.cameras, every, lambda: stopping.is_set() or parent not in (None, os.getppid()), stopping.wait)
    finally:
        made.close()
        for camera in made.cameras:
            camera.file.close()
    return 0


def _paint(cameras: Sequence[Showing], every: int, ended: Callable[[], bool], wait: Callable[[float], object]) -> None:
    start_s, tick = time.monotonic(), 0
    scene: Moment | None = None
    posed = 0  # the tick at which people took their pose
    while not ended():
        due = [camera for camera in cameras if camera.is_due(time.monotonic())]
        if due and (scene is None or tick >= posed + every):
            scene, posed = moment(time.monotonic()), tick - tick % 2
        for camera in due:
            assert scene is not None
            camera.show(time.monotonic(), scene, tick)
        tick = max(tick + 1, int((time.monotonic() - start_s) / FRAME_S))
        for camera in (one for one in due if one.is_watched(time.monotonic())):
            camera.coarse.work(start_s + tick * FRAME_S - 0.002)
        wait(max(0.0, start_s + tick * FRAME_S - time.monotonic()))
