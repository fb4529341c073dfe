"""Finding, checking, measuring and comparing cameras, on threads of their own.

What comes of it is an action or a notice, as if somebody had pressed it.
"""

import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

from ribalta.core.base.faults import RibaltaFault
from ribalta.core.ports.messages import Position, Report
from ribalta.core.show.document.profiles import Profile, all_profiles
from ribalta.core.survey.checking import Checking
from ribalta.core.survey.comparing import Watching
from ribalta.core.survey.job import Finding, Job, Kind
from ribalta.core.survey.measuring import Failed, Measuring
from ribalta.core.survey.surveyor import Stopped
from ribalta.core.survey.sweeping import Sweeping
from ribalta.devices.secrets import Secrets
from ribalta.server.cameras.camera_access import CameraAccess
from ribalta.server.cameras.survey_host import LiveSurveyor, RealProbes, search
from ribalta.workers.crew import Crew, Worker

WATCH_EVERY_S, TOLD = 0.25, 3


class CameraJobs:
    """Any thread may call these; none of them waits."""

    def __init__(
        self,
        access: CameraAccess,
        secrets: Secrets,
        crew: Crew | None = None,
        loaded: Callable[[], None] = lambda: None,
    ) -> None:
        """`loaded` returns when what they compute with may be loaded (see `workers/loading`)."""
        self._loaded = loaded
        self._access, self._secrets = access, secrets
        self._profiles, self.profile_faults = all_profiles()
        self._jobs: dict[tuple[Kind, str], Job] = {}
        self._hands: dict[tuple[Kind, str], LiveSurveyor] = {}
        self._crew = crew or Crew()
        self._workers: list[Worker] = []
        self._jobs_lock = threading.Lock()  # jobs are changed by the threads that work on them
        self._turn = threading.Lock()  # of the check that moves its camera

    @property
    def jobs(self) -> Mapping[tuple[Kind, str], Job]:
        """Finding, checking and measuring, as far as they have come; by kind and camera."""
        return self._jobs

    def profiles(self) -> Sequence[Profile]:
        return self._profiles

    def begin(self, kind: Kind, camera_id: str) -> None:
        """Check or measure a camera. One that is being worked on already goes on as it is."""
        if self._running(kind, camera_id):
            return
        hands = self._new_hands(kind, camera_id)
        work = {Kind.CHECK: self._check, Kind.MEASURE: self._measure, Kind.SWEEP: self._sweep}[kind]
        self._start(kind, camera_id, hands, lambda: work(hands, camera_id))

    def cancel(self, kind: Kind, camera_id: str) -> None:
        """Stop it at the next step."""
        if (kind, camera_id) in self._hands:
            self._hands[(kind, camera_id)].stop()

    def find(self, where: str) -> None:
        """Look for cameras: at an address or in a range, or by asking the network when `where` is empty."""
        if self._running(Kind.FIND, ""):
            return
        hands = self._new_hands(Kind.FIND, "")
        self._start(Kind.FIND, "", hands, lambda: search(where, hands, self._known_hosts()))

    def hear(self, report: Report) -> None:
        """Every report of the rig, as it comes: whoever measures wants all of them."""
        if isinstance(report, Position):
            for hands in list(self._hands.values()):
                hands.hear(report)

    def start(self) -> None:
        """From now on every framing that a camera comes to rest at is compared with its picture."""
        hands = LiveSurveyor(self._access, "", lambda *_: None, self._turn)
        self._hands[(Kind.SWEEP, "")] = hands
        self._begin_worker("watch", lambda: self._watch(hands))

    def _begin_worker(self, name: str, run: Callable[[], None]) -> None:
        self._workers = [worker for worker in self._workers if worker.is_alive()]
        self._workers.append(self._crew.begin(name, run))

    def _watch(self, hands: LiveSurveyor) -> None:
        self._loaded()
        watching = Watching(hands)
        while True:
            try:
                hands.wait(WATCH_EVERY_S)
                watching.look()
            except Stopped:
                return
            except Exception as error:  # a picture that cannot be compared must not end the watch
                self._crew.failed("comparing a picture with its framing", error, "It is looked at again.")

    def stop(self) -> None:
        """The session ends: all work stops, and its threads are waited for."""
        for hands in list(self._hands.values()):
            hands.stop()
        for worker in self._workers:
            worker.join()

    def _new_hands(self, kind: Kind, camera_id: str) -> LiveSurveyor:
        def tell(share: float, said: str, new: tuple[Finding, ...]) -> None:
            self._tell(kind, camera_id, share, said, new)

        return LiveSurveyor(self._access, camera_id, tell, self._turn)

    def _running(self, kind: Kind, camera_id: str) -> bool:
        job = self._jobs.get((kind, camera_id))
        return job is not None and not job.done

    def _start(self, kind: Kind, camera_id: str, hands: LiveSurveyor, work: Callable[[], str]) -> None:
        self._change_job(kind, camera_id, lambda _: Job(kind, camera_id))
        self._hands[(kind, camera_id)] = hands

        def run() -> None:
            try:
                self._loaded()
                sentence = work()
            except Stopped:
                sentence = "Stopped."
            except (Failed, RibaltaFault) as fault:
                sentence = "Not done."
                self._tell(kind, camera_id, 1.0, sentence, (Finding("stopped", False, str(fault)),))
            except Exception as error:  # work that fails must not look as if it went on
                self._crew.failed(f"to {kind} camera {camera_id}", error, "It was given up.")
                sentence = f"Ribalta made a mistake ({type(error).__name__}). Try it again."
            self._change_job(kind, camera_id, lambda job: replace(job, share=1.0, sentence=sentence, done=True))
            self._hands.pop((kind, camera_id), None)

        self._begin_worker(f"{kind} {camera_id}", run)

    def _change_job(self, kind: Kind, camera_id: str, change: Callable[[Job], Job]) -> None:
        with self._jobs_lock:
            job = change(self._jobs.get((kind, camera_id), Job(kind, camera_id)))
            self._jobs = {**self._jobs, (kind, camera_id): job}

    def _tell(self, kind: Kind, camera_id: str, share: float, said: str, new: tuple[Finding, ...]) -> None:
        def changed(job: Job) -> Job:
            return replace(job, share=max(job.share, share), sentence=said, findings=job.findings + new)

        self._change_job(kind, camera_id, changed)

    def _check(self, hands: LiveSurveyor, camera_id: str) -> str:
        Checking(hands, RealProbes(self._access, self._secrets), camera_id).run()
        wrong = sum(f.fine is False for f in self._jobs[(Kind.CHECK, camera_id)].findings)
        return "All is well." if not wrong else "One thing is wrong." if wrong == 1 else f"{wrong} things are wrong."

    def _sweep(self, hands: LiveSurveyor, camera_id: str) -> str:
        return Sweeping(hands, camera_id).run()

    def _measure(self, hands: LiveSurveyor, camera_id: str) -> str:
        result = Measuring(hands, camera_id).run()
        camera = self._access.state.show.camera(camera_id)
        if camera is None:
            raise Failed("The camera was removed.")
        learned = {
            "head": result.head.model_dump(),
            "zoom_table": result.zoom_table,
            "delay_s": result.delay_s,
            "measured": result.measured.model_dump(),
        }
        self._access.act("camera.learn", {"camera": camera.number, **learned})
        return f"Camera {camera.number} is measured, and what was learned is in use. Ctrl+Z drops it."

    def _known_hosts(self) -> frozenset[str]:
        return frozenset(c.control.host for c in self._access.state.show.cameras if c.control is not None)
