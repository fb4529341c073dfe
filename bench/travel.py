"""Measure each steered stand-in from a generic profile, then ask for fresh random moves: are the seconds right?"""

import random
import sys
import threading

from bench.common.hall import Pulse, percentile, running_show, wait_for
from ribalta.core.engine.program.landing import NEVER_S, set_at_s, time_to_set_s
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Camera
from ribalta.core.show.document.profiles import all_profiles
from ribalta.core.survey.job import Kind
from ribalta.server.session import Session
from ribalta.standins.cameras import BUILDS

PROFILE = "Steered camera, 20x zoom"
SPREAD = {"pan_deg": (-100, 100), "tilt_deg": (-20, 40), "zoom": (0, 1)}


def _forget(session: Session, cameras: list[Camera]) -> None:
    """Nothing is known of the cameras but a generic model."""
    profile = next(p for p in all_profiles()[0] if p.name == PROFILE)
    for camera in cameras:
        head, table = profile.head.model_dump(), profile.zoom_table
        session.act("camera.model", {"camera": camera.number, "profile": PROFILE, "head": head, "zoom_table": table})
    wait_for(lambda: all(c.profile == PROFILE for c in session.state.show.cameras if c.steered), 5)


def _measure(session: Session, cameras: list[Camera]) -> None:
    for camera in cameras:
        session.setup.jobs.begin(Kind.MEASURE, camera.id)
    wait_for(lambda: all(session.setup.jobs.jobs[(Kind.MEASURE, c.id)].done for c in cameras), 400)
    for camera in cameras:
        job = session.setup.jobs.jobs[(Kind.MEASURE, camera.id)]
        print(
            f"camera {camera.number}: {job.sentence}",
            *(f"  {f.sentence}" for f in job.findings),
            sep="\n",
            file=sys.stderr,
        )


def _one(session: Session, camera: Camera, rng: random.Random, pulse: Pulse) -> tuple[float, float] | None:
    """Predicted and actual seconds of one random move, as the desk's own clock and judgement have them.

    None when it did not come to an end, or when the machine itself stood still meanwhile.
    """
    shot = Shot(camera.id)
    goal = {name: rng.uniform(*ends) for name, ends in SPREAD.items()}
    session.act("camera.aim", {"camera": camera.number, **goal})
    if not wait_for(lambda: abs((session.state.live(camera.id).goal or _FAR).pan_deg - goal["pan_deg"]) < 1e-6, 3):
        return None
    state = session.state
    live = state.live(camera.id)
    predicted_s = live.asked_travel_s
    assert time_to_set_s(state, shot, live.asked_s) is not None

    def there() -> bool:
        now = session.state
        return now.live(camera.id).sampled_s > live.asked_s + 0.15 and set_at_s(now, shot) < NEVER_S

    if not wait_for(there, 20):
        return None
    actual_s = set_at_s(session.state, shot) - live.asked_s
    wait_for(lambda: False, rng.uniform(0.05, 0.3))
    if pulse.stalled_s(live.asked_s - 0.1, live.asked_s + actual_s) > 0:
        return None
    return predicted_s, actual_s


class _Far:
    pan_deg = 1e9


_FAR = _Far()


def run(moves: int) -> dict[str, float | int]:
    with running_show("travel") as session:
        session.act("ready.camera", {"camera": 5})
        cameras = [c for c in session.state.show.cameras if c.steered]
        _forget(session, cameras)
        _measure(session, cameras)
        pulse, left_out = Pulse(), list[str]()
        pairs: dict[str, list[tuple[float, float]]] = {c.id: [] for c in cameras}

        def drive(camera: Camera) -> None:
            rng = random.Random(77 + camera.number)
            for _ in range(2 * moves):
                pair = _one(session, camera, rng, pulse)
                if pair is not None:
                    pairs[camera.id].append(pair)
                else:
                    left_out.append(camera.id)
                if len(pairs[camera.id]) == moves:
                    return

        threads = [threading.Thread(target=drive, args=(c,)) for c in cameras]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        pulse.stop()
        shares = {c: [abs(p - a) / a for p, a in done] for c, done in pairs.items()}
        off_ms = {c: [1000 * abs(p - a) for p, a in done] for c, done in pairs.items()}
        lenses = {c.id: (c.lens, BUILDS[c.number - 1]) for c in session.state.show.cameras if c.steered}
        hfov = {
            name: max(abs(lens.hfov_deg(k / 40) / build.hfov_deg(k / 40) - 1) for k in range(41))
            for name, (lens, build) in lenses.items()
        }
        for name in pairs:
            print(
                f"{name}: {len(pairs[name])} moves, median {100 * percentile(shares[name], 0.5):.1f} %,"
                f" p95 {percentile(off_ms[name], 0.95):.0f} ms, field of view {100 * hfov[name]:.2f} %,"
                f" picture delay {session.state.show.camera(name).picture.delay_s:.3f} s",
                file=sys.stderr,
            )
    return {
        "moves": sum(len(done) for done in pairs.values()),
        "left_out": len(left_out),
        "median_error": round(max(percentile(s, 0.5) for s in shares.values()), 4),
        "p95_error_ms": round(max(percentile(s, 0.95) for s in off_ms.values()), 1),
        "hfov_error_max": round(max(hfov.values()), 4),
    }
