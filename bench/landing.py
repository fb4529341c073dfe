"""Random ready/take pairs under *hold*, headless against the stand-ins: does every cut land?

`landing` takes framings; `landing-scenes` scenes of three cameras each, from the cover shot.
"""

import random
import sys

from bench.common.hall import Truth, percentile, running_show, wait_for
from ribalta.core.optics.projection import offset_percent
from ribalta.core.ports.shots import LandingRecord
from ribalta.core.show.document.model import Framing, Show
from ribalta.core.show.document.scenes import Inset, Scene, Source
from ribalta.server.session import Session


def _pick(session: Session, rng: random.Random) -> Framing:
    free = [f for f in session.state.show.framings if not session.state.on_air(f.camera_id)]
    return rng.choice(free)


def _one(session: Session, framing: Framing, rng: random.Random) -> LandingRecord | None:
    camera = session.state.show.camera(framing.camera_id)
    assert camera is not None
    before = len(session.state.program.records)

    def of_it() -> LandingRecord | None:
        """Not of a cut to the cover shot that the desk made meanwhile because the camera on air was lost."""
        since = session.state.program.records[before:]
        return next((record for record in since if record.shot.framing_id == framing.id), None)

    session.act("ready.framing", {"camera": camera.number, "letter": framing.letter})
    pause_s = rng.uniform(0, 1.5)
    wait_for(lambda: False, pause_s)
    session.act("take", {})
    if not wait_for(lambda: of_it() is not None, 20):
        session.act("take.release", {})
        return None
    return of_it()


def run(takes: int) -> dict[str, float | int]:
    rng = random.Random(5)
    records: list[LandingRecord] = []
    shown: list[float] = []
    with running_show("landing") as session:
        truths = {c.id: Truth(c.picture.name) for c in session.state.show.cameras}
        for k in range(takes):
            framing = _pick(session, rng)
            record = _one(session, framing, rng)
            if record is not None:
                records.append(record)
                camera = session.state.camera(record.shot)
                shown.append(offset_percent(truths[camera.id].aim(), framing.aim, camera.lens))
            if k % 20 == 19:
                print(f"{k + 1} of {takes} takes", file=sys.stderr)
    errors = [r.error_percent for r in records if r.error_percent is not None]
    return {
        "takes": takes,
        "covered": len(session.state.program.records) - len(records),
        "landed": sum(r.landed for r in records),
        "error_percent_p99": round(percentile(errors, 0.99), 3),
        "picture_error_percent_p99": round(percentile(shown, 0.99), 3),
        "held": sum(r.held_s > 0 for r in records),
        "held_s_p50": round(percentile([r.held_s for r in records if r.held_s > 0], 0.5), 2),
        "held_s_max": round(max((r.held_s for r in records), default=0.0), 2),
    }


SCENES = 24


def _with_scenes(show: Show) -> Show:
    """Each with a camera under two others, at framings drawn by lot."""
    rng, scenes = random.Random(6), []
    steered = [c.id for c in show.cameras if c.steered]
    for number in range(1, SCENES + 1):
        chosen = [rng.choice([f for f in show.framings if f.camera_id == c]) for c in rng.sample(steered, 3)]
        base, *others = (Source(camera_id=f.camera_id, framing_id=f.id) for f in chosen)
        insets = tuple(Inset(slot=k + 1, source=s, left=0.05 + 0.5 * k) for k, s in enumerate(others))
        scenes.append(Scene(id=f"s{number}", number=number, name=f"Scene {number}", base=base, insets=insets))
    return show.model_copy(update={"scenes": tuple(scenes)})


def run_scenes(takes: int) -> dict[str, float | int]:
    rng, landed, held, done = random.Random(7), 0, 0, 0
    shown: list[float] = []
    with running_show("landing-scenes", _with_scenes) as session:
        truths = {c.id: Truth(c.picture.name) for c in session.state.show.cameras}
        for k in range(takes):
            scene = session.state.show.scenes[rng.randrange(SCENES)]
            before = len(session.state.program.records)
            session.act("scene.ready", {"scene": scene.number})
            wait_for(lambda: False, rng.uniform(0, 1.5))
            session.act("take", {})
            if wait_for(lambda n=before: len(session.state.program.records) > n, 20):  # type: ignore[misc]
                record = session.state.program.records[-1]
                done, landed, held = done + 1, landed + record.landed, held + (record.held_s > 0)
                for source in scene.sources:
                    camera, framing = session.state.show.camera(source.camera_id or ""), source.framing_id
                    aim = session.state.show.framing(framing or "")
                    assert camera is not None
                    assert aim is not None
                    shown.append(offset_percent(truths[camera.id].aim(), aim.aim, camera.lens))
            session.act("ready.camera", {"camera": 5})
            session.act("take", {})
            wait_for(
                lambda: session.state.program.on_air is not None and session.state.program.on_air.camera_id == "c5", 5
            )
            if k % 20 == 19:
                print(f"{k + 1} of {takes} takes", file=sys.stderr)
    return {
        "takes": takes,
        "taken": done,
        "landed": landed,
        "held": held,
        "picture_error_percent_p99": round(percentile(shown, 0.99), 3),
        "picture_error_percent_max": round(max(shown, default=0.0), 3),
    }
