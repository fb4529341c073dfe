"""What work on a camera needs of a running show."""

from collections.abc import Mapping
from typing import Any, Protocol

from ribalta.core.base.clock import Clock
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice, Report
from ribalta.media.program.mixer import Mixer
from ribalta.media.sources.source import Frame
from ribalta.server.cameras.camera_links import CameraLinks
from ribalta.server.engine_host import EngineHost
from ribalta.server.persistence import Persistence


class CameraAccess(Protocol):
    """May be called from any thread; nothing of it waits."""

    @property
    def clock(self) -> Clock: ...
    @property
    def state(self) -> LiveState: ...
    def act(self, action_id: str, arguments: Mapping[str, Any]) -> None: ...
    def report(self, report: Report) -> None: ...
    def say(self, notice: Notice) -> None: ...
    def look(self, camera_id: str) -> Frame | None:
        """The newest picture of a camera, only lent."""
        ...

    def stored_picture(self, name: str) -> bytes | None:
        """JPEG bytes of a framing's picture."""
        ...

    def picture_trouble(self, camera_id: str) -> str | None:
        """Why no picture comes from a camera, as a phrase, if that is known."""
        ...


class SessionAccess:
    """That of a session."""

    def __init__(self, host: EngineHost, links: CameraLinks, mixer: Mixer, kept: Persistence) -> None:
        self.act, self.report, self.say = host.act, host.report, host.say
        self.look, self.picture_trouble, self.stored_picture = mixer.picture, links.picture_trouble, kept.pictures.get
        self._host = host

    @property
    def clock(self) -> Clock:
        return self._host.clock

    @property
    def state(self) -> LiveState:
        return self._host.state
