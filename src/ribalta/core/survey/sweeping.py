"""A sweep: one camera goes to each of its framings, and each is compared with its stored picture.

A camera that is on air or Next is left alone. What has no picture yet gets one. When the framings that could be
compared agree that the mount was knocked, those that could not are looked for where the knock has put them.
"""

from collections.abc import Iterator

from ribalta.core.base.aim import Aim
from ribalta.core.engine.program.framing_checks import away_m, bump_of, comparable, off_by
from ribalta.core.engine.program.landing import set_at_s
from ribalta.core.engine.state.live import LiveState
from ribalta.core.optics.bump import Bump, corrected
from ribalta.core.ports.shots import Judgement, Shot, Verdict
from ribalta.core.show.document.model import Camera, Framing
from ribalta.core.survey.comparing import SHARP_S, look_at
from ribalta.core.survey.job import Finding, Remedy
from ribalta.core.survey.surveyor import Surveyor

WITHIN_S = 15.0
PICTURE_S, LOOK_AGAIN_S = 2.0, 0.1
KNOCKED_DEG, AGREEING = 0.2, 0.6


class Busy(Exception):
    """The camera is needed on air: the sweep ends there."""


class Sweeping:
    """Sends a camera to its framings one after another, and compares each with its picture."""

    def __init__(self, hands: Surveyor, camera_id: str) -> None:
        self._hands, self._id = hands, camera_id

    def run(self) -> str:
        """Returns the last sentence. May raise Stopped."""
        camera = self._camera()
        framings = [f for f in self._hands.state.show.framings if f.camera_id == self._id]
        framings.sort(key=lambda f: f.slot)
        if not framings:
            return f"Camera {camera.number} has no framings to visit."
        if not self._free(self._hands.state):
            said = f"Camera {camera.number} is on air or Next, so it was left alone. Sweep it again later."
            self._hands.tell(1.0, "Left alone.", Finding("busy", None, said))
            return "Left alone."
        live = self._hands.state.live(self._id)
        start = live.goal or live.aim
        try:
            self._visit(camera, framings)
            return self._report(camera, framings)
        except Busy:
            said = f"Camera {camera.number} was needed on air, so the sweep ended early."
            self._hands.tell(1.0, "Ended early.", Finding("busy", None, said))
            return "Ended early."
        finally:
            if start is not None and self._free(self._hands.state):
                self._send(camera, start)

    def _visit(self, camera: Camera, framings: list[Framing]) -> None:
        for k, framing in enumerate(framings):
            self._hands.tell(k / len(framings), f"Camera {camera.number}: {framing.name}")
            place = {"camera": camera.number, "letter": framing.letter, "page": framing.page}
            if not self._free(self._hands.state):
                raise Busy
            self._hands.act("framing.restore", **place)
            if not self._arrives(framing):
                said = f"“{framing.name}” was not reached."
                self._hands.tell(k / len(framings), said, Finding("reach", False, said))
                continue
            self._hands.wait(SHARP_S)
            if framing.picture is None:
                self._hands.act("framing.retake", **place)
                self._hands.wait(PICTURE_S, lambda s, f=framing: _pictured(s, f))  # type: ignore[misc]
                self._hands.tell(
                    k / len(framings), "Pictured", Finding("picture", True, f"“{framing.name}” has a picture now.")
                )
            else:
                self._look(camera, framing, framing.aim)

    def _report(self, camera: Camera, framings: list[Framing]) -> str:
        knock = self._knock(camera)
        if knock is not None:
            for k, framing in enumerate(framings):
                verdict = self._hands.state.verdicts.get(framing.id)
                if verdict is not None and verdict.judgement is Judgement.UNCLEAR:
                    self._hands.tell(0.9 + 0.1 * k / len(framings), f"Looking for {framing.name}")
                    self._look_elsewhere(camera, framing, knock)
            knock = self._knock(camera) or knock
        findings = [*self._each(camera, framings)]
        if knock is not None:
            said = f"Camera {camera.number} was knocked: it points {knock.words(camera.place.hung)} of where it did."
            remedy = Remedy("Re-level", "camera.relevel", {"camera": camera.number})
            findings.insert(0, Finding("knock", False, said, remedy))
        self._hands.tell(1.0, "Done", *findings)
        wrong = sum(f.fine is False for f in findings)
        if knock is not None:
            return f"Camera {camera.number} was knocked."
        return f"{len(framings)} framings visited, {wrong or 'none'} of them wrong."

    def _each(self, camera: Camera, framings: list[Framing]) -> Iterator[Finding]:
        state = self._hands.state
        for framing in framings:
            verdict = state.verdicts.get(framing.id)
            if verdict is None:
                continue
            yield finding_of(camera, framing, verdict)

    def _look_elsewhere(self, camera: Camera, framing: Framing, knock: Bump) -> None:
        state = self._hands.state
        assert camera.head is not None
        away = away_m(state, camera, framing)
        aim = corrected(framing.aim, knock, camera.head.limits, camera.place.hung, away).aim
        if not self._free(state):
            raise Busy
        self._send(camera, aim)
        if not self._hands.wait(WITHIN_S, lambda s: self._stands(s, aim)):
            return
        self._hands.wait(SHARP_S)
        self._look(camera, framing, aim)

    def _look(self, camera: Camera, framing: Framing, aim: Aim) -> None:
        """Compare, as soon as there is a picture of now, and wait until that is known."""
        before, tries = self._hands.state.verdicts.get(framing.id), 0
        while look_at(self._hands, camera, framing, aim) is None:
            tries += 1
            if tries > PICTURE_S / LOOK_AGAIN_S:
                return
            self._hands.wait(LOOK_AGAIN_S)
        self._hands.wait(PICTURE_S, lambda s: s.verdicts.get(framing.id) is not before)

    def _knock(self, camera: Camera) -> Bump | None:
        state = self._hands.state
        mine = [state.verdicts.get(f.id) for f in state.show.framings if f.camera_id == self._id]
        off = sum(v is not None and v.judgement is Judgement.OFF for v in mine)
        known = sum(v is not None and v.judgement is not Judgement.UNCLEAR for v in mine)
        if off < 2 or off < AGREEING * known:
            return None
        try:
            bump = bump_of(state, camera)
        except ValueError:
            return None
        return bump if bump.size_deg > KNOCKED_DEG and len(bump.disagree) <= (1 - AGREEING) * known else None

    def _camera(self) -> Camera:
        camera = self._hands.state.show.camera(self._id)
        if camera is None:
            raise Busy
        return camera

    def _free(self, state: LiveState) -> bool:
        return state.live(self._id).answers and not state.on_air(self._id) and not state.is_next(self._id)

    def _send(self, camera: Camera, aim: Aim) -> None:
        where = {"pan_deg": aim.pan_deg, "tilt_deg": aim.tilt_deg, "zoom": aim.zoom}
        self._hands.act("camera.aim", camera=camera.number, **where)

    def _stands(self, state: LiveState, aim: Aim) -> bool:
        """Has it heard of the aim, and is it there?"""
        goal = state.live(self._id).goal
        if goal is None or max(abs(v) for v in (goal.pan_deg - aim.pan_deg, goal.tilt_deg - aim.tilt_deg)) > 1e-6:
            return False
        return set_at_s(state, Shot(self._id)) <= self._hands.now_s()

    def _arrives(self, framing: Framing) -> bool:
        def there(state: LiveState) -> bool:
            if not self._free(state):
                raise Busy
            at = comparable(state, self._id, self._hands.now_s())
            return at is not None and at.id == framing.id

        return self._hands.wait(WITHIN_S, there)


def _pictured(state: LiveState, framing: Framing) -> bool:
    now = state.show.framing(framing.id)
    return now is None or now.picture is not None


def finding_of(camera: Camera, framing: Framing, verdict: Verdict) -> Finding:
    """One line of a sweep's report."""
    place = {"camera": camera.number, "letter": framing.letter, "page": framing.page}
    if verdict.judgement is Judgement.OFF:
        right, down = off_by(camera, framing, verdict)
        said = f"“{framing.name}” is off: what it showed is {_percent(right, 'right', 'left')}"
        said += f" and {_percent(down, 'below', 'above')} of the middle."
        return Finding("off", False, said, Remedy("Aim it anew", "framing.nudge", place))
    if verdict.judgement is Judgement.CHANGED:
        said = f"“{framing.name}” shows another scene than its picture."
        return Finding("changed", None, said)
    if verdict.judgement is Judgement.UNCLEAR:
        return Finding("unclear", None, f"“{framing.name}” looks too different from its picture to compare.")
    return Finding("holds", True, f"“{framing.name}” holds.")


def _percent(value: float, more: str, less: str) -> str:
    return f"{abs(value):.1f} % {more if value > 0 else less}"
