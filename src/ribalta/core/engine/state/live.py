"""The live state: one frozen value, replaced whole by each input. Everybody else only reads it."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any

from ribalta.core.base.values import changed
from ribalta.core.engine.state.running import NOT_FOLLOWING, Fired, Following, Playing, Run, Tape
from ribalta.core.ports.shots import (
    BARE,
    LIT,
    Asked,
    CameraLive,
    Changeover,
    Dark,
    Dress,
    Fading,
    HeldTake,
    LandingRecord,
    Layer,
    MediumLive,
    OutputLive,
    Shot,
    StripLive,
    Verdict,
)
from ribalta.core.show.automation.cues import Shortcut
from ribalta.core.show.document.model import Camera, Framing, Show
from ribalta.core.show.document.scenes import Key, Scene, Source, Transition

KEPT_RECORDS = 500
SCENE_ROW = "scenes"  # the row that letters refer to when it is not a camera
KEPT_UNDO = 100
UNKNOWN, OFF, AT_REST = CameraLive(), OutputLive(), MediumLive()  # what is not known yet


@dataclass(frozen=True)
class LiveState:
    """`then` is the queue behind Next; `row` is the camera that letters refer to, or SCENE_ROW; `page` counts from 0.

    `edits` counts what people changed in the show. What is learned of cameras changes it too, but is no edit.
    `dress` is what lies over program's base; `pending` are slots that the next take changes too, to what (None: off).
    `transition` is what the next take will use; `dark` and `card` hide program for everybody;
    `media` say, by medium, what of it is shown; `strips`, by microphone, its fader.
    `reserved` are marks that cameras are kept for, by camera; `asked` is the mark that was asked for last.
    `runs` are macros under way, `playing` a playlist, `voice` is voice follow, `fired` how triggers have fared, by
    id. `layers` are layers of shortcuts in force, the last one on top; `tape` is a macro that is being recorded.
    `ran` counts what has run, `doing` is the number of what runs now, `depth` how far behind what set it off.
    `about` is the shot that what runs now speaks of (None: what is on air). `takes` counts takes. What waits on a time
    has come up to `times_done_s`, and comes next at `alarm_s` (clock time). `desk_shortcuts` belong to this desk,
    whatever show is open. `shown` is the view in front. `room_minutes` is for how long the disk has room. `verdicts`
    say, by framing, whether its picture still holds. Clock time plus
    `wall_offset_s` is seconds since 1970.
    """

    show: Show
    cameras: Mapping[str, CameraLive]
    program: Shot | None = None
    program_since_s: float = 0.0
    next: Shot | None = None
    then: tuple[Shot, ...] = ()
    held: HeldTake | None = None
    changing: Changeover | None = None
    dress: Dress = BARE
    pending: Mapping[str, Layer | None] = field(default_factory=lambda: MappingProxyType({}))
    fading: Mapping[str, Fading] = field(default_factory=lambda: MappingProxyType({}))
    transition: Transition = field(default_factory=Transition)
    dark: Dark = LIT
    card: bool = False
    media: Mapping[str, MediumLive] = field(default_factory=lambda: MappingProxyType({}))
    strips: Mapping[str, StripLive] = field(default_factory=lambda: MappingProxyType({}))
    master_db: float = 0.0
    outputs: Mapping[str, OutputLive] = field(default_factory=lambda: MappingProxyType({}))
    records: tuple[LandingRecord, ...] = ()
    row: str | None = None
    page: int = 0
    undo: tuple[Show, ...] = field(default=(), repr=False)
    redo: tuple[Show, ...] = field(default=(), repr=False)
    edits: int = 0
    verdicts: Mapping[str, Verdict] = field(default_factory=lambda: MappingProxyType({}))
    wall_offset_s: float = 0.0
    utc_offset_s: float = 0.0
    runs: tuple[Run, ...] = ()
    waiting_macros: tuple[tuple[str, int], ...] = ()
    playing: Playing | None = None
    voice: Following = NOT_FOLLOWING
    reserved: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    asked: Asked | None = None
    fired: Mapping[str, Fired] = field(default_factory=lambda: MappingProxyType({}))
    were_set: frozenset[str] = frozenset()
    times_done_s: float = 0.0
    layers: tuple[str, ...] = ()
    tape: Tape | None = None
    ran: int = 0
    doing: int = 0
    depth: int = 0
    about: Shot | None = None
    alarm_s: float = float("inf")
    takes: int = 0
    shown: str = "Air"
    room_minutes: float | None = None
    desk_shortcuts: tuple[Shortcut, ...] = ()

    def live(self, camera_id: str) -> CameraLive:
        return self.cameras.get(camera_id, UNKNOWN)

    def medium(self, medium_id: str) -> MediumLive:
        return self.media.get(medium_id, AT_REST)

    def strip(self, mic_id: str) -> StripLive:
        """A microphone's fader; one that has just been added has it where the show has."""
        found = self.strips.get(mic_id)
        if found is None:
            mic = next((m for m in self.show.microphones if m.id == mic_id), None)
            found = StripLive(mic.gain_db, mic.muted) if mic is not None else StripLive()
        return found

    def output(self, name: str) -> OutputLive:
        """ "recording", "stream" or VIRTUAL."""
        return self.outputs.get(name, OFF)

    def with_output(self, name: str, live: OutputLive) -> "LiveState":
        return changed(self, outputs=MappingProxyType({**self.outputs, name: live}))

    def with_medium(self, medium_id: str, **changes: Any) -> "LiveState":
        media = {**self.media, medium_id: replace(self.medium(medium_id), **changes)}
        return changed(self, media=MappingProxyType(media))

    def with_(self, **changes: Any) -> "LiveState":
        return changed(self, **changes)

    def with_live(self, camera_id: str, **changes: Any) -> "LiveState":
        cameras = dict(self.cameras)
        cameras[camera_id] = changed(self.live(camera_id), **changes)
        return changed(self, cameras=MappingProxyType(cameras))

    def with_show(self, show: Show) -> "LiveState":
        """A new document, with the one before kept for undo."""
        undo = (*self.undo, self.show)[-KEPT_UNDO:]
        return changed(self, show=show, undo=undo, redo=(), edits=self.edits + 1).without_stale_verdicts(self.show)

    def with_learned(self, camera: Camera, learned: Camera) -> "LiveState":
        """The document with what was learned of a camera, which is no edit: so it is in those kept for undo, too."""

        def told(show: Show) -> Show:
            kept = show.camera(camera.id)
            if kept is None or kept.head != camera.head:
                return show
            return show.with_camera(kept.model_copy(update={"head": learned.head}))

        rows = {"undo": tuple(map(told, self.undo)), "redo": tuple(map(told, self.redo))}
        return changed(self, show=told(self.show), **rows)

    def without_stale_verdicts(self, before: Show) -> "LiveState":
        """A framing with another aim or picture than before has to be looked at anew."""

        def same(framing_id: str) -> bool:
            old, new = before.framing(framing_id), self.show.framing(framing_id)
            return old is not None and new is not None and (old.aim, old.picture) == (new.aim, new.picture)

        kept = {framing_id: v for framing_id, v in self.verdicts.items() if same(framing_id)}
        return self if len(kept) == len(self.verdicts) else changed(self, verdicts=MappingProxyType(kept))

    def with_verdict(self, framing_id: str, verdict: Verdict) -> "LiveState":
        return changed(self, verdicts=MappingProxyType({**self.verdicts, framing_id: verdict}))

    def camera(self, shot: Shot) -> Camera:
        """The camera of a shot. Raises KeyError when the show no longer has it."""
        camera = self.show.camera(shot.camera_id)
        if camera is None:
            raise KeyError(shot.camera_id)
        return camera

    def framing(self, shot: Shot | None) -> Framing | None:
        return self.show.framing(shot.framing_id) if shot is not None and shot.framing_id is not None else None

    def scene(self, shot: Shot | None) -> Scene | None:
        return self.show.scene(shot.scene_id) if shot is not None and shot.scene_id is not None else None

    def dress_of(self, shot: Shot) -> Dress:
        """What will lie over a shot when it goes on air: what lies there now, less what the scene before brought, and
        what its own scene brings. Of Next, what was put down for the next take too."""
        dress = self.dress
        for slot in dress.by_scene:
            dress = dress.with_(slot, None)
        scene = self.scene(shot)
        if scene is not None:
            for inset in scene.insets:
                dress = dress.with_(f"inset{inset.slot}", inset, True)
            if scene.key is not None:
                dress = dress.with_("key", scene.key, True)
            for k, title_id in enumerate(scene.title_ids, 1):
                if title_id is not None:
                    dress = dress.with_(f"title{k}", title_id, True)
        if shot == self.next:
            for slot, layer in self.pending.items():
                dress = dress.with_(slot, layer)
        return dress

    @property
    def dressed(self) -> bool:
        """Is there anything that lies over program, or will with the next take, or is still leaving?"""
        return bool(self.pending or self.fading) or any(layer is not None for layer in self.dress.layers)

    def on_air(self, camera_id: str) -> bool:
        """Tally: in a transition both pictures are on air, and so is every camera in an inset or a key."""
        shots = (self.program, self.changing.before if self.changing else None)
        if any(shot is not None and shot.camera_id == camera_id for shot in shots):
            return True
        if not self.dressed and self.changing is None:
            return False
        dresses = (self.dress, *((self.changing.before_dress,) if self.changing else ()))
        leaving = (f.layer for f in self.fading.values() if not f.comes)
        layers = (*(layer for dress in dresses for layer in dress.layers), *leaving)
        return any(s.camera_id == camera_id for layer in layers for s in sources_of(layer))

    def is_next(self, camera_id: str) -> bool:
        if self.next is None:
            return False
        if self.next.camera_id == camera_id:
            return True
        if self.next.scene_id is None and not self.dressed:
            return False
        layers = self.dress_of(self.next).layers
        return any(s.camera_id == camera_id for x in layers for s in sources_of(x))

    def shot_words(self, shot: Shot) -> str:
        """What a shot is called."""
        scene, framing, camera = self.scene(shot), self.framing(shot), self.show.camera(shot.camera_id)
        if scene is not None:
            return scene.name
        if camera is None:
            medium = self.show.medium(shot.medium_id or "")
            return medium.name if medium is not None else "nothing"
        return f"{camera.number} {framing.letter}  {framing.name}" if framing else f"{camera.number}  {camera.name}"


def sources_of(layer: Layer | None) -> tuple[Source, ...]:
    """The pictures that a layer shows; none for a title."""
    if isinstance(layer, Key):
        return (layer.fill,) if layer.key is None else (layer.fill, layer.key)
    return () if layer is None or isinstance(layer, str) else (layer.source,)


def opening_state(
    show: Show,
    now_s: float = 0.0,
    wall_s: float | None = None,
    utc_offset_s: float = 0.0,
    desk_shortcuts: tuple[Shortcut, ...] = (),
) -> LiveState:
    """Nothing known of any camera; the cover shot, or else the first fixed camera, or the first, is on air.

    `wall_s` is the time now in seconds since 1970 (UTC), so that pictures know their age; local time is `utc_offset_s`
    ahead of it.
    """
    order = [show.camera(show.settings.cover_camera_id or ""), *(c for c in show.cameras if not c.steered)]
    first = next((c for c in [*order, *show.cameras] if c is not None), None)
    return LiveState(
        show=show,
        cameras=MappingProxyType({c.id: CameraLive() for c in show.cameras}),
        program=Shot(first.id) if first else None,
        program_since_s=now_s,
        row=next((c.id for c in show.cameras if c.steered), None),
        transition=show.settings.normal,
        master_db=show.sound.master_db,
        wall_offset_s=wall_s - now_s if wall_s is not None else 0.0,
        utc_offset_s=utc_offset_s,
        times_done_s=now_s,
        desk_shortcuts=desk_shortcuts,
    )
