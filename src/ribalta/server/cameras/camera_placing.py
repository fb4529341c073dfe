"""Where cameras stand, worked out from marks of the plan that they were aimed at."""

from ribalta.core.optics.resection import FEWEST, Sight, solve_pose
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.document.model import Camera
from ribalta.server.cameras.camera_access import CameraAccess
from ribalta.server.chores import Chores


class CameraPlacing:
    """What was aimed at is kept until it is forgotten or the show is closed. None of it waits."""

    def __init__(self, access: CameraAccess, chores: Chores) -> None:
        self._access, self._chores = access, chores
        self._sights: dict[str, tuple[Sight, ...]] = {}

    def take_sight(self, camera_id: str, mark_id: str) -> None:
        """The camera's picture has a mark in its middle now: remember that for `solve_place`."""
        camera, mark, live = (
            self._access.state.show.camera(camera_id),
            self._access.state.show.mark(mark_id),
            self._access.state.live(camera_id),
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
        camera, sights = self._access.state.show.camera(camera_id), self._sights.get(camera_id, ())
        if camera is not None:
            self._chores.put(lambda: self._solve(camera, sights))

    def _solve(self, camera: Camera, sights: tuple[Sight, ...]) -> None:
        try:
            solved = solve_pose(sights, camera.place.pose)
        except ValueError as error:
            self._refuse(f"Camera {camera.number} stays where it is: {error}.")
            return
        pose = solved.pose
        place = {name: round(getattr(pose, name), 3) for name in ("x_m", "y_m", "z_m")}
        place |= {name: round(getattr(pose, name), 2) for name in ("heading_deg", "tilt_deg", "roll_deg")}
        self._access.act("camera.place", {"camera": camera.number, **place})
        said = f"Camera {camera.number} is placed: {100 * solved.residual_m:.0f} cm off at the marks"
        if solved.disagrees is not None:
            said += f". “{solved.disagrees}” disagrees with the others: is it where the plan says?"
        self._access.say(Notice(said.rstrip(".?") + ("?" if said.endswith("?") else ".")))

    def _refuse(self, sentence: str) -> None:
        self._access.say(Notice(sentence, Severity.REFUSED))
