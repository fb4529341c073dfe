"""Air with 24 cameras and 6,000 framings against 6 and 60: what a tick costs to paint, a key, the start, the memory.

Each show has a process of its own: the real window over the real engine, with cameras that move on a hand-wound clock,
so that every tick finds something to paint. Ratios are of the large show to the small one.
"""

import argparse
import json
import os
import subprocess
import sys
import time
from pathlib import Path

from bench.common.hall import percentile
from bench.common.served import judged
from bench.common.where import steal_percent

SMALL, LARGE = (6, 60), (24, 6000)
FIXED = 2  # of the cameras
PER_PAGE = 10


def measure(cameras: int, framings: int, ticks: int) -> dict[str, float]:
    """In this process: milliseconds, and megabytes."""
    began_s = time.monotonic()
    from PySide6.QtWidgets import QApplication
    from tests.core.hand_wound import small_show
    from tests.desk.hand_wound import HandWoundSession

    from ribalta.core.show.document.model import Camera, Framing
    from ribalta.desk.widgets.style import dress
    from ribalta.desk.window import Window

    known = small_show()
    heads = [c for c in known.cameras if c.steered]
    those: list[Camera] = []
    for k in range(cameras):
        kind = heads[k % len(heads)] if k < cameras - FIXED else known.cameras[-1]
        those.append(kind.model_copy(update={"id": f"c{k}", "number": k + 1, "name": f"Camera {k + 1}"}))
    each = -(-framings // (cameras - FIXED))
    made = [
        Framing(
            id=f"f{k}-{n}",
            camera_id=f"c{k}",
            slot=n,
            name=f"View {n} of {k}",
            pan_deg=n % 60 - 30,
            tilt_deg=0,
            zoom=0.3,
        )
        for k in range(cameras - FIXED)
        for n in range(each)
    ][:framings]
    show = known.model_copy(update={"cameras": tuple(those), "framings": tuple(made)})
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    dress(app)
    session = HandWoundSession(show)
    hall, window = session.hall, Window(session)
    window.resize(1280, 800)
    window.show()
    app.processEvents()
    started_ms = 1000 * (time.monotonic() - began_s)
    paint, key = [], []
    for tick in range(ticks):
        if tick % 10 == 0:
            before_s = time.perf_counter()
            hall.press(str(1 + tick // 10 % 4), "QWERT"[tick // 10 % 5])
            key.append(1000 * (time.perf_counter() - before_s))
        hall.turn(0.04)
        before_s = time.perf_counter()
        window.air.board.refresh()
        window.air.board.repaint()
        paint.append(1000 * (time.perf_counter() - before_s))
    status = Path("/proc/self/status").read_text()
    memory_mb = int(status[status.index("VmRSS:") :].split()[1]) / 1000
    window.close()
    return {
        "paint_ms": percentile(paint, 0.5),
        "paint_ms_p95": percentile(paint, 0.95),
        "key_ms": percentile(key, 0.5),
        "start_ms": started_ms,
        "memory_mb": memory_mb,
    }


def _apart(cameras: int, framings: int, ticks: int) -> dict[str, float]:
    command = [sys.executable, "-m", "bench.board", str(cameras), str(framings), str(ticks)]
    said = subprocess.run(
        command, check=True, capture_output=True, text=True, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    )
    return dict(json.loads(said.stdout.splitlines()[-1]))


def run(takes: int) -> dict[str, object]:
    """`takes` is how many ticks are painted."""
    steal = steal_percent()
    small, large = _apart(*SMALL, takes or 200), _apart(*LARGE, takes or 200)
    result: dict[str, object] = {"ticks": takes or 200}
    for name in small:
        result[name] = f"{small[name]:.2f} and {large[name]:.2f}"
    for name in ("paint", "key", "start", "memory"):
        unit = "_mb" if name == "memory" else "_ms"
        result[f"{name}_ratio"] = round(large[name + unit] / small[name + unit], 2)
    return judged(result, steal())


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    for word in ("cameras", "framings", "ticks"):
        parser.add_argument(word, type=int)
    given = parser.parse_args()
    print(json.dumps(measure(given.cameras, given.framings, given.ticks)))
