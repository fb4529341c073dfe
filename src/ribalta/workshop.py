"""Setting cameras up: finding, checking, measuring, placing; everything that the desk's Rig asks for beyond actions.

Slow work is done on threads of its own; what comes of it is an action or a notice, as if somebody had pressed it.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any, Protocol

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.messages import Notice, Severity
from ribalta.core.engine.state import LiveState
from ribalta.core.optics.resection import FEWEST, Sight, solve_pose
from ribalta.core.show.floorplan import read_plan, write_plan
from ribalta.core.show.model import Camera
from ribalta.core.show.profiles import Profile, all_profiles
from ribalta.core.survey.job import Job, Kind
from ribalta.devices.secrets import Secrets


class Desk(Protocol):
    """What the workshop needs of a session."""

    @property
    def state(self) -> LiveState: ...
    def act(self, action_id: str, arguments: Mapping[str, Any]) -> None: ...
    def say(self, notice: Notice) -> None: ...
    def put_off(self, chore: Callable[[], None]) -> None: ...
    def reopen_pictures(self) -> None: ...


class Workshop:
    """Any thread may call these; none of them waits."""

    def __init__(self, desk: Desk, secrets: Secrets) -> None:
        self._desk, self._secrets = desk, secrets
        self._profiles, self.profile_faults = all_profiles()
        self._sights: dict[str, tuple[Sight, ...]] = {}
        self._jobs: dict[tuple[Kind, str], Job] = {}

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
                said = "This desktop has no keyring: the password is kept until Ribalta ends."
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

    def bring_in_plan(self, path: Path) -> None:
        """Marks from a file; the bad rows are said."""

        def bring() -> None:
            try:
                plan = read_plan(path)
            except LocalFault as fault:
                self._refuse(str(fault))
                return
            marks = [asdict(mark) for mark in plan.marks]
            self._desk.act("plan.import", {"marks": marks})
            if plan.bad:
                self._refuse(f"{len(plan.bad)} were left out. {' '.join(plan.bad)}")

        self._desk.put_off(bring)

    def write_out_plan(self, path: Path) -> None:
        show = self._desk.state.show

        def write() -> None:
            try:
                write_plan(path, show.marks, show.cameras)
            except LocalFault as fault:
                self._desk.say(Notice(str(fault), Severity.FAULT))
            else:
                self._desk.say(Notice(f"The plan is written to {path.name}."))

        self._desk.put_off(write)

    def _refuse(self, sentence: str) -> None:
        self._desk.say(Notice(sentence, Severity.REFUSED))

    # Work that takes a while

    def begin(self, kind: Kind, camera_id: str) -> None:
        """Check or measure a camera."""

    def cancel(self, kind: Kind, camera_id: str) -> None:
        """Stop it at the next step."""

    def find(self, where: str) -> None:
        """Look for cameras: at an address or in a range, or by asking the network when `where` is empty."""
