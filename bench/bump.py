"""A camera is knocked: does a sweep of all find that one and no other, and where do its framings land after that?

Judged by the stand-ins' own projection: how far what a framing was stored with is from the middle, in % of the width.
"""

import math
import os
import sys

import numpy as np

from bench.common.hall import all_there, percentile, wait_for
from ribalta.core.show.files.storage import StoredShow, load
from ribalta.core.survey.job import Kind
from ribalta.demo.children import StandIns
from ribalta.demo.shipped import SHIPPED, connected
from ribalta.server.session import Session
from ribalta.standins.cameras import BUILDS
from ribalta.standins.hall.view import Mount, View

PAN_DEG, TILT_DEG, ROLL_DEG = 3.0, 1.5, 1.0
KNOCKED = 2


def _swept(session: Session) -> list[int]:
    """The cameras that were said to be knocked."""
    cameras = [c for c in session.state.show.cameras if c.steered]
    for camera in cameras:
        session.setup.jobs.begin(Kind.SWEEP, camera.id)
    jobs = session.setup.jobs
    wait_for(lambda: all(jobs.jobs[(Kind.SWEEP, c.id)].done for c in cameras), 300)
    found = {c.number: jobs.jobs[(Kind.SWEEP, c.id)].findings for c in cameras}
    for number, findings in found.items():
        print(number, "; ".join(f.sentence for f in findings if f.fine is False) or "holds", file=sys.stderr)
    return [number for number, findings in found.items() if any(f.step == "knock" for f in findings)]


def _off_percent(before: tuple[float, float, float], after: tuple[float, float, float]) -> float:
    """Pan, tilt and field of view that a framing was stored with, and that it has now that the mount is knocked."""
    mount = BUILDS[KNOCKED - 1].mount
    knocked = Mount(
        mount.x_m, mount.y_m, mount.z_m, mount.heading_deg + PAN_DEG, mount.tilt_deg + TILT_DEG, mount.hung, ROLL_DEG
    )
    seen = View(mount, *before, 1280, 720).homography_to(View(knocked, *after, 1280, 720)) @ np.array([640, 360, 1.0])
    return math.hypot(*(seen[:2] / seen[2] - [640, 360])) / 12.8


def run(takes: int) -> dict[str, float | int | str]:
    """`takes` is of no matter: one sweep before, one after."""
    standins = StandIns(f"ribalta-bench-bump-{os.getpid()}", again=False)
    stored = load(SHIPPED)
    session = Session(StoredShow(connected(stored.show, standins.announcement), stored.pictures), None)
    session.start()
    try:
        wait_for(lambda: all_there(session), 30)
        standins.fault(KNOCKED, bump_pan_deg=PAN_DEG, bump_tilt_deg=TILT_DEG, bump_roll_deg=ROLL_DEG)
        flagged = _swept(session)
        before = session.state.show
        session.act("camera.relevel", {"camera": KNOCKED})
        wait_for(lambda: session.state.show is not before and session.state.show.framings != before.framings, 5)
        mine = [f for f in before.framings if f.camera_id == f"c{KNOCKED}"]
        build = BUILDS[KNOCKED - 1]
        offs = []
        for old in mine:
            new = session.state.show.framing(old.id)
            assert new is not None
            pair = [(f.pan_deg, f.tilt_deg, build.hfov_deg(f.zoom)) for f in (old, new)]
            offs.append(_off_percent(*pair))
        again = _swept(session)
    finally:
        session.stop()
        standins.stop()
    return {
        "flagged": ",".join(map(str, flagged)),
        "framings": len(offs),
        "off_percent_max": round(max(offs), 3),
        "off_percent_p50": round(percentile(offs, 0.5), 3),
        "flagged_after": len(again),
    }
