"""The live state: one frozen value, replaced whole by each input. Everybody else only reads it."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any

from ribalta.core.engine.shots import CameraLive, HeldTake, LandingRecord, Mixing, Shot, Verdict
from ribalta.core.show.model import Camera, Framing, Show

KEPT_RECORDS = 500
KEPT_UNDO = 100


@dataclass(frozen=True)
class LiveState:
    """`then` is the queue behind Next; `row` is the camera that letters refer to; `page` counts from 0.

    `edits` counts what people changed in the show. What is learned of cameras changes it too, but is no edit.
    `verdicts` say, by framing, whether its picture still holds. Clock time plus `wall_offset_s` is seconds since 1970.
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
    verdicts: Mapping[str, Verdict] = field(default_factory=lambda: MappingProxyType({}))
    wall_offset_s: float = 0.0

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
        undo = (*self.undo, self.show)[-KEPT_UNDO:]
        return replace(self, show=show, undo=undo, edits=self.edits + 1).without_stale_verdicts(self.show)

    def without_stale_verdicts(self, before: Show) -> "LiveState":
        """A framing with another aim or picture than before has to be looked at anew."""

        def same(framing_id: str) -> bool:
            old, new = before.framing(framing_id), self.show.framing(framing_id)
            return old is not None and new is not None and (old.aim, old.picture) == (new.aim, new.picture)

        kept = {framing_id: v for framing_id, v in self.verdicts.items() if same(framing_id)}
        return self if len(kept) == len(self.verdicts) else replace(self, verdicts=MappingProxyType(kept))

    def with_verdict(self, framing_id: str, verdict: Verdict) -> "LiveState":
        return replace(self, verdicts=MappingProxyType({**self.verdicts, framing_id: verdict}))

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


def opening_state(show: Show, now_s: float = 0.0, wall_s: float | None = None) -> LiveState:
    """Nothing known of any camera; the cover shot, or else the first fixed camera, or the first, is on air.

    `wall_s` is the time now in seconds since 1970 (UTC), so that pictures know their age.
    """
    order = [show.camera(show.settings.cover_camera_id or ""), *(c for c in show.cameras if not c.steered)]
    first = next((c for c in [*order, *show.cameras] if c is not None), None)
    return LiveState(
        show=show,
        cameras=MappingProxyType({c.id: CameraLive() for c in show.cameras}),
        program=Shot(first.id) if first else None,
        program_since_s=now_s,
        row=next((c.id for c in show.cameras if c.steered), None),
        wall_offset_s=wall_s - now_s if wall_s is not None else 0.0,
    )
