"""Looking whether a framing is still true: the live picture against the stored one, once the camera is set there."""

from dataclasses import replace

from ribalta.core.base.aim import Aim
from ribalta.core.engine.program.framing_checks import comparable
from ribalta.core.optics.projection import HD, pan_tilt_to_pixel
from ribalta.core.picture.comparison import Comparison, compare
from ribalta.core.ports.messages import Compared
from ribalta.core.show.document.model import Camera, Framing
from ribalta.core.survey.surveyor import Surveyor

SHARP_S = 0.3  # until a picture that has just come to rest is sharp


def compared(hands: Surveyor, camera: Camera, framing: Framing, looked: Aim) -> Comparison | None:
    """What the camera shows now, at an aim where it was sent, against a framing's stored picture.

    None when there is nothing to compare, or not yet: the picture has to have been taken since the head stands still,
    and the head must not have been sent away meanwhile. What it is short of that aim is taken off the shift.
    """
    before = hands.state.live(camera.id)
    look, stored = hands.look(camera.id), hands.stored(framing.picture or "")
    if look is None or stored is None or before.still_since_s is None or before.goal is None:
        return None
    if look.captured_s < before.still_since_s + camera.picture.delay_s or not _same(before.goal, looked):
        return None
    found = compare(stored, look.picture, camera.lens.hfov_deg(framing.zoom))
    right, down = _short_of(camera, looked, before.aim)
    after = hands.state.live(camera.id)
    if (after.asked_s, after.goal, after.still_since_s) != (before.asked_s, before.goal, before.still_since_s):
        return None
    return replace(found, right=found.right - right, down=found.down - down)


def look_at(hands: Surveyor, camera: Camera, framing: Framing, looked: Aim) -> Comparison | None:
    """As `compared`, and report what came of it."""
    found = compared(hands, camera, framing, looked)
    if found is not None:
        numbers = (found.right, found.down, found.turn_deg, found.growth, found.sure, found.alike)
        hands.report(Compared(camera.id, framing.id, *numbers, looked))
    return found


def _same(one: Aim, other: Aim) -> bool:
    off = one - other
    return max(abs(off.pan_deg), abs(off.tilt_deg), abs(off.zoom)) < 1e-6


def _short_of(camera: Camera, looked: Aim, here: Aim | None) -> tuple[float, float]:
    """By how much a head that is within its tolerance, but not quite there, shifts the picture: % of the width."""
    seen = pan_tilt_to_pixel(looked.pan_deg, looked.tilt_deg, here, camera.lens, camera.place.hung) if here else None
    if seen is None:
        return 0.0, 0.0
    return 100 * (seen[0] / HD.width - 0.5), 100 * (seen[1] - HD.height / 2) / HD.width


class Watching:
    """Every camera that has come to rest at a framing is looked at once in each visit."""

    def __init__(self, hands: Surveyor) -> None:
        self._hands = hands
        self._visits: dict[str, tuple[object, ...]] = {}
        self._since_s: dict[str, float] = {}

    def look(self) -> None:
        """Called a few times a second."""
        state, now_s = self._hands.state, self._hands.now_s()
        for camera in state.show.cameras:
            framing = comparable(state, camera.id, now_s) if camera.steered else None
            if framing is None:
                self._since_s.pop(camera.id, None)
                continue
            visit = (framing.id, framing.aim, framing.picture, state.live(camera.id).asked_s)
            if self._visits.get(camera.id) == visit:
                continue
            if now_s - self._since_s.setdefault(camera.id, now_s) < SHARP_S:
                continue
            verdict = state.verdicts.get(framing.id)
            if verdict is not None and verdict.at_s > state.live(camera.id).asked_s:
                self._visits[camera.id] = visit  # a sweep was here
            elif framing.picture is None:
                self._hands.act("framing.retake", camera=camera.number, letter=framing.letter, page=framing.page)
                self._visits[camera.id] = visit
            elif look_at(self._hands, camera, framing, framing.aim) is not None:
                self._visits[camera.id] = visit
