"""The live state: one frozen value, replaced whole by each input. Everybody else only reads it."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any

from ribalta.core.base.values import changed
from ribalta.core.engine.state.automation_state import VOICE_FOLLOW_OFF, VoiceFollowState
from ribalta.core.engine.state.groups import (
    AutomationState,
    CrewState,
    DeskState,
    EditState,
    OutputsState,
    ProgramState,
    RunState,
    SoundState,
    WallClock,
)
from ribalta.core.engine.state.guests import GuestsState
from ribalta.core.ports.shots import CameraLive, Layer, MediumLive, OutputLive, Overlays, Shot, StripLive, Verdict
from ribalta.core.show.automation.triggers_pads_shortcuts import Shortcut
from ribalta.core.show.document.model import Camera, Framing, Show
from ribalta.core.show.document.scenes import Key, Scene, Source

KEPT_RECORDS = 500
SCENE_ROW = "scenes"  # the row that letters refer to when it is not a camera
KEPT_UNDO = 100
UNKNOWN, OFF, AT_REST = CameraLive(), OutputLive(), MediumLive()  # what is not known yet


@dataclass(frozen=True)
class LiveState:
    """`cameras` is what is known of each camera; `voice` is voice follow; `verdicts` say, by framing, whether its
    picture still holds; `desks` are those beside the one in hand (see `seats`). The other groups are described
    with their own."""

    show: Show
    cameras: Mapping[str, CameraLive]
    program: ProgramState = field(default_factory=ProgramState)
    sound: SoundState = field(default_factory=SoundState)
    outputs: OutputsState = field(default_factory=OutputsState)
    automation: AutomationState = field(default_factory=AutomationState)
    voice: VoiceFollowState = VOICE_FOLLOW_OFF
    verdicts: Mapping[str, Verdict] = field(default_factory=lambda: MappingProxyType({}))
    edits: EditState = field(default_factory=EditState)
    desk: DeskState = field(default_factory=DeskState)
    desks: Mapping[str, DeskState] = field(default_factory=lambda: MappingProxyType({}))
    wall_clock: WallClock = field(default_factory=WallClock)
    crew: CrewState = field(default_factory=CrewState)
    guests: GuestsState = field(default_factory=GuestsState)
    run: RunState = field(default_factory=RunState)

    def live(self, camera_id: str) -> CameraLive:
        """What is known of a camera; of one that is unknown, nothing."""
        return self.cameras.get(camera_id, UNKNOWN)

    def medium(self, medium_id: str) -> MediumLive:
        """What of a medium is shown."""
        return self.program.media.get(medium_id, AT_REST)

    def strip(self, mic_id: str) -> StripLive:
        """A microphone's fader; one that has just been added has it where the show has."""
        found = self.sound.strips.get(mic_id)
        if found is None:
            mic = next((m for m in self.show.microphones if m.id == mic_id), None)
            found = StripLive(mic.gain_db, mic.muted) if mic is not None else StripLive()
        return found

    def output(self, name: str) -> OutputLive:
        """ "recording", "stream" or VIRTUAL."""
        return self.outputs.live.get(name, OFF)

    def with_output(self, name: str, live: OutputLive) -> "LiveState":
        """With how an output stands."""
        return self.with_outputs(live=MappingProxyType({**self.outputs.live, name: live}))

    def with_medium(self, medium_id: str, **changes: Any) -> "LiveState":
        """With some fields of a `MediumLive` changed."""
        media = {**self.program.media, medium_id: replace(self.medium(medium_id), **changes)}
        return self.with_program(media=MappingProxyType(media))

    def with_(self, **changes: Any) -> "LiveState":
        """Other groups."""
        return changed(self, **changes)

    def with_program(self, **changes: Any) -> "LiveState":
        """With some fields of its `ProgramState` changed."""
        return changed(self, program=changed(self.program, **changes))

    def with_sound(self, **changes: Any) -> "LiveState":
        """With some fields of its `SoundState` changed."""
        return changed(self, sound=changed(self.sound, **changes))

    def with_outputs(self, **changes: Any) -> "LiveState":
        """With some fields of its `OutputsState` changed."""
        return changed(self, outputs=changed(self.outputs, **changes))

    def with_automation(self, **changes: Any) -> "LiveState":
        """With some fields of its `AutomationState` changed."""
        return changed(self, automation=changed(self.automation, **changes))

    def with_edits(self, **changes: Any) -> "LiveState":
        """With some fields of its `EditState` changed."""
        return changed(self, edits=changed(self.edits, **changes))

    def with_desk(self, **changes: Any) -> "LiveState":
        """With some fields of its `DeskState` changed."""
        return changed(self, desk=changed(self.desk, **changes))

    def with_wall_clock(self, **changes: Any) -> "LiveState":
        """With some fields of its `WallClock` changed."""
        return changed(self, wall_clock=changed(self.wall_clock, **changes))

    def with_crew(self, **changes: Any) -> "LiveState":
        """With some fields of its `CrewState` changed."""
        return changed(self, crew=changed(self.crew, **changes))

    def with_guests(self, **changes: Any) -> "LiveState":
        """With some fields of its `GuestsState` changed."""
        return changed(self, guests=changed(self.guests, **changes))

    def with_run(self, **changes: Any) -> "LiveState":
        """With some fields of its `RunState` changed."""
        return changed(self, run=changed(self.run, **changes))

    def with_live(self, camera_id: str, **changes: Any) -> "LiveState":
        """With some fields of a `CameraLive` changed."""
        return self.with_camera_live(camera_id, changed(self.live(camera_id), **changes))

    def with_camera_live(self, camera_id: str, live: CameraLive) -> "LiveState":
        """With what is known of a camera now."""
        cameras = dict(self.cameras)
        cameras[camera_id] = live
        return changed(self, cameras=MappingProxyType(cameras))

    def with_show(self, show: Show, what: str = "the last edit") -> "LiveState":
        """A new document, with the one before kept for undo; `what` was done to it."""
        undo, words = (*self.edits.undo, self.show)[-KEPT_UNDO:], (*self.edits.undo_words, what)[-KEPT_UNDO:]
        edits = EditState(undo, (), words, count=self.edits.count + 1)
        return changed(self, show=show, edits=edits).without_stale_verdicts(self.show)

    def as_one_edit(self, before: "LiveState") -> "LiveState":
        """This state, whose last edit goes on with the one before it: both are one step to undo."""
        edits = changed(self.edits, undo=before.edits.undo, undo_words=before.edits.undo_words)
        return changed(self, edits=edits)

    def with_learned(self, camera: Camera, learned: Camera) -> "LiveState":
        """The document with what was learned of a camera, which is no edit: so it is in those kept for undo, too."""

        def told(show: Show) -> Show:
            kept = show.camera(camera.id)
            if kept is None or kept.head != camera.head:
                return show
            return show.with_camera(kept.model_copy(update={"head": learned.head}))

        edits = changed(self.edits, undo=tuple(map(told, self.edits.undo)), redo=tuple(map(told, self.edits.redo)))
        return changed(self, show=told(self.show), edits=edits)

    def without_stale_verdicts(self, before: Show) -> "LiveState":
        """A framing with another aim or picture than before has to be looked at anew."""

        def same(framing_id: str) -> bool:
            old, new = before.framing(framing_id), self.show.framing(framing_id)
            return old is not None and new is not None and (old.aim, old.picture) == (new.aim, new.picture)

        kept = {framing_id: v for framing_id, v in self.verdicts.items() if same(framing_id)}
        return self if len(kept) == len(self.verdicts) else changed(self, verdicts=MappingProxyType(kept))

    def with_verdict(self, framing_id: str, verdict: Verdict) -> "LiveState":
        """With what comparing a framing's picture came to."""
        return changed(self, verdicts=MappingProxyType({**self.verdicts, framing_id: verdict}))

    def camera(self, shot: Shot) -> Camera:
        """The camera of a shot. Raises KeyError when the show no longer has it."""
        camera = self.show.camera(shot.camera_id)
        if camera is None:
            raise KeyError(shot.camera_id)
        return camera

    def framing(self, shot: Shot | None) -> Framing | None:
        """The framing of a shot, if it has one that the show still has."""
        return self.show.framing(shot.framing_id) if shot is not None and shot.framing_id is not None else None

    def scene(self, shot: Shot | None) -> Scene | None:
        """The scene of a shot, if it has one that the show still has."""
        return self.show.scene(shot.scene_id) if shot is not None and shot.scene_id is not None else None

    def overlays_of(self, shot: Shot) -> Overlays:
        """What will lie over a shot when it goes on air: what lies there now, less what the scene before brought, and
        what its own scene brings. Of Next, what was put down for the next take too."""
        dress = self.program.overlays
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
        if shot == self.program.next:
            for slot, layer in self.program.pending.items():
                dress = dress.with_(slot, layer)
        return dress

    @property
    def has_overlays(self) -> bool:
        """Is there anything that lies over program, or will with the next take, or is still leaving?"""
        return bool(self.program.pending or self.program.fading) or any(
            layer is not None for layer in self.program.overlays.layers
        )

    def on_air(self, camera_id: str) -> bool:
        """Tally: in a transition both pictures are on air, and so is every camera in an inset or a key."""
        shots = (self.program.on_air, self.program.in_transition.before if self.program.in_transition else None)
        if any(shot is not None and shot.camera_id == camera_id for shot in shots):
            return True
        if not self.has_overlays and self.program.in_transition is None:
            return False
        dresses = (
            self.program.overlays,
            *((self.program.in_transition.before_overlays,) if self.program.in_transition else ()),
        )
        leaving = (f.layer for f in self.program.fading.values() if not f.comes)
        layers = (*(layer for dress in dresses for layer in dress.layers), *leaving)
        return any(s.camera_id == camera_id for layer in layers for s in sources_of(layer))

    def is_next(self, camera_id: str) -> bool:
        """Tally: is a camera in Next, or in what will lie over it?"""
        if self.program.next is None:
            return False
        if self.program.next.camera_id == camera_id:
            return True
        if self.program.next.scene_id is None and not self.has_overlays:
            return False
        layers = self.overlays_of(self.program.next).layers
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
        program=ProgramState(Shot(first.id) if first else None, now_s, transition=show.settings.normal),
        sound=SoundState(master_db=show.sound.master_db, monitor_db=show.sound.monitor_db),
        automation=AutomationState(times_done_s=now_s),
        desk=DeskState(next((c.id for c in show.cameras if c.steered), None), shortcuts=desk_shortcuts),
        wall_clock=WallClock(wall_s - now_s if wall_s is not None else 0.0, utc_offset_s),
    )
