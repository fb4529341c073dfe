"""Program as the live state says: its pictures, what is laid over them, and its sound; and what desks see of them."""

from collections.abc import Callable, Collection, Mapping

from ribalta.attach.crew_line import CrewSide, pair
from ribalta.core.engine.program.in_use import media_in_use
from ribalta.core.engine.program.landing import landing_state
from ribalta.core.engine.program.open_microphones import channels, fader_gain
from ribalta.core.engine.state.live import LiveState, sources_of
from ribalta.core.ports.as_run import SoundHeard
from ribalta.core.ports.messages import ClipKnown, VoicesHeard
from ribalta.core.ports.shots import LandingState, Overlays, Shot
from ribalta.core.show.document.scenes import Source
from ribalta.media.library.library import MediaLibrary
from ribalta.media.program.composer import ProgramPlan
from ribalta.media.program.mixer import Mixer
from ribalta.media.program.shapes import Pictures
from ribalta.media.sound import sound_devices
from ribalta.media.sound.sound_desk import SoundDesk, SoundPlan, SoundStatus
from ribalta.server.cameras.camera_links import CameraLinks
from ribalta.server.engine_host import EngineHost
from ribalta.server.part import Part
from ribalta.server.persistence import Persistence
from ribalta.workers.crew import Crew

SOUND_EVERY_S = 30.0  # how often the log is told how loud program is


def plan_of(state: LiveState) -> ProgramPlan:
    """What the mixer has to know of the live state."""
    return ProgramPlan(
        program=state.program.on_air,
        overlays=state.program.overlays,
        in_transition=state.program.in_transition,
        next=state.program.next,
        next_overlays=state.overlays_of(state.program.next)
        if state.program.next is not None
        else state.program.overlays,
        fading=state.program.fading,
        black=state.program.black,
        card=state.program.card,
        spare=state.show.settings.cover_camera_id,
        aux=state.show.outputs.aux,
        titles={title.id: title for title in state.show.titles},
        take=state.program.takes,
        practice=state.crew.practice,
    )


def sound_plan_of(state: LiveState) -> SoundPlan:
    sound = state.sound
    return SoundPlan(
        channels(state),
        fader_gain(sound.master_db),
        state.show.sound.headphones,
        fader_gain(sound.monitor_db),
        state.show.voice.gating,
        (state.show.sound.talkback_id or "") if state.guests.crew_talks else "",
    )


class ProgramHost(Part):
    """What is only where cameras are changes nothing of it."""

    called = "program"

    def __init__(self, host: EngineHost, links: CameraLinks, kept: Persistence, crew: Crew) -> None:
        self._host, self._links, self._crew = host, links, crew
        self._sources = links.sources
        self._told_s = 0.0  # when the log was told how loud it is
        self._shown: tuple[object, ...] = (None,) * 5
        self._guests: CrewSide | None = None
        state = host.state
        self._library = MediaLibrary(
            kept.pictures.get,
            state.wall_clock.offset_s,
            lambda medium_id, seconds: host.report(ClipKnown(medium_id, seconds)),
            crew,
        )
        self.sound = SoundDesk(self._library.sound, lambda mic_ids: host.report(VoicesHeard(mic_ids)), crew)
        self.mixer = Mixer(
            self._sources,
            host.report,
            bin_of_media=self._library,
            size=state.show.outputs.size,
            rate=state.show.outputs.rate,
            crew=crew,
            called=self._called,
        )

    def start(self) -> None:
        self._library.start()
        self.sound.start()
        self.mixer.start()

    def stop(self) -> None:
        self.mixer.stop()
        self.sound.stop()
        self._library.stop()
        if self._guests is not None:
            self._guests.close()

    def _called(self, camera_id: str) -> str:
        """A camera in a sentence."""
        camera = self._host.state.show.camera(camera_id)
        return f"camera {camera.number} “{camera.name}”" if camera is not None else "a camera that was removed"

    # What desks see and hear, from any thread

    @property
    def pictures(self) -> Pictures:
        return self.mixer.desk_pictures.latest

    def on_pictures(self, call: Callable[[], None]) -> None:
        """Call it whenever there are new ones, on a thread of its own; it must return at once."""
        self.mixer.desk_pictures.on_made = call

    @property
    def heard(self) -> SoundStatus:
        """The sound as it is now."""
        return self.sound.heard

    @property
    def troubles(self) -> Mapping[str, str]:
        """What is wrong with titles and media, a sentence each, by id."""
        return self._library.troubles

    def show_at(self, sizes: Mapping[str, tuple[int, int]], often: Collection[str] = ()) -> None:
        """Which live pictures a desk shows, and how large; see `DeskPictures.show_at`."""
        self.mixer.desk_pictures.show_at(sizes, often)

    def give_way(self) -> None:
        """For whoever paints, between strokes: see `Mixer.give_way`."""
        self.mixer.give_way()

    def preview(self, shot: Shot | None, dress: Overlays) -> None:
        """What is shown in the place "preview", whatever is on air or next."""
        state, stored = self._host.state, {}
        sources = [s for layer in dress.layers for s in sources_of(layer)]
        if shot is not None and shot.scene_id is not None:
            sources.append(Source(camera_id=shot.camera_id or None, framing_id=shot.framing_id))
        for source in sources:
            framing = state.show.framing(source.framing_id or "")
            if framing is None or framing.picture is None or state.show.camera(framing.camera_id) is None:
                continue
            part = Shot(framing.camera_id, framing.id)
            if landing_state(state, part, self._host.clock.now_s()) is not LandingState.SET:
                stored[framing.id] = framing.picture
        self.mixer.desk_pictures.preview(shot, dress, stored)

    @staticmethod
    def sound_devices() -> tuple[list[str], list[str]]:
        """Names of inputs and outputs of this machine."""
        return sound_devices.names(True), sound_devices.names(False)

    def hear_guests(self) -> int:
        """From now on whoever has this file hears program, and may be heard by the director; see `CrewLine`."""
        line, file = pair()
        before, self._guests = self._guests, CrewSide(line)
        self.sound.guests = self._guests
        if before is not None:
            before.close()
        return file

    # On the engine's thread

    def follow(self, state: LiveState) -> None:
        now_s = self._host.clock.now_s()
        if state.program.records and now_s - self._told_s > SOUND_EVERY_S:
            self._told_s = now_s
            self._host.report(SoundHeard(self.heard.loudness))
        if self._links.sources is not self._sources:
            self._sources = self._links.sources
            self.mixer.follow_sources(self._sources)
        groups = (state.program, state.show, state.sound, state.wall_clock, state.guests.crew_talks)
        if all(now is before for now, before in zip(groups, self._shown, strict=True)):
            return
        self._shown = groups
        self.mixer.change(state.show.outputs.size, state.show.outputs.rate)
        guarded = self._crew.guarded
        with guarded("what titles and media follow"):
            self._library.wall_offset_s = state.wall_clock.offset_s
            self._library.follow(state.show, state.program.media, media_in_use(state))
        changes = False
        with guarded("what program follows"):
            changes = self.mixer.follow(plan_of(state))
        with guarded("what the sound follows"):
            self.sound.follow(sound_plan_of(state))
        if changes:
            self.mixer.give_way()  # what else follows can wait until the new picture is out
