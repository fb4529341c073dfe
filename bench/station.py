"""A station on a slow line that loses packets: it directs cuts, its line is cut for ten seconds, and it comes back.

The station's line lives in a network namespace of its own, which needs root. What is measured is the show's: which cuts
landed, and what was on air meanwhile.
"""

import contextlib
import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from bench.common.hall import percentile, wait_for
from bench.common.invited import invited
from bench.common.served import judged, served_show
from bench.common.slow_line import NEAR, SPACE, cut, far_away
from bench.common.where import steal_percent
from ribalta.attach.remote_show import RemoteShow
from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.program.landing import landing_state
from ribalta.core.ports.shots import LandingState, Shot

PORT, DELAY_MS, LOSS_PERCENT, CUT_S = 8944, 100, 2, 10.0


def run(takes: int) -> dict[str, Any]:
    """Raises LocalFault without root."""
    if os.geteuid():
        raise LocalFault("This makes a network namespace, which needs root.")
    steal = steal_percent()
    with tempfile.TemporaryDirectory(prefix="ribalta-station-") as folder, far_away(DELAY_MS, LOSS_PERCENT):
        os.environ["XDG_CONFIG_HOME"] = folder
        with served_show("station") as served:
            director = served.show
            code = invited(director, PORT, "deputy")
            with _station(
                f"https://{NEAR}:{PORT}/#{code}", director.outside.guests.door.fingerprint, Path(folder)
            ) as socket:
                found = _direct(director, socket, takes)
    return judged(found, steal())


@contextlib.contextmanager
def _station(link: str, fingerprint: str, folder: Path) -> Iterator[Path]:
    at, (reading, writing) = folder / "station.sock", os.pipe()
    command = ["ip", "netns", "exec", SPACE, sys.executable, "-m", "ribalta", "station", link, "--listen", str(at)]
    command += ["--ready", str(writing), "--fingerprint", fingerprint]
    child = subprocess.Popen(command, pass_fds=(writing,))
    try:
        said = json.loads(os.read(reading, 65536))
        if "fault" in said:
            raise LocalFault(said["fault"])
        yield at
    finally:
        child.terminate()
        child.wait(10)


def _direct(director: RemoteShow, socket: Path, takes: int) -> dict[str, Any]:
    lost: list[float] = []
    station = RemoteShow(socket, on_lost=lambda: lost.append(time.monotonic()))
    station.media.show_at({"program": (480, 270), **{f"c{n}": (160, 90) for n in range(1, 7)}})
    wait_for(lambda: "program" in station.media.pictures.shown, 20)
    late_s: list[float] = []

    def set_there(shot: Shot) -> bool:
        return landing_state(station.state, shot, station.clock.now_s()) is LandingState.SET

    show = station.state.show
    by_camera = [[f for f in show.framings if f.camera_id == f"c{n}"] for n in (1, 2, 3)]
    for k in range(takes):
        framings = by_camera[k % 3]
        framing = framings[k // 3 % len(framings)]
        camera, letter = 1 + k % 3, framing.letter
        shot = Shot(f"c{camera}", framing.id)
        station.act("ready.framing", {"camera": camera, "letter": letter, "page": framing.page})
        wait_for(lambda shot=shot: station.state.program.next == shot and set_there(shot), 20)  # type: ignore[misc]
        count, began_s = director.state.program.takes, time.monotonic()
        station.act("take", {})
        wait_for(lambda count=count: director.state.program.takes > count, 15)  # type: ignore[misc]
        late_s.append(time.monotonic() - began_s)
    records = director.state.program.records[-len(late_s) :]
    seen = dict(station.media.pictures.captured_s)
    ages_s = [station.clock.now_s() - at_s for at_s in seen.values()]
    on_air, count = director.state.program.on_air, director.state.program.takes
    cut(True)
    end_s = time.monotonic() + CUT_S
    same = True
    while time.monotonic() < end_s:
        same &= director.state.program.on_air == on_air and director.state.program.takes == count
        time.sleep(0.05)
    cut(False)
    up_s = time.monotonic()
    wait_for(lambda: bool(lost), 20)
    station.attach_again(socket)
    back_s = time.monotonic() - up_s
    station.act("ready.camera", {"camera": 1})
    alive = wait_for(lambda: director.state.program.next == Shot("c1"), 10)
    station.close()
    return {
        "cuts": len(late_s),
        "landed": sum(record.landed for record in records),
        "held_and_landed": sum(record.held_s > 0 and record.landed for record in records),
        "key_to_take_ms_p50": round(1000 * percentile(late_s, 0.5)),
        "key_to_take_ms_p95": round(1000 * percentile(late_s, 0.95)),
        "oldest_picture_ms": round(1000 * max(ages_s, default=0.0)),
        "same_on_air_while_cut": same,
        "back_s": round(back_s, 2),
        "directs_again": alive,
    }
