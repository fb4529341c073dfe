"""A guest pushes a stick over a bad line, lets go, and at last is killed: how long does the camera go on?

The guest speaks what the page speaks, from a network namespace of its own, which needs root. A camera may go on for as
long as the line takes, and for as long as a push lasts by itself; never for what waited on the way.
"""

import asyncio
import json
import os
import subprocess
import sys
import tempfile
import time
from typing import Any

from bench.common.hall import percentile, wait_for
from bench.common.invited import invited, page_at
from bench.common.served import judged, served_show
from bench.common.slow_line import NEAR, SPACE, far_away
from bench.common.where import steal_percent
from ribalta.attach.remote_show import RemoteShow
from ribalta.core.base.faults import LocalFault

PORT, DELAY_MS, LOSS_PERCENT = 8945, 300, 20
CAMERA, BEAT_S, PUSH_S, ASK_S = 1, 0.06, 2.0, 0.01
STILL_DEG = 0.02  # in a tenth of a second


def run(rounds: int) -> dict[str, Any]:
    """Raises LocalFault without root."""
    if os.geteuid():
        raise LocalFault("This makes a network namespace, which needs root.")
    steal = steal_percent()
    with tempfile.TemporaryDirectory(prefix="ribalta-push-") as folder, far_away(DELAY_MS, LOSS_PERCENT):
        os.environ["XDG_CONFIG_HOME"] = folder
        with served_show("push") as served:
            code = invited(served.show, PORT, "operator", uses=0)
            return judged(_rounds(served.show, code, rounds), steal())


def _pan(director: RemoteShow) -> float:
    camera = director.state.live(f"c{CAMERA}").aim
    return camera.pan_deg if camera is not None else 0.0


def _rounds(director: RemoteShow, code: str, rounds: int) -> dict[str, Any]:
    went_on_s: list[float] = []
    moved: list[float] = []
    moving = False  # as the guest is killed: else there is nothing to stop
    for k in range(rounds):
        killed = k == rounds - 1
        command = ["ip", "netns", "exec", SPACE, sys.executable, "-m", "bench.push", code, "-1" if k % 2 else "1"]
        guest = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert guest.stdout is not None
        guest.stdout.readline()  # it begins to push
        start = _pan(director)
        if killed:
            moving = wait_for(lambda: abs(_pan(director) - start) > 0.5, 10)  # noqa: B023
            guest.kill()
            over_s = time.monotonic()
        else:
            over_s = float(guest.stdout.readline())
        went_on_s.append(_still_s(director) - over_s)
        moved.append(abs(_pan(director) - start))
        guest.kill()
        guest.wait()
    return {
        "rounds": rounds,
        "moved_deg_p50": round(percentile(moved, 0.5), 2),
        "moved_deg_max": round(max(moved), 2),
        "went_on_s_p50": round(percentile(went_on_s[:-1], 0.5), 2),
        "went_on_s_max": round(max(went_on_s[:-1]), 2),
        "moving_when_killed": moving,
        "went_on_after_kill_s": round(went_on_s[-1], 2) if moving else None,
    }


def _still_s(director: RemoteShow) -> float:
    """When the camera moved last, once it has not for a second and a half."""
    last_s, at = time.monotonic(), _pan(director)
    while time.monotonic() - last_s < 1.5:
        time.sleep(ASK_S)
        if abs(_pan(director) - at) > STILL_DEG:
            last_s, at = time.monotonic(), _pan(director)
    return last_s


async def _push(code: str, right: float) -> None:
    async with page_at(f"https://{NEAR}:{PORT}", code, "Ines") as page:
        print("begins", flush=True)
        reader = asyncio.ensure_future(_read(page))
        end_s = time.monotonic() + PUSH_S
        while time.monotonic() < end_s:
            push = {"camera": CAMERA, "right": 0.03 * right, "stroke": 1, "hand": "page", "live": True}
            await page.send_str(json.dumps({"push": push | {"at": time.monotonic()}}))
            await asyncio.sleep(BEAT_S)
        print(time.monotonic(), flush=True)
        await page.send_str(json.dumps({"do": "steer.stop", "with": {"camera": CAMERA}}))
        await reader


async def _read(page: Any) -> None:
    async for _ in page:
        pass


if __name__ == "__main__":
    asyncio.run(_push(sys.argv[1], float(sys.argv[2])))
