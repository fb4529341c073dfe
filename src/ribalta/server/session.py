"""The only module that knows every room: it joins engine, rig, mixer, journal and show file into one session."""

import contextlib
import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import partial
from pathlib import Path
from queue import Empty, SimpleQueue
from typing import Any

from ribalta.core.base.clock import Clock, SystemClock
from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.controls import Shortcuts
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.program.in_use import media_in_use
from ribalta.core.engine.program.landing import landing_state
from ribalta.core.engine.program.sounding import channels, fader_gain
from ribalta.core.engine.program.tally import rows
from ribalta.core.engine.state.live import LiveState, opening_state, sources_of
from ribalta.core.engine.views.why import Why
from ribalta.core.engine.withheld import (
    STREAM_KEY,
    STREAM_LOGIN,
    same_host,
    show_without_secrets,
    whole_stream,
    without_secrets,
)
from ribalta.core.ports.causes import BY_HAND, Cause, Ran
from ribalta.core.ports.messages import (
    ClipKnown,
    ClockSet,
    Event,
    Notice,
    OutputEnded,
    OutputWanted,
    PictureWanted,
    ProgramChanged,
    Report,
    Send,
    Severity,
    ShowEdited,
    VoicesHeard,
)
from ribalta.core.ports.shots import VIRTUAL, Dress, LandingState, Shot
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.deeds import deeds
from ribalta.core.show.document.model import PictureSource, unreachable
from ribalta.core.show.document.scenes import Source
from ribalta.core.show.files.recovery import Recovery
from ribalta.core.show.files.storage import StoredShow
from ribalta.devices.drivers.tsl.wire import Display
from ribalta.devices.rig import Rig
from ribalta.devices.secrets import Secrets
from ribalta.devices.tally import TallySender
from ribalta.media.library.bin import MediaBin
from ribalta.media.outputs.outputs import Outputs
from ribalta.media.outputs.recorder import Status
from ribalta.media.outputs.streamer import StreamStatus
from ribalta.media.program.composer import Plan
from ribalta.media.program.mixer import SIZES, Mixer
from ribalta.media.program.shapes import Pictures
from ribalta.media.sound.sound import Heard, SoundDesk, SoundPlan
from ribalta.media.sources.source import Frame
from ribalta.media.sources.sources import Sources
from ribalta.remote.midi import Ports
from ribalta.server.camera_jobs import Workshop
from ribalta.server.controls_io import Cueing, desk_shortcuts
from ribalta.server.persistence import Chores, Safekeeping
from ribalta.server.process import settle_process
from ribalta.server.trust import KnownShows
from ribalta.workers.crew import Crew

LONGEST_NAP_S = 0.5
STANDS_STILL_S, CUEING_RESTS_S = 2.0, 1.0
WALL_EVERY_S, WALL_OFF_S = 1.0, 0.25
TOGETHER_S = 0.003
PICTURE_WAIT_S, LOOK_AGAIN_S = 1.0, 0.02
SHOWN = (
    *("show", "program", "next", "then", "held", "changing", "dress", "pending", "fading"),
    *("dark", "card", "media", "strips", "master_db", "wall_offset_s"),
)


def plan_of(state: LiveState) -> Plan:
    """What the mixer has to know of the live state."""
    return Plan(
        program=state.program,
        dress=state.dress,
        changing=state.changing,
        next=state.next,
        next_dress=state.dress_of(state.next) if state.next is not None else state.dress,
        fading=state.fading,
        dark=state.dark,
        card=state.card,
        spare=state.show.settings.cover_camera_id,
        aux=state.show.outputs.aux,
        titles={title.id: title for title in state.show.titles},
    )


def sound_plan_of(state: LiveState) -> SoundPlan:
    gating = state.show.voice.gating
    return SoundPlan(channels(state), fader_gain(state.master_db), state.show.sound.headphones, gating)


class Session:
    """A show that runs. The engine has a thread of its own; `act` may be called from any.

    `path` None is a show without a file: it has no journal either. Raises LocalFault when the show is open elsewhere.
    """

    def __init__(
        self,
        stored: StoredShow,
        path: Path | None,
        clock: Clock | None = None,
        midi: Ports | None = None,
        known: KnownShows | None = None,
    ) -> None:
        """`known` says of which shows it was answered what they may do beyond this machine; None: of all."""
        settle_process()
        self.clock: Clock = clock or SystemClock()
        self.path = path
        self._inbox: SimpleQueue[Callable[[], None]] = SimpleQueue()
        self._listeners: list[Callable[[Event], None]] = []
        self.crew = Crew(lambda said: self.say(Notice(said, Severity.FAULT)), lambda said: self.say(Notice(said)))
        self._chores = Chores(self.crew)
        show, held = show_without_secrets(stored.show)
        stored = replace(stored, show=show)
        self._known = known
        self.asks: tuple[str, ...] = deeds(show) if known is not None and not known.knows(show) else ()
        self._kept = Safekeeping(stored, path, self._chores, self._say_soon, self._later, self.crew, self.clock.now_s)
        self._stopping = False
        self._wanted_pictures: list[tuple[PictureWanted, float]] = []
        self._shown_parts: tuple[object, ...] = (None,) * len(SHOWN)
        self._early: list[Event] = [Notice(w, Severity.FAULT) for w in (*stored.warnings, *unreachable(stored.show))]
        own, trouble = desk_shortcuts()
        if trouble:
            self._early.append(Notice(trouble, Severity.FAULT))
        ahead_s = float(time.localtime().tm_gmtoff)
        state = opening_state(stored.show, self.clock.now_s(), time.time(), ahead_s, own)
        self._kept.begin(state, state.times_done_s)
        self._engine = Engine(state, self._kept.record)
        self.cueing = Cueing(self, self._tell, midi, self.crew)
        self._early += [Notice(fault, Severity.FAULT) for fault in self._kept.troubles]
        show = stored.show
        self._secrets = Secrets()
        self.workshop = Workshop(self, self._secrets, self.crew)
        for one in held:
            self.workshop.keep_password(one.where, one.user, one.secret)
        self._followed = show.cameras
        self._rejoined: dict[str, int] = {}
        self._sources = Sources(self._picture_password, self._password_changes, self.crew)
        self._sources.follow(show.cameras)
        self.bin = MediaBin(
            self._kept.pictures.get,
            self.state.wall_offset_s,
            lambda medium_id, seconds: self.report(ClipKnown(medium_id, seconds)),
            self.crew,
        )
        self.sound = SoundDesk(self.bin.sound, lambda mic_ids: self.report(VoicesHeard(mic_ids)), self.crew)
        self.mixer = Mixer(
            self._sources.of,
            self._report,
            bin_of_media=self.bin,
            size=SIZES[show.outputs.format],
            crew=self.crew,
            called=self._called,
        )
        self._tally = TallySender(self.crew)
        self.outputs = Outputs(self.mixer, self.sound, lambda name, why: self.report(OutputEnded(name, why)), self.crew)
        self._rig = Rig(
            show.cameras,
            self.clock,
            self._report,
            lambda c: self._secrets.get(f"{c.host}:{c.port}", c.user),
            self.crew,
        )
        self._early += [Notice(fault, Severity.FAULT) for fault in self.workshop.profile_faults]
        self._cueing_rests_s = self._wall_s = float("-inf")
        self._worker = self.crew.worker("engine", self._run, limit_s=STANDS_STILL_S)

    # What the desk uses

    @property
    def state(self) -> LiveState:
        return self._engine.state

    @property
    def pictures(self) -> Pictures:
        return self.mixer.pictures

    def give_way(self) -> None:
        """For whoever paints, between strokes: see `Mixer.give_way`."""
        self.mixer.give_way()

    @property
    def heard(self) -> Heard:
        """The sound as it is now."""
        return self.sound.heard

    @property
    def recordings(self) -> tuple[Status, ...]:
        return self.outputs.recordings

    @property
    def stream(self) -> StreamStatus:
        return self.outputs.stream

    @property
    def troubles(self) -> Mapping[str, str]:
        """What is wrong with titles and media, a sentence each, by id."""
        return self.bin.troubles

    def preview(self, shot: Shot | None, dress: Dress) -> None:
        """What is shown in the place "preview", whatever is on air or next."""
        state, stored = self.state, {}
        sources = [s for layer in dress.layers for s in sources_of(layer)]
        if shot is not None and shot.scene_id is not None:
            sources.append(Source(camera_id=shot.camera_id or None, framing_id=shot.framing_id))
        for source in sources:
            framing = state.show.framing(source.framing_id or "")
            if framing is None or framing.picture is None or state.show.camera(framing.camera_id) is None:
                continue
            part = Shot(framing.camera_id, framing.id)
            if landing_state(state, part, self.clock.now_s()) is not LandingState.SET:
                stored[framing.id] = framing.picture
        self.mixer.preview(shot, dress, stored)

    @property
    def recovery(self) -> Recovery | None:
        """What an earlier session left unsaved, until that has been answered."""
        return self._kept.recovery

    @property
    def unsaved(self) -> bool:
        return self.state.edits != self._kept.saved_edits

    def show_at(self, sizes: Mapping[str, tuple[int, int]]) -> None:
        """Which live pictures the desk shows, and how large; see `Mixer.show_at`."""
        self.mixer.show_at(sizes)

    def framing_picture(self, name: str) -> bytes | None:
        """JPEG bytes of a stored picture."""
        return self._kept.pictures.get(name)

    @property
    def why(self) -> Why:
        """What ran lately, and why."""
        return self._engine.why

    @property
    def messages(self) -> Cueing:
        """What comes and goes between this desk and others."""
        return self.cueing

    @property
    def shortcuts(self) -> Shortcuts:
        return self.cueing.controls.shortcuts

    def learn(self, on: bool) -> None:
        """While on, a control that is worked is told and does nothing."""
        self.cueing.learning = on

    @property
    def backlog(self) -> int:
        return self._inbox.qsize()

    def act(
        self, action_id: str, arguments: Mapping[str, Any], recall_only: bool = False, cause: Cause = BY_HAND
    ) -> None:
        """Ask for an action. What comes of it is seen in the state and heard as events.

        `recall_only`: it comes from a surface that must not change the show.
        """
        arguments = self._without_secrets(action_id, arguments)
        self._inbox.put(lambda: self._act(action_id, arguments, recall_only, cause, None))

    def ask(
        self, action_id: str, arguments: Mapping[str, Any], cause: Cause, answer: Callable[[Ran], None] | None = None
    ) -> None:
        """The same, and be told on the engine's thread what came of it."""
        arguments = self._without_secrets(action_id, arguments)
        self._inbox.put(lambda: self._act(action_id, arguments, False, cause, answer))

    def _without_secrets(self, action_id: str, arguments: Mapping[str, Any]) -> Mapping[str, Any]:
        """What somebody typed without what is nobody's business: that is kept before anything else sees it."""
        clean, found = without_secrets(CATALOGUE.by_id.get(action_id), arguments)
        for one in found:
            self.workshop.keep_password(one.where, one.user, one.secret)
        return clean

    def call(self, call: Call, cause: Cause) -> None:
        """A stored call, on the engine's thread."""
        self._engine.call(call, self.clock.now_s(), cause)

    def work(self, control: str, down: bool) -> None:
        """A key, button or note is pressed or let go."""
        self._inbox.put(lambda: self.cueing.work_now(control, down))

    def lost(self, device: str) -> None:
        """A gamepad or the like is gone, with whatever was held on it."""
        self._inbox.put(lambda: self.cueing.lost_now(device))

    def report(self, report: Report) -> None:
        """Something was found out, other than by the rig and the mixer."""
        self._inbox.put(lambda: self._engine.report(report, self.clock.now_s()))

    def bring_pictures(self, pictures: Mapping[str, bytes]) -> None:
        """JPEG bytes by name, for framings that are about to be brought in."""
        self._inbox.put(lambda: self._kept.take_in(dict(pictures)))

    def look(self, camera_id: str) -> Frame | None:
        """The newest picture of a camera, only lent."""
        return self.mixer.picture(camera_id)

    def picture_trouble(self, camera_id: str) -> str | None:
        """Why no picture comes from a camera, as a phrase, if that is known."""
        source = self._sources.of.get(camera_id)
        return source.trouble if source is not None else None

    def say(self, notice: Notice) -> None:
        """Tell everybody a sentence, in order with all other events."""
        self._inbox.put(lambda: self._tell(notice))

    def put_off(self, chore: Callable[[], None]) -> None:
        """Have something slow done in the background, after what was put off before it."""
        self._chores.put(chore)

    def reopen_pictures(self) -> None:
        """A password has changed: what is opened with it is opened anew."""
        self._inbox.put(self._follow_again)

    def listen(self, listener: Callable[[Event], None]) -> None:
        """Be told of every event, on the engine's thread."""
        self._listeners.append(listener)

    def start(self) -> None:
        self._chores.start()
        self._kept.start(lambda: self._engine.state)
        self._worker.start()
        self.bin.start()
        self.sound.start()
        self._tally.start()
        self.mixer.start()
        self._rig.start()
        self.workshop.start()
        self.cueing.start()
        self.crew.watch()

    def stop(self) -> None:
        """Stop all threads; unsaved changes stay in the journal and are offered at the next start."""
        self.crew.end()
        self.cueing.stop()
        self.workshop.stop()
        self._rig.stop()
        self._tally.stop()
        self.outputs.stop()
        self.mixer.stop()
        self.sound.stop()
        self.bin.stop()
        self._stopping = True
        self._inbox.put(lambda: None)
        self._worker.stop()
        self._worker.join()
        self._chores.put(lambda: self._kept.keep_lessons(self.state))
        self._chores.stop()
        self._sources.close()
        self._kept.close()

    def save(self, path: Path | None = None) -> None:
        """Save in the background; a notice says how it went."""
        self._kept.save(self.state, path)
        if self._known is not None and not self.asks:  # what it does now was wanted here
            known, show = self._known, self.state.show
            self.put_off(lambda: known.learn(show))

    def answer_deeds(self, yes: bool) -> None:
        """Let a show from elsewhere do what it would beyond this machine, from now on; or not, until it is opened
        again."""
        if yes:
            self._inbox.put(self._let_it)

    def _let_it(self) -> None:
        self.asks, self._shown_parts = (), (None,) * len(SHOWN)
        if self._known is not None:
            known, show = self._known, self._engine.state.show
            self.put_off(lambda: known.learn(show))
        self._tell(Notice("From now on this show may do all that on this desk."))

    def answer_recovery(self, keep: bool) -> None:
        """Take over what the last session left unsaved, or drop it."""
        recovery, self._kept.recovery = self._kept.recovery, None
        if recovery is None:
            return
        self._inbox.put(lambda: self._answer(recovery, keep))

    # The engine's thread

    def _report(self, report: Report) -> None:
        self.workshop.hear(report)
        self.report(report)

    def _run(self) -> None:
        early, self._early = self._early, []
        for event in early:
            self._tell(event)
        self._pass_on()
        while not self._stopping:
            self.round()
            self._worker.beat()

    def round(self) -> None:
        """Take in what has come by the next deadline, and pass on what follows from it.

        Each part fails by itself and is said: what was drained reaches those that can take it, and nothing is waited
        for less long because something fails again and again.
        """
        nap_s = LONGEST_NAP_S
        with self.crew.guarded("looking what is due"):
            due_s = min(self._engine.next_deadline_s(), self._cueing_due_s())
            if self._wanted_pictures:
                due_s = min(due_s, self.clock.now_s() + LOOK_AGAIN_S)
            nap_s = max(0.0, min(LONGEST_NAP_S, due_s - self.clock.now_s()))
        with self.crew.guarded("an input", "It had no effect. Go on."), contextlib.suppress(Empty):
            self._take_inputs(nap_s)
        with self.crew.guarded("looking at the clock on the wall"):
            self._look_at_the_wall()
        self._advance_cueing()
        with self.crew.guarded("what was due", "Go on."):
            self._engine.advance(self.clock.now_s())
        with self.crew.guarded("the picture of a framing", "Store it again."):
            self._take_pictures()
        self._pass_on()

    def _look_at_the_wall(self) -> None:
        """Somebody has set the clock, the machine has slept, or summer time begins: what waits on a time must know."""
        now_s = self.clock.now_s()
        if now_s < self._wall_s:
            return
        self._wall_s = now_s + WALL_EVERY_S
        state, ahead_s = self._engine.state, float(time.localtime().tm_gmtoff)
        offset_s = time.time() - self.clock.now_s()
        if abs(offset_s - state.wall_offset_s) > WALL_OFF_S or ahead_s != state.utc_offset_s:
            self._engine.report(ClockSet(offset_s, ahead_s), self.clock.now_s())

    def _cueing_due_s(self) -> float:
        """Keys that are held have deadlines too; for a while not, when those have failed."""
        return float("inf") if self.clock.now_s() < self._cueing_rests_s else self.cueing.next_deadline_s()

    def _advance_cueing(self) -> None:
        if self.clock.now_s() < self._cueing_rests_s:
            return
        try:
            self.cueing.advance()
        except Exception as error:
            self._cueing_rests_s = self.clock.now_s() + CUEING_RESTS_S
            self.crew.failed("what is held on a key or button", error, "Press it again.")

    def _take_inputs(self, nap_s: float) -> None:
        """The next input, and what has come by then: a flood is taken in together. A change of program is passed on at
        once. Raises Empty when there is none."""
        program = self._engine.state.program
        self._inbox.get(timeout=nap_s)()
        end_s = self.clock.now_s() + TOGETHER_S
        while self._engine.state.program is program and self.clock.now_s() < end_s:
            self._inbox.get_nowait()()

    def _pass_on(self) -> None:
        """What the state says is shown first; then what is asked of cameras, and what others are told."""
        events, requests = self._engine.drain()
        guarded = self.crew.guarded
        with guarded("following the show's cameras"):
            self._follow_cameras()
        self._show_on(self._engine.state)
        with guarded("what controllers and messages follow"):
            self.cueing.follow(self._engine.state, self._minutes_left(), bool(self.asks))
        for request in requests:
            with guarded("what was asked of a camera", "It was not sent."):
                self._rig.send(request)
        for event in events:
            with guarded(f"what follows from an event ({type(event).__name__})", "Go on."):
                self._act_on(event)
            with guarded("what is sent for an event", "Go on."):
                if not (self.asks and isinstance(event, Send)):
                    self.cueing.hear(event)
            if isinstance(event, ShowEdited):  # nobody hears of it before it is in the journal
                self._kept.keep(self._engine.state.show, partial(self._say_soon, event))
            else:
                self._tell(event)

    def _act_on(self, event: Event) -> None:
        if isinstance(event, PictureWanted):
            self._wanted_pictures.append((event, self.clock.now_s()))
            self._take_pictures()
        elif isinstance(event, OutputWanted):
            self._output(event)
        elif isinstance(event, ProgramChanged) and event.after.scene_id is not None:
            self.outputs.chapter(self.clock.now_s(), self._engine.state.shot_words(event.after))

    def _take_pictures(self) -> None:
        """What is stored with a framing is what is seen since the camera came to rest: an older picture is only taken
        when no newer one comes for PICTURE_WAIT_S."""
        state, now_s, waiting = self._engine.state, self.clock.now_s(), []
        asked, self._wanted_pictures = self._wanted_pictures, []  # one that fails is not tried without end
        for wanted, asked_s in asked:
            camera, still_s = state.show.camera(wanted.camera_id), state.live(wanted.camera_id).still_since_s
            rest_s = still_s + camera.picture.delay_s if camera is not None and still_s is not None else 0.0
            jpeg = self.mixer.jpeg(wanted.camera_id, min(rest_s, asked_s))
            if jpeg is None and now_s - asked_s < PICTURE_WAIT_S:
                waiting.append((wanted, asked_s))
                continue
            jpeg = jpeg or self.mixer.jpeg(wanted.camera_id)
            if jpeg is not None:
                self._kept.take_in({wanted.name: jpeg})
        self._wanted_pictures = waiting

    def _minutes_left(self) -> float | None:
        """For how long the running recordings have room."""
        left = [r.minutes_left for r in self.outputs.recordings if r.running and r.minutes_left is not None]
        return min(left, default=None)

    def _act(
        self,
        action_id: str,
        arguments: Mapping[str, Any],
        recall_only: bool,
        cause: Cause,
        answer: Callable[[Ran], None] | None,
    ) -> None:
        ran = self._engine.act(action_id, arguments, self.clock.now_s(), recall_only, cause)
        if answer is not None:
            answer(ran)

    def _show_on(self, state: LiveState) -> None:
        """Picture, sound and tally follow the state; what only says where cameras are changes nothing of that."""
        parts = tuple(getattr(state, name) for name in SHOWN)
        if all(now is before for now, before in zip(parts, self._shown_parts, strict=True)):
            return
        self._shown_parts = parts
        guarded = self.crew.guarded
        with guarded("what titles and media follow"):
            self.bin.wall_offset_s = state.wall_offset_s
            self.bin.follow(state.show, state.media, media_in_use(state))
        with guarded("what program follows"):
            self.mixer.follow(plan_of(state))
        with guarded("what the sound follows"):
            self.sound.follow(sound_plan_of(state))
        with guarded("what tally follows"):
            told = () if self.asks else state.show.outputs.tally
            self._tally.follow(told, tuple(Display(*row) for row in rows(state)))

    def _output(self, wanted: OutputWanted) -> None:
        show = self._engine.state.show
        try:
            if self.asks and wanted.on and wanted.output in ("recording", "stream"):
                raise LocalFault("This show comes from elsewhere: answer first, above, what it may do")
            if wanted.output == "chapter":
                self.outputs.chapter(self.clock.now_s(), wanted.name)
            elif wanted.output == "recording" and wanted.on:
                program = self._engine.state.program
                name = self._engine.state.shot_words(program) if program is not None else "Beginning"
                self.outputs.begin_recording(show, name)
            elif wanted.output == "recording":
                self.outputs.end_recording()
            elif wanted.output == VIRTUAL and wanted.on:
                self.outputs.begin_virtual()
            elif wanted.output == VIRTUAL:
                self.outputs.end_virtual()
            elif wanted.on:
                self.outputs.begin_stream(show.outputs, partial(self._whole_stream, show.outputs.stream_to))
            else:
                self.outputs.end_stream()
        except LocalFault as fault:
            self._engine.report(OutputEnded(wanted.output, str(fault).rstrip("."), began=False), self.clock.now_s())

    def _whole_stream(self, address: str) -> str:
        get = self._secrets.get
        return whole_stream(address, get(address, STREAM_LOGIN), get(address, STREAM_KEY))

    def _follow_cameras(self) -> None:
        """The rig and the mixer have the cameras that the show has."""
        cameras = self._engine.state.show.cameras
        if cameras is not self._followed:
            self._followed = cameras
            if self._sources.follow(cameras):
                self.mixer.follow_sources(self._sources.of)
            self._rig.follow(cameras)

    def _follow_again(self) -> None:
        """A password has changed: what is opened with it is opened anew."""
        if self._sources.follow(self._followed):
            self.mixer.follow_sources(self._sources.of)
        for camera in self._followed:
            control = camera.control
            if control is None or not control.user:
                continue
            typed = self._secrets.changes(f"{control.host}:{control.port}", control.user)
            if typed != self._rejoined.get(camera.id, 0):
                self._rejoined[camera.id] = typed
                self._rig.rejoin(camera.id)

    def _say_soon(self, event: Event) -> None:
        """From any thread."""
        self._inbox.put(lambda: self._tell(event))

    def _picture_password(self, picture: PictureSource) -> str:
        """Its own; or that of the head of the same camera, if both are one device with one user."""
        own = self._secrets.get(picture.name, picture.user)
        where = self._control_of(picture)
        return own or (self._secrets.get(where, picture.user) if where else "")

    def _password_changes(self, picture: PictureSource) -> int:
        where = self._control_of(picture)
        mine = self._secrets.changes(picture.name, picture.user)
        return mine + (self._secrets.changes(where, picture.user) if where else 0)

    def _control_of(self, picture: PictureSource) -> str:
        """Where the head of the device is that a picture comes from, if it has the same user."""
        for camera in self._followed:
            control = camera.control
            if camera.picture != picture or control is None or control.user != picture.user:
                continue
            if same_host(picture.name, control.host):
                return f"{control.host}:{control.port}"
        return ""

    def _called(self, camera_id: str) -> str:
        """A camera in a sentence."""
        camera = self.state.show.camera(camera_id)
        return f"camera {camera.number} “{camera.name}”" if camera is not None else "a camera that was removed"

    def _later(self, work: Callable[[LiveState], None]) -> None:
        self._inbox.put(lambda: work(self._engine.state))

    def _tell(self, event: Event) -> None:
        for listener in self._listeners:
            with self.crew.guarded("a listener to the show", "Go on."):
                listener(event)

    def _answer(self, recovery: Recovery, keep: bool) -> None:
        if keep:
            self._engine.take_over(self._kept.taken_back(recovery), self.clock.now_s())
            self._tell(ShowEdited("took back what was not saved"))
            self._tell(Notice("What was not saved last time is back. Save the show to keep it."))
        else:
            recovery.forget()
            self._tell(Notice("The unsaved changes of the last session were dropped."))
