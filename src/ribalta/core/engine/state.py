"""The live state: one frozen value, replaced whole by each input. Everybody else only reads it."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any

from ribalta.core.engine.shots import CameraLive, HeldTake, LandingRecord, Mixing, Shot
from ribalta.core.show.model import Camera, Framing, Show

KEPT_RECORDS = 500
KEPT_UNDO = 100


@dataclass(frozen=True)
class LiveState:
    """`then` is the queue behind Next; `row` is the camera that letters refer to; `page` counts from 0.

    `edits` counts what people changed in the show. What is learned of cameras changes it too, but is no edit.
    """

    show: Show
    cameras: Mapping[str, CameraLive]
    program: Shot | None = None
    program_since_s: float = 0.0
    next: Shot | None = None
    then: tuple[Shot, ...] = ()
    held: HeldTake | None = None
    mixing: Mixing | None = None
    records: tuple[LandingRecord, ...] = ()
    row: str | None = None
    page: int = 0
    undo: tuple[Show, ...] = field(default=(), repr=False)
    edits: int = 0

    def live(self, camera_id: str) -> CameraLive:
        return self.cameras.get(camera_id, CameraLive())

    def with_(self, **changes: Any) -> "LiveState":
        return replace(self, **changes)

    def with_live(self, camera_id: str, **changes: Any) -> "LiveState":
        cameras = dict(self.cameras)
        cameras[camera_id] = replace(self.live(camera_id), **changes)
        return replace(self, cameras=MappingProxyType(cameras))

    def with_show(self, show: Show) -> "LiveState":
        """A new document, with the one before kept for undo."""
        return replace(self, show=show, undo=(*self.undo, self.show)[-KEPT_UNDO:], edits=self.edits + 1)

    def camera(self, shot: Shot) -> Camera:
        """The camera of a shot. Raises KeyError when the show no longer has it."""
        camera = self.show.camera(shot.camera_id)
        if camera is None:
            raise KeyError(shot.camera_id)
        return camera

    def framing(self, shot: Shot | None) -> Framing | None:
        return self.show.framing(shot.framing_id) if shot is not None and shot.framing_id is not None else None

    def on_air(self, camera_id: str) -> bool:
        """Tally: during a mix both cameras are on air."""
        shots = (self.program, self.mixing.before if self.mixing else None)
        return any(shot is not None and shot.camera_id == camera_id for shot in shots)

    def is_next(self, camera_id: str) -> bool:
        return self.next is not None and self.next.camera_id == camera_id


def opening_state(show: Show, now_s: float = 0.0) -> LiveState:
    """Nothing known of any camera; the cover shot, or else the first fixed camera, or the first, is on air."""
    order = [show.camera(show.settings.cover_camera_id or ""), *(c for c in show.cameras if not c.steered)]
    first = next((c for c in [*order, *show.cameras] if c is not None), None)
    return LiveState(
        show=show,
        cameras=MappingProxyType({c.id: CameraLive() for c in show.cameras}),
        program=Shot(first.id) if first else None,
        program_since_s=now_s,
        row=next((c.id for c in show.cameras if c.steered), None),
    )
