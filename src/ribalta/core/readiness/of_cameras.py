"""Cameras, their pictures, and the framings that cuts will land on."""

from collections.abc import Iterator

from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import Judgement
from ribalta.core.readiness.lines import Fix, Group, Line, Looked, PictureLook, Rating, passed
from ribalta.core.show.document.model import Camera, Framing
from ribalta.core.show.document.outputs import OutputSettings

BLACK, FLAT, SLOW = 0.03, 0.006, 0.8  # of the rate that program has
OLD_S = 30 * 24 * 3600.0
DELAYED_S = 0.5


def camera_lines(state: LiveState, looked: Looked) -> Iterator[Line]:
    """Whether each answers, and what its own check says."""
    if not state.show.cameras:
        yield Line(
            Group.CAMERAS,
            "cameras.any",
            "The show",
            Rating.STOP,
            "has no cameras",
            "There is nothing to cut to.",
            "Rig",
            "Cameras",
        )
    for camera in _ordered(state):
        name, wrong = f"Camera {camera.number} “{camera.name}”", looked.checks.get(camera.id)
        if wrong:
            why = "Its cuts will not land, or nothing can be steered."
            rating = Rating.STOP if camera.steered and not state.live(camera.id).answers else Rating.LOOK
            yield Line(Group.CAMERAS, "camera.check", name, rating, wrong[0], why, "Rig", f"Check#{camera.id}")
        elif camera.steered and not state.live(camera.id).answers:
            said = state.live(camera.id).trouble or "does not answer"
            why = "It can be seen, but not be moved: its framings cannot be reached."
            yield Line(Group.CAMERAS, "camera.answers", name, Rating.STOP, said, why, "Rig", f"Check#{camera.id}")
        else:
            yield passed(Group.CAMERAS, "camera.check", name, "is well")
    cover = state.show.camera(state.show.settings.cover_camera_id or "")
    if cover is None and len(state.show.cameras) > 1:
        fixed = next((c for c in _ordered(state) if not c.steered), None)
        fix = Fix("Make it the cover shot", "camera.cover", {"camera": fixed.number}) if fixed is not None else None
        yield Line(
            Group.CAMERAS,
            "cover.set",
            "The cover shot",
            Rating.LOOK,
            "is not chosen",
            "A safe wide is one key away only if there is one.",
            "Rig",
            "Cameras",
            fix,
        )


def picture_lines(state: LiveState, looked: Looked) -> Iterator[Line]:
    """Live, neither frozen nor black, as large and as often as the show wants it."""
    outputs = state.show.outputs
    for camera in _ordered(state):
        name, seen = f"Camera {camera.number} “{camera.name}”", looked.pictures.get(camera.id)
        found = _picture(camera, seen, outputs)
        if found is None:
            assert seen is not None
            yield passed(Group.PICTURES, "picture.live", name, f"{seen.wide}×{seen.tall}, {seen.rate:.0f} a second")
        else:
            key, rating, measured, why = found
            yield Line(Group.PICTURES, key, name, rating, measured, why, "Rig", f"Reach#{camera.id}")


def _picture(camera: Camera, seen: PictureLook | None, outputs: OutputSettings) -> tuple[str, Rating, str, str] | None:
    if seen is None or not seen.there:
        return "picture.live", Rating.STOP, "no picture comes", "A cut to it would show its last picture, or nothing."
    if seen.bright < BLACK and seen.detail < BLACK:
        return "picture.black", Rating.STOP, f"is black ({seen.bright:.0%} bright)", "A cap, or an iris that is closed."
    if not seen.changed:
        return "picture.frozen", Rating.STOP, "stands still", "Nothing in it has changed for a while: it may be frozen."
    if seen.detail < FLAT:
        return "picture.flat", Rating.LOOK, "shows one colour", "Nothing can be made out in it."
    if seen.rate < SLOW * outputs.rate:
        why = f"Movement will stutter: program has {float(outputs.rate):.4g}."
        return "picture.rate", Rating.LOOK, f"{seen.rate:.0f} pictures a second", why
    wide, _ = outputs.size
    if seen.wide and seen.wide < wide:
        said = f"{seen.wide}×{seen.tall} for a show of {wide} wide"
        return "picture.size", Rating.LOOK, said, "It will look softer than the others."
    if camera.picture.delay_s > DELAYED_S:
        return "picture.delay", Rating.LOOK, f"{camera.picture.delay_s:.1f} s late", "Speech will not fit its lips."
    return None


def framing_lines(state: LiveState, looked: Looked) -> Iterator[Line]:
    """Within reach, still true, with a picture, and not of last season."""
    bad = 0
    for framing in state.show.framings:
        camera = state.show.camera(framing.camera_id)
        found = _framing(state, camera, framing, looked.now_s) if camera is not None else None
        if found is not None and camera is not None:
            bad += 1
            key, rating, measured, why = found
            name = f"{camera.number} {framing.letter} “{framing.name}”"
            yield Line(Group.FRAMINGS, key, name, rating, measured, why, "Frame", f"Still true?#{framing.id}")
    count = len(state.show.framings)
    if count and not bad:
        yield passed(Group.FRAMINGS, "framings.all", f"{count} framings", "are within reach")
    if not count and any(c.steered for c in state.show.cameras):
        yield Line(
            Group.FRAMINGS,
            "framings.any",
            "The board",
            Rating.LOOK,
            "has no framings",
            "Nothing prepared can be cut to.",
            "Frame",
            "Aim",
        )


def _framing(state: LiveState, camera: Camera, framing: Framing, now_s: float) -> tuple[str, Rating, str, str] | None:
    head = camera.head
    if head is not None and not camera.recall_only:
        for axis, value, ends in (
            ("pan", framing.pan_deg, (head.pan_min_deg, head.pan_max_deg)),
            ("tilt", framing.tilt_deg, (head.tilt_min_deg, head.tilt_max_deg)),
        ):
            if not ends[0] - 0.01 <= value <= ends[1] + 0.01:
                return "framing.reach", Rating.STOP, f"{axis} {value:.0f}° is out of reach", "Its cut will never land."
    if camera.recall_only and framing.memory is None:
        return "framing.memory", Rating.STOP, "is not in the camera's memory", "This camera can only recall."
    verdict = state.verdicts.get(framing.id)
    if verdict is not None and verdict.judgement is Judgement.OFF:
        return "framing.true", Rating.LOOK, f"is {verdict.off_percent:.0f} % off", "The camera was knocked, or moved."
    if verdict is not None and verdict.judgement is Judgement.CHANGED:
        return "framing.changed", Rating.LOOK, "shows something else than its picture", "The stage has changed."
    if not framing.seen:
        return "framing.seen", Rating.LOOK, "was computed, and nobody has looked at it", "Somebody may stand there."
    if framing.picture is None:
        return "framing.picture", Rating.LOOK, "has no picture", "Nobody sees on the board what it shows."
    if framing.pictured_at_s is not None and now_s - framing.pictured_at_s > OLD_S:
        days = (now_s - framing.pictured_at_s) / 86400
        return "framing.age", Rating.LOOK, f"its picture is {days:.0f} days old", "The stage may have changed."
    return None


def _ordered(state: LiveState) -> list[Camera]:
    return sorted(state.show.cameras, key=lambda c: c.number)
