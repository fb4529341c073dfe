"""Setting cameras up: finding, checking, measuring, placing; everything that the desk's Rig asks for beyond actions.

Slow work is done on threads of its own; what comes of it is an action or a notice, as if somebody had pressed it.
"""

import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import Protocol

from ribalta.core.base.faults import LocalFault, RibaltaFault
from ribalta.core.optics.resection import FEWEST, Sight, solve_pose
from ribalta.core.ports.messages import Notice, Position, Report, Severity
from ribalta.core.show.document.model import Camera
from ribalta.core.show.document.profiles import Profile, all_profiles
from ribalta.core.show.document.templates import Template
from ribalta.core.show.files.floorplan import read_plan, write_plan
from ribalta.core.show.files.rows import read_rows
from ribalta.core.survey.checking import Checking
from ribalta.core.survey.comparing import Watching
from ribalta.core.survey.hands import Stopped
from ribalta.core.survey.job import Finding, Job, Kind
from ribalta.core.survey.measuring import Failed, Measuring
from ribalta.core.survey.sweeping import Sweeping
from ribalta.devices.secrets import Secrets
from ribalta.media.sound import devices_of_sound
from ribalta.server.import_export import framing_files, media_files
from ribalta.server.survey_host import AtWork, Bench, RealProbes, search
from ribalta.workers.crew import Crew, Worker

WATCH_EVERY_S, TOLD = 0.25, 3


class Desk(Bench, Protocol):
    """What the workshop needs of a session."""

    def say(self, notice: Notice) -> None: ...
    def put_off(self, chore: Callable[[], None]) -> None: ...
    def reopen_pictures(self) -> None: ...
    def bring_pictures(self, pictures: Mapping[str, bytes]) -> None: ...


class Workshop:
    """Any thread may call these; none of them waits."""

    def __init__(self, desk: Desk, secrets: Secrets, crew: Crew | None = None) -> None:
        self._desk, self._secrets = desk, secrets
        self._profiles, self.profile_faults = all_profiles()
        self._sights: dict[str, tuple[Sight, ...]] = {}
        self._jobs: dict[tuple[Kind, str], Job] = {}
        self._hands: dict[tuple[Kind, str], AtWork] = {}
        self._crew = crew or Crew()
        self._workers: list[Worker] = []
        self._told = threading.Lock()  # jobs are told of by the threads that work on them
        self._turn = threading.Lock()  # of the check that moves its camera

    @property
    def jobs(self) -> Mapping[tuple[Kind, str], Job]:
        """Finding, checking and measuring, as far as they have come; by kind and camera."""
        return self._jobs

    def profiles(self) -> Sequence[Profile]:
        return self._profiles

    def keep_password(self, where: str, user: str, password: str) -> None:
        """Into the desktop's keyring, or into memory with a notice that it has to be typed again next time."""

        def keep() -> None:
            if not self._secrets.put(where, user, password):
                said = "This desktop has no keyring: the password is kept in a file that only you can read."
                self._desk.say(Notice(said))
            self._desk.reopen_pictures()

        self._desk.put_off(keep)

    def take_sight(self, camera_id: str, mark_id: str) -> None:
        """The camera's picture has a mark in its middle now: remember that for `solve_place`."""
        camera, mark, live = (
            self._desk.state.show.camera(camera_id),
            self._desk.state.show.mark(mark_id),
            self._desk.state.live(camera_id),
        )
        if camera is None or mark is None:
            return
        if live.aim is None or not live.answers:
            self._refuse(f"Camera {camera.number} does not say where it points, so “{mark.name}” is not noted.")
            return
        sight = Sight(mark.name, mark.x_m, mark.y_m, mark.height_m, live.aim.pan_deg, live.aim.tilt_deg)
        others = tuple(s for s in self._sights.get(camera_id, ()) if s.name != mark.name)
        self._sights[camera_id] = (*others, sight)

    def forget_sights(self, camera_id: str) -> None:
        self._sights.pop(camera_id, None)

    def sight_words(self, camera_id: str) -> str:
        """What has been noted so far, in words."""
        names = [s.name for s in self._sights.get(camera_id, ())]
        if not names:
            return "To work out where it stands: aim it at three marks or more, one after another."
        left = max(0, FEWEST - len(names))
        more = f" {left} more {'is' if left == 1 else 'are'} needed." if left else ""
        return f"Aimed at {', '.join(names)}.{more}"

    def solve_place(self, camera_id: str) -> None:
        """Work out where a camera stands from the marks that it was aimed at, and put it there."""
        camera, sights = self._desk.state.show.camera(camera_id), self._sights.get(camera_id, ())
        if camera is not None:
            self._desk.put_off(lambda: self._solve(camera, sights))

    def _solve(self, camera: Camera, sights: tuple[Sight, ...]) -> None:
        try:
            solved = solve_pose(sights, camera.place.pose)
        except ValueError as error:
            self._refuse(f"Camera {camera.number} stays where it is: {error}.")
            return
        pose = solved.pose
        place = {name: round(getattr(pose, name), 3) for name in ("x_m", "y_m", "z_m")}
        place |= {name: round(getattr(pose, name), 2) for name in ("heading_deg", "tilt_deg", "roll_deg")}
        self._desk.act("camera.place", {"camera": camera.number, **place})
        said = f"Camera {camera.number} is placed: {100 * solved.residual_m:.0f} cm off at the marks"
        if solved.disagrees is not None:
            said += f". “{solved.disagrees}” disagrees with the others: is it where the plan says?"
        self._desk.say(Notice(said.rstrip(".?") + ("?" if said.endswith("?") else ".")))

    def bring_in_plan(self, path: Path, units_per_m: float) -> None:
        """Marks from a file, a drawing in units of its own; the bad rows are said."""

        def bring() -> None:
            try:
                plan = read_plan(path, units_per_m)
            except LocalFault as fault:
                self._refuse(str(fault))
                return
            marks = [asdict(mark) for mark in plan.marks]
            self._desk.act("plan.import", {"marks": marks})
            if plan.bad:
                out = "One row was" if len(plan.bad) == 1 else f"{len(plan.bad)} rows were"
                self._refuse(f"{out} left out. {' '.join(plan.bad)}")

        self._desk.put_off(bring)

    def write_out_plan(self, path: Path) -> None:
        show = self._desk.state.show

        def write() -> str:
            write_plan(path, show.marks, show.cameras)
            return f"The plan is written to {path.name}."

        self.write(write)

    def write(self, work: Callable[[], str]) -> None:
        """Write a file on a thread that may take its time; `work` returns what to say then, or raises LocalFault."""

        def run() -> None:
            try:
                said = Notice(work())
            except LocalFault as fault:
                said = Notice(str(fault), Severity.FAULT)
            self._desk.say(said)

        self._desk.put_off(run)

    def write_out_framings(self, path: Path) -> None:
        show = self._desk.state.show
        names = {f.picture for f in show.framings if f.picture is not None}

        def write() -> str:
            pictures = {name: data for name in names if (data := self._desk.framing_picture(name)) is not None}
            framing_files.write_out(path, show, pictures)
            return f"{len(show.framings)} framings are written to {path.name}."

        self.write(write)

    def bring_in_framings(self, path: Path) -> None:
        """From a table, or from another show; what was left out is said."""

        def bring() -> None:
            try:
                found = framing_files.copy_from(path) if path.suffix == ".ribalta" else framing_files.read_in(path)
            except LocalFault as fault:
                self._refuse(str(fault))
                return
            self._desk.bring_pictures(found.pictures)
            self._desk.act("framings.bring_in", {"framings": found.framings})
            if found.bad:
                more = f" And {len(found.bad) - TOLD} more." if len(found.bad) > TOLD else ""
                self._desk.say(Notice(f"{' '.join(found.bad[:TOLD])}{more}", Severity.FAULT))

        self._desk.put_off(bring)

    def bring_in_media(self, paths: Sequence[Path]) -> None:
        """Pictures, clips, slides; each is tried first, and what cannot be used is said."""

        def bring() -> None:
            for path in paths:
                try:
                    found = media_files.bring(path)
                except LocalFault as fault:
                    self._desk.say(Notice(str(fault), Severity.FAULT))
                    continue
                self._desk.bring_pictures(found.files)
                self._desk.act("medium.bring", found.arguments)

        self._desk.put_off(bring)

    def bring_in_title(self, path: Path) -> None:
        """A drawing (SVG) or picture that becomes a title with its fields."""

        def bring() -> None:
            try:
                found = media_files.bring(path)
                fields = {}
                if path.suffix.lower() == ".svg":
                    data = next(iter(found.files.values()))
                    fields = {f.name: f.text for f in Template(data, path.name).fields}
            except LocalFault as fault:
                self._desk.say(Notice(str(fault), Severity.FAULT))
                return
            if found.kind != "still":
                self._refuse("A title is a drawing (SVG) or one picture.")
                return
            self._desk.bring_pictures(found.files)
            self._desk.act("title.add", {"template": next(iter(found.files)), "name": found.name, "fields": fields})
            if not fields and path.suffix.lower() == ".svg":
                self._desk.say(Notice(f"{path.name} has no named texts: it is shown as it is."))

        self._desk.put_off(bring)

    def bring_in_rows(self, title_id: str, path: Path) -> None:
        """Rows of a title from CSV or JSON; what was left out is said."""

        def bring() -> None:
            try:
                rows, said = read_rows(path)
            except LocalFault as fault:
                self._refuse(str(fault))
                return
            self._desk.act("title.rows", {"title": title_id, "rows": rows})
            if said:
                self._desk.say(Notice(" ".join(said[:TOLD]), Severity.FAULT))

        self._desk.put_off(bring)

    def sound_devices(self) -> tuple[list[str], list[str]]:
        """Names of inputs and outputs of this machine."""
        return devices_of_sound.names(True), devices_of_sound.names(False)

    def _refuse(self, sentence: str) -> None:
        self._desk.say(Notice(sentence, Severity.REFUSED))

    # Work that takes a while

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
        hands = AtWork(self._desk, "", lambda *_: None, self._turn)
        self._hands[(Kind.SWEEP, "")] = hands
        self._begin_worker("watch", lambda: self._watch(hands))

    def _begin_worker(self, name: str, run: Callable[[], None]) -> None:
        self._workers = [worker for worker in self._workers if worker.is_alive()]
        self._workers.append(self._crew.begin(name, run))

    def _watch(self, hands: AtWork) -> None:
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

    def _new_hands(self, kind: Kind, camera_id: str) -> AtWork:
        def tell(share: float, said: str, new: tuple[Finding, ...]) -> None:
            self._tell(kind, camera_id, share, said, new)

        return AtWork(self._desk, camera_id, tell, self._turn)

    def _running(self, kind: Kind, camera_id: str) -> bool:
        job = self._jobs.get((kind, camera_id))
        return job is not None and not job.done

    def _start(self, kind: Kind, camera_id: str, hands: AtWork, work: Callable[[], str]) -> None:
        self._change_job(kind, camera_id, lambda _: Job(kind, camera_id))
        self._hands[(kind, camera_id)] = hands

        def run() -> None:
            try:
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
        with self._told:
            job = change(self._jobs.get((kind, camera_id), Job(kind, camera_id)))
            self._jobs = {**self._jobs, (kind, camera_id): job}

    def _tell(self, kind: Kind, camera_id: str, share: float, said: str, new: tuple[Finding, ...]) -> None:
        def told(job: Job) -> Job:
            return replace(job, share=max(job.share, share), sentence=said, findings=job.findings + new)

        self._change_job(kind, camera_id, told)

    def _check(self, hands: AtWork, camera_id: str) -> str:
        Checking(hands, RealProbes(self._desk, self._secrets), camera_id).run()
        wrong = sum(f.fine is False for f in self._jobs[(Kind.CHECK, camera_id)].findings)
        return "All is well." if not wrong else "One thing is wrong." if wrong == 1 else f"{wrong} things are wrong."

    def _sweep(self, hands: AtWork, camera_id: str) -> str:
        return Sweeping(hands, camera_id).run()

    def _measure(self, hands: AtWork, camera_id: str) -> str:
        result = Measuring(hands, camera_id).run()
        camera = self._desk.state.show.camera(camera_id)
        if camera is None:
            raise Failed("The camera was removed.")
        learned = {
            "head": result.head.model_dump(),
            "zoom_table": result.zoom_table,
            "delay_s": result.delay_s,
            "measured": result.measured.model_dump(),
        }
        self._desk.act("camera.learn", {"camera": camera.number, **learned})
        return f"Camera {camera.number} is measured, and what was learned is in use. Ctrl+Z drops it."

    def _known_hosts(self) -> frozenset[str]:
        return frozenset(c.control.host for c in self._desk.state.show.cameras if c.control is not None)
