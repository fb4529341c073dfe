"""Cameras with real dynamics, a real driver and pictures of a textured world, all on one hand-wound clock.

`World` is what a survey works with (see `core/survey/surveyor.py`); a minute of measuring passes in a few seconds.
"""

import contextlib
import heapq
import math
import random
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import cache
from typing import Any

import cv2
import numpy as np
from scipy.spatial.transform import Rotation

from ribalta.core.base.aim import Aim
from ribalta.core.base.clock import HandClock
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.state.live import LiveState, opening_state
from ribalta.core.optics.projection import view_to_mount
from ribalta.core.picture.registration import Grey
from ribalta.core.ports.messages import Event, PicturePresence, PictureWanted, Position, Report
from ribalta.core.show.document.model import Camera, Control, Place, Show
from ribalta.core.show.document.profiles import SHIPPED, read_profile
from ribalta.core.survey.field_of_view import pixels_to_rays
from ribalta.core.survey.job import Finding
from ribalta.core.survey.surveyor import Look, Stopped
from ribalta.devices.drivers.visca.driver import ViscaDriver
from ribalta.standins.body import Body
from ribalta.standins.cameras import BUILDS, Build
from ribalta.standins.head import Head
from ribalta.standins.visca import Answerer

STEP_S, COARSE_STEP_S, FRAME_S = 0.002, 0.01, 0.04
WIDTH, HEIGHT = 240, 135
PROFILE = read_profile(SHIPPED / "steered-20x.json")


@cache
def _texture() -> np.ndarray:
    """A tile without seams that has detail at every size."""
    rng, size = np.random.default_rng(4), 1024
    fy, fx = np.meshgrid(np.fft.fftfreq(size), np.fft.fftfreq(size), indexing="ij")
    spectrum = np.fft.fft2(rng.normal(size=(size, size))) / np.maximum(1 / size, np.hypot(fx, fy))
    tile = np.fft.ifft2(spectrum).real
    return np.asarray((tile - tile.min()) / np.ptp(tile), np.float32)


PIXELS = np.stack([*(g.ravel() + 0.5 for g in np.meshgrid(range(WIDTH), range(HEIGHT))), np.ones(WIDTH * HEIGHT)])
PIXELS = PIXELS.astype(np.float32)


def seen(aim: Aim, hfov_deg: float, hung: bool, bump: tuple[float, float, float] = (0.0, 0.0, 0.0)) -> Grey:
    """The textured world in a camera's picture. Detail goes with the zoom, so only pictures of one zoom compare.

    `bump` turns the mount: a rotation vector in degrees about its right, forward and up axes.
    """
    knocked = Rotation.from_rotvec(bump, degrees=True).as_matrix()
    turned = knocked @ view_to_mount(aim, hung) @ pixels_to_rays(WIDTH, HEIGHT, hfov_deg)
    rays = np.asarray(turned, np.float32) @ PIXELS
    pan = np.degrees(np.arctan2(rays[0], rays[1]))
    tilt = np.degrees(np.arctan2(rays[2], np.hypot(rays[0], rays[1])))
    per_deg = 2.0 ** round(math.log2(WIDTH / hfov_deg))
    tiles = np.stack([pan, -tilt]) * np.float32(per_deg / 1024)
    x, y = ((tiles - np.floor(tiles)) * 1024).reshape(2, HEIGHT, WIDTH)
    return np.asarray(cv2.remap(_texture(), x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP), np.float32)


class _Line:
    """One camera: its body, its driver, and what flies between them."""

    def __init__(self, build: Build, camera: Camera, now_s: float) -> None:
        assert camera.head is not None
        self.build, self.camera_id, self.hung = build, camera.id, camera.place.hung
        self.body = Body(Head(build, now_s))
        self.answerer = Answerer(self.body)
        self.driver = ViscaDriver(camera.id, camera.head, now_s)
        self.flying: list[tuple[float, int, bool, bytes]] = []
        self.rng, self.count = random.Random(build.number), 0
        self.frozen: Look | None = None

    def post(self, now_s: float, data: bytes, to_camera: bool) -> None:
        self.count += 1
        way_s = self.body.faults.way_s(self.rng, self.build.delay_s, ordered=False, resent=False)
        if way_s is not None:
            heapq.heappush(self.flying, (now_s + way_s, self.count, to_camera, data))

    def step(self, now_s: float) -> list[Report]:
        while self.flying and self.flying[0][0] <= now_s:
            _, _, to_camera, data = heapq.heappop(self.flying)
            if to_camera:
                for reply in self.answerer.hear(data, now_s):
                    self.post(now_s, reply, False)
            else:
                self.driver.receive(data, now_s)
        if self.driver.next_deadline_s() <= now_s:
            self.driver.tick(now_s)
        out, reports = self.driver.drain()
        for data in out:
            self.post(now_s, data, True)
        return reports


class World:
    """Steered cameras as built in the demo's hall, of which the show knows only a generic model."""

    def __init__(self, *numbers: int, **changes: Any) -> None:
        cameras = []
        for number in numbers:
            hung = BUILDS[number - 1].mount.hung
            camera = Camera(id=f"c{number}", number=number, name=f"Camera {number}", place=Place(hung=hung))
            known = {"head": PROFILE.head, "control": Control(), "zoom_table": PROFILE.zoom_table, **changes}
            cameras.append(camera.model_copy(update=known))
        self._open(Show(cameras=(*cameras, Camera(id="c5", number=5, name="Wide"))), STEP_S)
        self.act("ready.camera", camera=5)
        self.act("take")
        self.wait(1.0)

    @classmethod
    def of(cls, show: Show) -> "World":
        """With a whole show; time goes on in coarser steps."""
        world = cls.__new__(cls)
        world._open(show, COARSE_STEP_S)
        world.wait(3.0)
        return world

    def _open(self, show: Show, step_s: float) -> None:
        self.clock, self._step_s = HandClock(100.0), step_s
        self.engine = Engine(opening_state(show))
        self.events: list[Event] = []
        steered = [camera for camera in show.cameras if camera.steered]
        self.lines = {c.id: _Line(BUILDS[c.number - 1], c, self.clock.now_s()) for c in steered}
        self.heard: dict[str, list[Position]] = {c.id: [] for c in steered}
        self.findings: list[Finding] = []
        self.shares: list[float] = []
        self.pictures: dict[str, Grey] = {}
        self.shown_by: dict[str, str] = {}  # whose picture a camera's address really shows
        self.stop_at = 2.0
        for camera in show.cameras:
            self.engine.report(PicturePresence(camera.id, True), self.clock.now_s())

    def fault(self, number: int, **changes: Any) -> None:
        body = self.lines[f"c{number}"].body
        body.set_faults(body.faults.changed(changes))

    # What a survey asks for

    def now_s(self) -> float:
        return self.clock.now_s()

    @property
    def state(self) -> LiveState:
        return self.engine.state

    def act(self, action_id: str, **arguments: Any) -> None:
        self.engine.act(action_id, arguments, self.clock.now_s())

    def wait(self, seconds: float, until: Callable[[LiveState], bool] = lambda _: False) -> bool:
        end_s = self.now_s() + seconds
        while not until(self.state):
            if self.now_s() >= end_s:
                return until(self.state)
            if self.shares and self.shares[-1] >= self.stop_at:
                raise Stopped
            self._step()
        return True

    def alone(self) -> contextlib.AbstractContextManager[None]:
        return contextlib.nullcontext()

    def reports(self, camera_id: str) -> Sequence[Position]:
        heard, self.heard[camera_id] = self.heard[camera_id], []
        return heard

    def look(self, camera_id: str) -> Look | None:
        line = self.lines.get(self.shown_by.get(camera_id, camera_id))
        if line is None:
            return None
        if line.body.faults.frozen:
            line.frozen = line.frozen or self._look(line)
            return replace(line.frozen, captured_s=self.now_s())
        return self._look(line)

    def _look(self, line: _Line) -> Look:
        captured_s = math.floor(self.now_s() / FRAME_S) * FRAME_S
        stand = line.body.head.past(self.now_s(), self.now_s() - captured_s + line.build.picture_delay_s)
        faults = line.body.faults
        if faults.black:
            return Look(np.zeros((HEIGHT, WIDTH), np.float32), captured_s)
        aim = Aim(stand.pan_deg, stand.tilt_deg, stand.zoom)
        bump = (faults.bump_tilt_deg, faults.bump_roll_deg, -faults.bump_pan_deg)
        return Look(seen(aim, line.build.hfov_deg(stand.zoom), line.hung, bump), captured_s)

    def stored(self, picture: str) -> Grey | None:
        return self.pictures.get(picture)

    def report(self, report: Report) -> None:
        self.engine.report(report, self.clock.now_s())

    def tell(self, share: float, sentence: str, *findings: Finding) -> None:
        self.shares.append(share)
        self.findings.extend(findings)

    # Time

    def _step(self) -> None:
        now_s = self.clock.advance(self._step_s)
        for line in self.lines.values():
            for report in line.step(now_s):
                if isinstance(report, Position):
                    self.heard[line.camera_id].append(report)
                self.engine.report(report, now_s)
        self.engine.advance(now_s)
        events, requests = self.engine.drain()
        self.events += events
        for event in events:
            if isinstance(event, PictureWanted) and (look := self.look(event.camera_id)) is not None:
                self.pictures[event.name] = look.picture
        for request in requests:
            self.lines[request.camera_id].driver.request(request, now_s)
