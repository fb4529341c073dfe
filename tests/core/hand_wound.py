"""A whole show on a hand-wound clock: an engine, and cameras that move and report as the clock is turned."""

from dataclasses import dataclass, field
from typing import Any

from ribalta.core.base.aim import Aim
from ribalta.core.base.clock import HandClock
from ribalta.core.engine.loop import Engine, Entry
from ribalta.core.engine.state.live import LiveState, opening_state
from ribalta.core.motion.gliding import Glide
from ribalta.core.ports.messages import Contact, Event, GlideTo, GoTo, Notice, PicturePresence, Position, Request
from ribalta.core.ports.shots import LandingRecord
from ribalta.core.show.document.model import Camera, Control, Framing, Head, PictureSource, Settings, Show

STEP_S = 0.01
REPORT_EVERY_S = 0.05


def small_show(**settings: Any) -> Show:
    """Cameras 1 to 3 steered, 4 fixed and the cover; camera 1 to 3 have framings on Q, W and E."""
    steered = [
        Camera(id=f"c{n}", number=n, name=f"Camera {n}", head=Head(), control=Control(), picture=PictureSource())
        for n in (1, 2, 3)
    ]
    fixed = Camera(id="c4", number=4, name="Wide")
    aims = ((0.0, 0.0, 0.0), (30.0, -5.0, 0.5), (-20.0, 4.0, 0.9))
    framings = [
        Framing(id=f"f{3 * n + k}", camera_id=f"c{n}", slot=k, name=f"{n}{'QWE'[k]}", pan_deg=p, tilt_deg=t, zoom=z)
        for n in (1, 2, 3)
        for k, (p, t, z) in enumerate(aims)
    ]
    return Show(
        cameras=(*steered, fixed),
        framings=tuple(framings),
        settings=Settings(cover_camera_id="c4", **settings),
        next_number=100,
    )


@dataclass
class FakeCamera:
    """Moves at a steady speed, or as `overshoot_deg` says: past the goal in pan and slowly back."""

    aim: Aim = field(default_factory=lambda: Aim(-60.0, 10.0, 0.2))
    goal: Aim | None = None
    answers: bool = True
    overshoot_deg: float = 0.0
    glide: tuple[Glide, float] | None = None
    asked: list[Request] = field(default_factory=list)

    def step(self, seconds: float, now_s: float = 0.0) -> None:
        if self.glide is not None:
            self.aim = self.glide[0].at(now_s - self.glide[1])
            return
        if self.goal is None or self.goal is self.aim:
            return
        way = self.goal + Aim(self.overshoot_deg, 0, 0) - self.aim

        def held(value: float, most: float) -> float:
            return max(-most, min(most, value))

        self.aim = self.aim + Aim(
            held(way.pan_deg, 60 * seconds), held(way.tilt_deg, 45 * seconds), held(way.zoom, 0.4 * seconds)
        )
        if self.overshoot_deg:
            self.overshoot_deg = 0.0 if abs(way.pan_deg) < 1e-9 else self.overshoot_deg
        elif self.aim == self.goal:
            self.aim = self.goal  # it is there: nothing more is reckoned


class Hall:
    """`turn` lets time pass; everything that was said is in `events`, every input in `entries`.

    A camera that is taken out of `cameras` does nothing by itself; what is asked of it is in `unserved`.
    """

    def __init__(self, show: Show | None = None) -> None:
        self.clock = HandClock(100.0)
        self.entries: list[Entry] = []
        self.events: list[Event] = []
        self.opening = opening_state(show or small_show(), self.clock.now_s())
        self.engine = Engine(self.opening, lambda entry, _: self.entries.append(entry))
        self.cameras = {c.id: FakeCamera() for c in self.opening.show.cameras if c.steered}
        self.unserved: list[Request] = []
        self._report_s = 0.0
        for camera in self.opening.show.cameras:
            self.engine.report(PicturePresence(camera.id, True), self.clock.now_s())
            if camera.steered:
                self.engine.report(Contact(camera.id, True), self.clock.now_s())
        self.turn(0.5)

    @property
    def state(self) -> LiveState:
        return self.engine.state

    @property
    def records(self) -> tuple[LandingRecord, ...]:
        return self.state.program.records

    @property
    def sentences(self) -> list[str]:
        return [e.sentence for e in self.events if isinstance(e, Notice)]

    def act(self, action_id: str, **arguments: Any) -> None:
        self.engine.act(action_id, arguments, self.clock.now_s())
        self._serve()

    def press(self, *keys: str) -> None:
        """Keys by their default meaning."""
        from ribalta.core.engine.catalogue import CATALOGUE

        for key in keys:
            row, arguments = CATALOGUE.keys[key]
            self.act(row.id, **dict(arguments))

    def turn(self, seconds: float) -> None:
        for _ in range(round(seconds / STEP_S)):
            now_s = self.clock.advance(STEP_S)
            for camera in self.cameras.values():
                camera.step(STEP_S, now_s)
            if now_s >= self._report_s:
                self._report_s = now_s + REPORT_EVERY_S
                for camera_id, camera in self.cameras.items():
                    if camera.answers:
                        self.engine.report(Position(camera_id, camera.aim, now_s - 0.01), now_s)
            self.engine.advance(now_s)
            self._serve()

    def contact(self, camera_id: str, answers: bool) -> None:
        self.cameras[camera_id].answers = answers
        self.engine.report(Contact(camera_id, answers), self.clock.now_s())
        self._serve()

    def _serve(self) -> None:
        events, requests = self.engine.drain()
        self.events.extend(events)
        for request in requests:
            camera = self.cameras.get(request.camera_id)
            if camera is None:
                self.unserved.append(request)
                continue
            camera.asked.append(request)
            if camera.answers and isinstance(request, GoTo):
                camera.goal, camera.glide = request.aim, None
            elif camera.answers and isinstance(request, GlideTo):
                camera.glide = Glide(camera.aim, request.aim, request.seconds), self.clock.now_s()
