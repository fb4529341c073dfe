"""A show that runs: its parts, put together, started and stopped."""

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from ribalta.core.base.clock import Clock, SystemClock
from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.state.live import LiveState, opening_state
from ribalta.core.engine.views.show_log import ShowLog
from ribalta.core.engine.withheld import show_without_secrets
from ribalta.core.ports.causes import BY_HAND, Cause
from ribalta.core.ports.messages import Event, Notice, Severity
from ribalta.core.show.document.model import unreachable
from ribalta.core.show.files.storage import StoredShow
from ribalta.devices.secrets import Secrets
from ribalta.remote.midi import Ports
from ribalta.server.cameras.camera_access import SessionAccess
from ribalta.server.cameras.camera_jobs import CameraJobs
from ribalta.server.cameras.camera_links import CameraLinks
from ribalta.server.cameras.camera_placing import CameraPlacing
from ribalta.server.cameras.framing_pictures import FramingPictures
from ribalta.server.chores import Chores
from ribalta.server.controls_io import ControlsIo, desk_shortcuts
from ribalta.server.engine_host import EngineHost
from ribalta.server.evening.closing_host import ClosingHost
from ribalta.server.evening.readiness_host import ReadinessHost
from ribalta.server.faders_io import FadersIo
from ribalta.server.foreign_show import ForeignShow
from ribalta.server.guests_host import GuestsHost
from ribalta.server.import_export.transfers import Transfers
from ribalta.server.inbox import Inbox
from ribalta.server.messages_host import MessagesHost
from ribalta.server.outputs_host import OutputsHost
from ribalta.server.passwords import Passwords
from ribalta.server.persistence import Persistence
from ribalta.server.process import settle_process
from ribalta.server.program_host import ProgramHost
from ribalta.server.resuming import Resumed, taken_up
from ribalta.server.show_file import ShowFile
from ribalta.server.trust import KnownShows
from ribalta.workers.crew import Crew
from ribalta.workers.loading import Loading

# comparing pictures, learning, and judging what a check has measured
LATER = ("scipy.fft", "scipy.ndimage", "scipy.optimize", "ribalta.core.readiness.check")


@dataclass(frozen=True)
class CameraSetup:
    """What sets cameras up."""

    jobs: CameraJobs
    placing: CameraPlacing
    passwords: Passwords


@dataclass(frozen=True)
class Outside:
    """What comes and goes beyond this machine."""

    messages: MessagesHost
    guests: GuestsHost


@dataclass(frozen=True)
class Evening:
    """Before doors, and when all have gone."""

    readiness: ReadinessHost
    closing: ClosingHost


class Session:
    """The engine has a thread of its own, and so has much of what follows it; any thread may use what is public here.

    `path` None is a show without a file: it has no journal either. Raises LocalFault when the show is open elsewhere.
    """

    def __init__(
        self,
        stored: StoredShow,
        path: Path | None,
        clock: Clock | None = None,
        midi: Ports | None = None,
        known: KnownShows | None = None,
        trouble: str = "",
        resumed: Resumed | None = None,
        practice: bool = False,
    ) -> None:
        """`known` says of which shows it was answered what they may do beyond this machine; None: of all. `trouble` is
        a sentence that is said as the show begins. `resumed` is what a server that died has left.
        `practice`: no real device is reached, and all that is seen says so."""
        settle_process()
        self.clock: Clock = clock or SystemClock()
        inbox = Inbox()
        crew = self._crew = Crew(
            lambda said: inbox.say(Notice(said, Severity.FAULT)), lambda said: inbox.say(Notice(said))
        )
        chores = self._chores = Chores(crew)
        loading = self._loading = Loading(crew, *LATER)
        found = resumed or Resumed()
        show, withheld = show_without_secrets((found.unsaved or stored).show)
        if found.unsaved is None:
            stored = replace(stored, show=show)
        persistence = self._persistence = Persistence(stored, path, chores, inbox, crew, self.clock.now_s)
        shortcuts, unread = desk_shortcuts()
        ahead_s = float(time.localtime().tm_gmtoff)
        state = opening_state(show, self.clock.now_s(), time.time(), ahead_s, shortcuts)
        state, ended = taken_up(state.with_crew(practice=practice), found)
        persistence.begin(state, self.clock.now_s() if found.state is not None else state.automation.times_done_s)
        if found.unsaved is not None:
            persistence.take_up_unsaved(replace(found.unsaved, show=show))
        engine = Engine(state, persistence.record)
        self.log = ShowLog(engine.history, engine.as_run)
        passwords = Passwords(Secrets(), inbox, chores)
        host = self.host = EngineHost(engine, inbox, self.clock, crew, persistence, passwords.taken_out)
        foreign = ForeignShow(show, known, inbox, chores)
        links = self._links = CameraLinks(show.cameras, self.clock, inbox, passwords, crew)
        self.media = ProgramHost(host, links, persistence, crew)
        self.outputs = OutputsHost(host, self.media, passwords, foreign, crew)
        self.controls = ControlsIo(host, inbox, chores, FadersIo(host, inbox))
        messages = MessagesHost(host, self.controls, foreign, midi, crew, passwords)
        self.outside = Outside(messages, GuestsHost(host, crew))
        access = SessionAccess(host, links, self.media.mixer, persistence)
        jobs = CameraJobs(access, passwords.secrets, crew, loading.wait)
        links.on_report(jobs.hear)
        closing = ClosingHost(host, self.outputs, crew)
        host.attach(closing)
        self.evening = Evening(ReadinessHost(host, self.media, self.outputs, messages, jobs, crew), closing)
        self.setup = CameraSetup(jobs, CameraPlacing(access, chores), passwords)
        transfers = Transfers(access, chores, lambda files: inbox.put(lambda _: persistence.add_files(files)))
        self.file = ShowFile(host, persistence, inbox, foreign, transfers)
        pictures = FramingPictures(self.media.mixer, persistence, self.clock)
        host.attach(links, self.media, self.outputs, messages, self.controls, self.controls.faders, pictures, self.file)
        host.attach(self.outside.guests)
        for secret in withheld:
            passwords.keep(secret.where, secret.user, secret.secret)
        warnings = (
            *stored.warnings,
            *unreachable(show),
            *(said for said in (unread, trouble, found.trouble) if said),
            *ended,
        )
        self._outputs_wanted = found.outputs
        for said in (*warnings, *persistence.troubles, *jobs.profile_faults):
            inbox.say(Notice(said, Severity.FAULT))

    @property
    def state(self) -> LiveState:
        return self.host.state

    def act(
        self, action_id: str, arguments: Mapping[str, Any], recall_only: bool = False, cause: Cause = BY_HAND
    ) -> None:
        """Ask for an action; see `EngineHost.act`."""
        self.host.act(action_id, arguments, recall_only, cause)

    def listen(self, listener: Callable[[Event], None]) -> None:
        """Be told of every event, on the engine's thread."""
        self.host.listen(listener)

    def start(self) -> None:
        self._chores.start()
        self._loading.start()
        self._persistence.start()
        self.host.start()
        for part in (self.media, self.outputs, self._links, self.setup.jobs, self.outside.messages):
            part.start()
        self._crew.watch()
        self._chores.put(CATALOGUE.make_ready)
        for name in self._outputs_wanted:  # they were on when the server before this one died
            self.outputs.begin_again(name)

    def stop(self) -> None:
        """Stop all threads; unsaved changes stay in the journal and are offered at the next start."""
        self._crew.end()
        self._loading.stop()
        for part in (
            self.outside.guests,
            self.evening.readiness,
            self.evening.closing,
            self.outside.messages,
            self.setup.jobs,
            self.outputs,
            self.media,
        ):
            part.stop()
        self._links.stop()
        self.host.stop()
        state = self.state
        self._chores.put(lambda: self._persistence.keep_lessons(state))
        self._chores.stop()
        self._persistence.close()
