"""Ten guests with four small pictures each, one of them large as well: how late do they see, does program feel them?

One of the ten is a real browser (Chromium), whose pictures are read: the stand-ins draw the time into each. The other
nine speak what the page speaks, from a process of their own: ten browsers would measure browsers on two cores. While
keys are measured the guests' own processes give way, as they would be on machines of their own; the door does not.
"""

import asyncio
import contextlib
import json
import os
import subprocess
import sys
import tempfile
import time
from itertools import pairwise
from pathlib import Path
from typing import Any

from bench.air import WARM_UP_S, _pump, ready_until_set, speeds
from bench.common.hall import percentile, wait_for
from bench.common.invited import invited, page_at
from bench.common.served import Served, judged, served_show
from bench.common.where import steal_percent
from ribalta.demo.portraits import press
from ribalta.desk.widgets.style import dress
from ribalta.desk.window import Window
from ribalta.standins.showing import BITS

OTHERS, CAMERAS, PORT, LOOK_S = 9, (1, 2, 3), 8943, 20.0
WATCH = """
const bits = arguments[0], since = arguments[1], fresh = new Set();
window.late = [];
const look = () => {  // as what was drawn is about to be shown
  for (const canvas of fresh) {
    const [w, h] = [canvas.width, canvas.height], block = Math.floor(w / bits);
    const row = canvas.getContext('2d').getImageData(0, h - Math.round(h / 30), w, 1).data;
    let value = 0;
    for (let k = 0; k < bits; k++) value = value * 2 + (row[4 * (k * block + block / 2 | 0)] > 127 ? 1 : 0);
    const now = (performance.timeOrigin + performance.now() - since) % (2 ** bits);
    window.late.push([canvas.dataset.by ?? 'one by one', now - value]);
  }
  fresh.clear();
};
const drawn = new MutationObserver((changes) => {
  for (const { target } of changes)
    if (target.dataset.what !== 'program') {
      if (!fresh.size) requestAnimationFrame(look);
      fresh.add(target);
    }
});
for (const canvas of document.querySelectorAll('#cameras canvas, #picture'))
  drawn.observe(canvas, { attributeFilter: ['data-number'] });
"""


def run(takes: int) -> dict[str, Any]:
    """Key to program through a window, without guests and with them; and how old what the browser shows is."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    os.environ["RIBALTA_BENCH_STAMP"] = "1"
    from PySide6.QtWidgets import QApplication

    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    dress(app)
    steal = steal_percent()
    with tempfile.TemporaryDirectory(prefix="ribalta-guests-") as folder:
        os.environ["XDG_CONFIG_HOME"] = folder
        with served_show("guests") as served:
            window = Window(served.show)
            window.show()
            _pump(app, WARM_UP_S)
            alone = _takes(app, served, window, takes)
            late_ms, ways, with_guests = _with_guests(app, served, window, takes, Path(folder))
            window.close()
    ratio = with_guests["key_to_program_ms_p50"] / alone["key_to_program_ms_p50"]
    return judged(
        {
            "guests": OTHERS + 1,
            "seen_by": ways,
            "looks": len(late_ms),
            "glass_to_glass_ms_p50": round(percentile(late_ms, 0.5)),
            "glass_to_glass_ms_p95": round(percentile(late_ms, 0.95)),
            "key_to_program_ms_p50": [alone["key_to_program_ms_p50"], with_guests["key_to_program_ms_p50"]],
            "key_to_program_ms_p99": [alone["key_to_program_ms_p99"], with_guests["key_to_program_ms_p99"]],
            "key_ratio_p50": round(ratio, 2),
            "program_frames_lost": with_guests["lost"],
            "left_out": with_guests["left_out"],
        },
        steal(),
    )


def _takes(app: object, served: Served, window: Window, takes: int) -> dict[str, Any]:
    served.ask("clear")
    pressed: list[tuple[float, str]] = []
    for k in range(min(takes, 60)):
        if ready_until_set(app, served.show, window, 1 + k % 6):
            camera = served.show.state.show.camera_numbered(1 + k % 6)
            assert camera is not None
            pressed.append((time.monotonic(), camera.id))
            press(window, "Space")
            _pump(app, 0.3)
    frames = served.frames()
    clocked = [frame.at_s for frame in frames if frame.on_clock]
    spans = [(a, b) for a, b in pairwise(clocked) if not served.pulse.stalled_s(a, b)]
    return speeds(served.pulse, frames, pressed) | {"lost": sum(max(0, round((b - a) / 0.04) - 1) for a, b in spans)}


def _with_guests(
    app: object, served: Served, window: Window, takes: int, folder: Path
) -> tuple[list[float], str, dict[str, Any]]:
    from tests.remote.guests.browser import Browser

    show = served.show
    code = invited(show, PORT, "watcher", cameras=CAMERAS, uses=0)
    others = subprocess.Popen([sys.executable, "-m", "bench.guests", str(PORT), code], stdin=subprocess.PIPE)
    browser = Browser(folder / "browser")
    late_ms: list[float] = []
    ways: set[str] = set()
    since = 1000 * (time.time() - time.monotonic())

    def until(true: Any) -> None:
        wait_for(true, 20)

    try:
        browser.enter(f"https://localhost:{PORT}/#{code}", "Reader", until)
        browser.click("#cameras .camera:nth-child(2)")
        wait_for(lambda: sum(g.there for g in show.state.guests.here.values()) > OTHERS, 20)
        until(lambda: browser.run("return [...document.querySelectorAll('canvas')].every(c => c.dataset.number)"))
        _pump(app, WARM_UP_S)
        browser.run(WATCH, BITS, since)
        _pump(app, LOOK_S)
        for way, late in browser.run("return window.late"):
            ways.add(way)
            late_ms.append(late)
        _give_way(str(folder / "browser"), "bench.guests")
        return late_ms, ", ".join(sorted(ways)), _takes(app, served, window, takes)
    finally:
        browser.close()
        assert others.stdin is not None
        others.stdin.close()
        others.wait(10)


def _give_way(*words: str) -> None:
    """Every thread of the processes that have one of the words in their command line."""
    for path in Path("/proc").glob("[0-9]*/cmdline"):
        with contextlib.suppress(OSError):
            if any(word in path.read_text() for word in words) and int(path.parent.name) != os.getpid():
                for thread in (path.parent / "task").iterdir():
                    os.setpriority(os.PRIO_PROCESS, int(thread.name), 15)


async def _guest(port: int, code: str, number: int) -> None:
    import aiohttp

    async with page_at(f"https://localhost:{port}", code, f"Guest {number}") as page:
        watched = [["program", "small"], *([f"c{n}", "small"] for n in CAMERAS)]
        await page.send_str(json.dumps({"watch": watched}))
        async for message in page:
            if message.type is aiohttp.WSMsgType.BINARY:
                length = message.data[24]
                where = message.data[25 : 25 + length].decode() + "@small"
                drawn = [[where, int.from_bytes(message.data[8:12], "little")]]
                await page.send_str(json.dumps({"drawn": drawn}))


async def _guests(port: int, code: str) -> None:
    tasks = [asyncio.ensure_future(_guest(port, code, k)) for k in range(OTHERS)]
    await asyncio.get_running_loop().run_in_executor(None, sys.stdin.read)
    for task in tasks:
        task.cancel()
    await asyncio.gather(*tasks, return_exceptions=True)


if __name__ == "__main__":
    asyncio.run(_guests(int(sys.argv[1]), sys.argv[2]))
