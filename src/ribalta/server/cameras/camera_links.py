"""The lines to the show's cameras: their pictures come in, and they are steered."""

from collections.abc import Callable, Mapping

from ribalta.core.base.clock import Clock
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Report, Request
from ribalta.core.show.document.model import Camera
from ribalta.devices.rig import Rig
from ribalta.media.sources.source import FrameSource
from ribalta.media.sources.sources import CameraSources
from ribalta.server.inbox import Inbox
from ribalta.server.part import Part
from ribalta.server.passwords import Passwords
from ribalta.workers.crew import Crew


class CameraLinks(Part):
    """Lines stay open as long as what they are made of stays as it is; a new password opens only what uses it."""

    called = "the show's cameras"

    def __init__(
        self, cameras: tuple[Camera, ...], clock: Clock, inbox: Inbox, passwords: Passwords, crew: Crew
    ) -> None:
        self._cameras, self._clock, self._inbox, self._passwords = cameras, clock, inbox, passwords
        self._rejoined: dict[str, int] = {}
        self._listeners: list[Callable[[Report], None]] = []
        self._sources = CameraSources(
            lambda picture: passwords.of_picture(picture, self._cameras),
            lambda picture: passwords.picture_changes(picture, self._cameras),
            crew,
        )
        self._sources.follow(cameras)
        self._rig = Rig(cameras, clock, self._reported, passwords.of_control, crew)
        passwords.on_change(self.reopen)

    @property
    def sources(self) -> Mapping[str, FrameSource]:
        """Where each camera's picture comes from; another object when that has changed."""
        return self._sources.of

    def picture_trouble(self, camera_id: str) -> str | None:
        """Why no picture comes from a camera, as a phrase, if that is known."""
        source = self.sources.get(camera_id)
        return source.trouble if source is not None else None

    def on_report(self, listener: Callable[[Report], None]) -> None:
        """Be told of every report as it comes, on the rig's thread."""
        self._listeners.append(listener)

    def start(self) -> None:
        self._rig.start()

    def stop(self) -> None:
        """After whoever shows the pictures has stopped."""
        self._rig.stop()
        self._sources.close()

    def _reported(self, report: Report) -> None:
        for listener in self._listeners:
            listener(report)
        self._inbox.put(lambda engine: engine.report(report, self._clock.now_s()))

    # On the engine's thread

    def follow(self, state: LiveState) -> None:
        cameras = state.show.cameras
        if cameras is not self._cameras:
            self._cameras = cameras
            self._sources.follow(cameras)
            self._rig.follow(cameras)

    def request(self, request: Request) -> None:
        self._rig.send(request)

    def reopen(self) -> None:
        """A password has changed: what is opened with it is opened anew."""
        self._sources.follow(self._cameras)
        for camera in self._cameras:
            control = camera.control
            if control is None or not control.user:
                continue
            typed = self._passwords.control_changes(control)
            if typed != self._rejoined.get(camera.id, 0):
                self._rejoined[camera.id] = typed
                self._rig.rejoin(camera.id)
