"""What the guests' door needs of a running show, to which it is attached."""

from collections.abc import Callable, Mapping
from typing import Any, Protocol

from ribalta.attach.crew_line import CrewLine
from ribalta.attach.protocol import DoorSeen
from ribalta.core.base.clock import Clock
from ribalta.core.engine.state.live import LiveState
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.causes import Cause


class LivePictures(Protocol):
    """By place."""

    @property
    def shown(self) -> Mapping[str, Picture]: ...
    @property
    def captured_s(self) -> Mapping[str, float]: ...


class PicturesAccess(Protocol):
    """Nothing of it waits."""

    @property
    def pictures(self) -> LivePictures: ...
    def show_at(self, sizes: Mapping[str, tuple[int, int]]) -> None: ...


class FileAccess(Protocol):
    """Stored pictures."""

    def picture_waited_for(self, name: str) -> bytes | None:
        """JPEG bytes; it may wait for a moment."""
        ...


class DoorAccess(Protocol):
    """What the door says of itself."""

    @property
    def crew(self) -> CrewLine | None: ...
    def tell(self, door: DoorSeen) -> None: ...
    def listen(self) -> None:
        """Ask for `crew`, the sound of the show: it is there in a moment."""
        ...


class Outside(Protocol):
    """What comes and goes beyond this machine."""

    @property
    def guests(self) -> DoorAccess: ...


class GuestShow(Protocol):
    """May be called from any thread; nothing of it waits, but for stored pictures."""

    @property
    def clock(self) -> Clock: ...
    @property
    def state(self) -> LiveState: ...
    @property
    def media(self) -> PicturesAccess: ...
    @property
    def file(self) -> FileAccess: ...
    @property
    def outside(self) -> Outside: ...
    def act(
        self,
        action_id: str,
        arguments: Mapping[str, Any],
        recall_only: bool = False,
        cause: Cause = ...,
        answer: Callable[[str], None] | None = None,
    ) -> None: ...
