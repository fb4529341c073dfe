"""Random ready/take pairs under *hold*, headless against the stand-ins: does every cut land?"""

import random
import sys

from bench.hall import Truth, percentile, running_show, wait_for
from ribalta.assembly import Session
from ribalta.core.engine.shots import LandingRecord
from ribalta.core.optics.projection import offset_percent
from ribalta.core.show.model import Framing


def _pick(session: Session, rng: random.Random) -> Framing:
    free = [f for f in session.state.show.framings if not session.state.on_air(f.camera_id)]
    return rng.choice(free)


def _one(session: Session, framing: Framing, rng: random.Random) -> LandingRecord | None:
    camera = session.state.show.camera(framing.camera_id)
    assert camera is not None
    before = len(session.state.records)
    session.act("ready.framing", {"camera": camera.number, "letter": framing.letter})
    pause_s = rng.uniform(0, 1.5)
    wait_for(lambda: False, pause_s)
    session.act("take", {})
    if not wait_for(lambda: len(session.state.records) > before, 20):
        session.act("take.let_go", {})
        return None
    return session.state.records[-1]


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
        "landed": sum(r.landed for r in records),
        "error_percent_p99": round(percentile(errors, 0.99), 3),
        "picture_error_percent_p99": round(percentile(shown, 0.99), 3),
        "held": sum(r.held_s > 0 for r in records),
        "held_s_p50": round(percentile([r.held_s for r in records if r.held_s > 0], 0.5), 2),
        "held_s_max": round(max((r.held_s for r in records), default=0.0), 2),
    }
