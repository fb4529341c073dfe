"""Recalls of framings at every zoom, hung camera included: how far off is what the stand-ins' pictures truly show?

Framings are made all over each head's reach, from the wide to the tight end; the error is the true aim in the picture
against the stored one, as a share of the frame's width, in the first picture that was taken after the desk said that
the camera is set.
"""

import random
import sys

from bench.common.hall import Truth, percentile, running_show, wait_for
from ribalta.core.engine.program.landing import set_at_s
from ribalta.core.optics.projection import offset_percent
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Framing
from ribalta.server.session import Session

EACH = 30


def _everywhere(session: Session, rng: random.Random) -> dict[str, list[Framing]]:
    """Thirty framings a camera, spread over pan, tilt and zoom, brought in as from a table."""
    rows = []
    for camera in session.state.show.cameras:
        for k in range(EACH if camera.steered else 0):
            aim = {"pan_deg": rng.uniform(-80, 80), "tilt_deg": rng.uniform(-28, 35), "zoom": k / (EACH - 1)}
            rows.append({"camera": camera.number, "slot": 100 + k, "name": f"Everywhere {k}", **aim})
    session.act("framings.import", {"framings": rows})
    wait_for(lambda: any(f.slot >= 100 for f in session.state.show.framings), 5)
    made: dict[str, list[Framing]] = {}
    for framing in session.state.show.framings:
        if framing.slot >= 100:
            made.setdefault(framing.camera_id, []).append(framing)
    return made


def _send(session: Session, framing: Framing) -> None:
    camera = session.state.show.camera(framing.camera_id)
    assert camera is not None
    place = {"camera": camera.number, "letter": framing.letter, "page": framing.page}
    session.act("framing.restore", place)


def _there(session: Session, framing: Framing) -> bool:
    """Does the desk say that its camera is set?"""
    live = session.state.live(framing.camera_id)
    shot = Shot(framing.camera_id, framing.id)
    return live.goal_framing_id == framing.id and set_at_s(session.state, shot) <= session.clock.now_s()


def run(takes: int) -> dict[str, float | int]:
    rng = random.Random(8)
    errors: dict[str, list[float]] = {}
    late = 0
    with running_show("recall") as session:
        made = _everywhere(session, rng)
        truths = {c.id: Truth(c.picture.name) for c in session.state.show.cameras}
        for k in range(-(-takes // len(made))):
            together = [rng.choice(framings) for framings in made.values()]
            for framing in together:
                _send(session, framing)
            for framing in together:
                if not wait_for(lambda f=framing: _there(session, f), 20):  # type: ignore[misc]
                    late += 1
                    continue
                set_s, truth = session.clock.now_s(), truths[framing.camera_id]
                wait_for(lambda t=truth, s=set_s: t.latest()[0] > s, 5)  # type: ignore[misc]
                lens = session.state.camera(Shot(framing.camera_id)).lens
                errors.setdefault(framing.camera_id, []).append(offset_percent(truth.aim(), framing.aim, lens))
            if k % 10 == 9:
                print(f"{4 * (k + 1)} of {takes} recalls", file=sys.stderr)
    every = [e for some in errors.values() for e in some]
    return {
        "recalls": len(every),
        "not_reached": late,
        "error_percent_p50": round(percentile(every, 0.5), 4),
        "error_percent_p99": round(percentile(every, 0.99), 4),
        "hung_error_percent_p99": round(percentile(errors.get("c4", []), 0.99), 4),
    }
