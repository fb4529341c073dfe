"""What leaves this machine: recordings, the stream, the virtual camera, tally; as the show says, and as was allowed."""

from dataclasses import replace
from functools import partial
from pathlib import Path

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.program.tally import rows
from ribalta.core.engine.state.crew_lists import is_closed
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import Cause
from ribalta.core.ports.messages import Event, OutputEnded, OutputWanted, ProgramChanged, RoomLeft
from ribalta.core.ports.shots import VIRTUAL
from ribalta.devices.drivers.tsl.wire import Display
from ribalta.devices.tally import TallySender
from ribalta.media.outputs.outputs import ProgramOutputs
from ribalta.media.outputs.recorder import Status
from ribalta.media.outputs.streamer import StreamStatus
from ribalta.media.sound.sound_desk import SoundConsumer
from ribalta.server.engine_host import EngineHost
from ribalta.server.foreign_show import ForeignShow
from ribalta.server.part import Part
from ribalta.server.passwords import Passwords
from ribalta.server.program_host import ProgramHost
from ribalta.workers.crew import Crew


class OutputsHost(Part):
    """What desks see of it may be asked from any thread."""

    called = "outputs and tally"

    def __init__(
        self, host: EngineHost, program: ProgramHost, passwords: Passwords, foreign: ForeignShow, crew: Crew
    ) -> None:
        self._host, self._passwords, self._foreign = host, passwords, foreign
        self._outputs = ProgramOutputs(program.mixer, program.sound, self._ended, crew, host.report)
        self.tally = TallySender(crew)
        self._lit_by: tuple[object, ...] = (None, None, None)
        self._room: int | None = None

    @property
    def recordings(self) -> tuple[Status, ...]:
        """Those that run, or ran last; program first."""
        return self._outputs.recordings

    @property
    def stream(self) -> StreamStatus:
        return self._outputs.stream

    @property
    def minutes_left(self) -> float | None:
        """For how long the running recordings have room; None when that is not known."""
        left = [r.minutes_left for r in self.recordings if r.running and r.minutes_left is not None]
        return min(left, default=None)

    @property
    def folder(self) -> Path:
        """Where recordings go now."""
        return self._outputs.folder_of(self._host.state.show.outputs)

    def try_out(self) -> str:
        """See `ProgramOutputs.try_out`."""
        return self._outputs.try_out(self._host.state.show.outputs)

    def listen(self, hearer: SoundConsumer | None) -> None:
        """See `ProgramOutputs.listen`."""
        self._outputs.listen(hearer)

    def start(self) -> None:
        self.tally.start()

    def stop(self) -> None:
        """Before program's picture and sound stop."""
        self.tally.stop()
        self._outputs.stop()

    def _ended(self, output: str, why: str) -> None:
        self._host.report(OutputEnded(output, why))

    def begin_again(self, output: str) -> None:
        """It was on when the server died that this one goes on from."""
        action = {"recording": "record", "stream": "stream", VIRTUAL: "virtual_camera"}.get(output)
        if action is not None:
            self._host.act(action, {"on": True}, cause=Cause(words="what was on before"))

    # On the engine's thread

    def follow(self, state: LiveState) -> None:
        self._follow_tally(state)
        minutes = self.minutes_left
        if minutes is not None and int(minutes) != self._room:
            self._room = int(minutes)
            self._host.report(RoomLeft(minutes))

    def _follow_tally(self, state: LiveState) -> None:
        lit_by = (state.show, state.program, self._foreign.deeds, state.crew)
        if all(a is b for a, b in zip(lit_by, self._lit_by, strict=True)):
            return
        self._lit_by = lit_by
        receivers = () if self._foreign.deeds else state.show.outputs.tally
        displays = tuple(Display(*row) for row in rows(state))
        if is_closed(state):
            displays = tuple(replace(display, on_air=False, next=False) for display in displays)
        self.tally.follow(receivers, displays)

    def hear(self, event: Event, state: LiveState) -> None:
        if isinstance(event, OutputWanted):
            try:
                self._do(event, state)
            except LocalFault as fault:
                self._host.report(OutputEnded(event.output, str(fault).rstrip("."), began=False))
        elif isinstance(event, ProgramChanged) and event.after.scene_id is not None:
            self._outputs.chapter(self._host.clock.now_s(), state.shot_words(event.after))

    def _do(self, wanted: OutputWanted, state: LiveState) -> None:
        """Raises LocalFault when it cannot be done."""
        if self._foreign.deeds and wanted.on and wanted.output in ("recording", "stream"):
            raise LocalFault("This show comes from elsewhere: answer first, above, what it may do")
        if wanted.output == "chapter":
            self._outputs.chapter(self._host.clock.now_s(), wanted.name)
        elif wanted.output == "recording" and wanted.on:
            name = state.shot_words(state.program.on_air) if state.program.on_air is not None else "Beginning"
            self._outputs.begin_recording(state.show, name)
        elif wanted.output == "recording":
            self._outputs.end_recording()
        elif wanted.output == VIRTUAL and wanted.on:
            self._outputs.begin_virtual()
        elif wanted.output == VIRTUAL:
            self._outputs.end_virtual()
        elif wanted.on:
            outputs = state.show.outputs
            self._outputs.begin_stream(outputs, partial(self._passwords.whole_stream, outputs.stream_to))
        else:
            self._outputs.end_stream()
