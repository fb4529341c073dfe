"""The Air view at work with six cameras live: does the program keep its clock, and follow a key at once?"""

import os
import threading
import time
from itertools import pairwise
from typing import Any

import cv2
import numpy as np

from bench.common.hall import Pulse, percentile
from bench.common.served import Frame, judged, served_show, without_stalls
from bench.common.where import steal_percent
from ribalta.attach.remote_show import RemoteShow
from ribalta.core.engine.program.landing import set_at_s
from ribalta.demo.portraits import press
from ribalta.desk.widgets.style import dress
from ribalta.desk.window import Window

WARM_UP_S = 5.0


class BareBlend(threading.Thread):
    """One blend of two full frames now and then, beside the mixer: what a mix costs at the very least."""

    def __init__(self, width: int = 1280, height: int = 720) -> None:
        super().__init__(daemon=True)
        rng = np.random.default_rng(1)
        self._pair = [rng.integers(0, 255, (height, width, 4), np.uint8) for _ in range(2)]
        self._out = np.empty_like(self._pair[0])
        self.costs_s: list[float] = []
        self.stopping = False

    def run(self) -> None:
        while not self.stopping:
            time.sleep(0.25)  # more often, it would be a good part of what it is compared to
            start_s = time.monotonic()
            cv2.addWeighted(self._pair[0], 0.4, self._pair[1], 0.6, 0.0, dst=self._out)
            self.costs_s.append(time.monotonic() - start_s)


def _pump(app: object, seconds: float) -> None:
    """The desk runs as it does by itself, for so long."""
    from PySide6.QtCore import QEventLoop, QTimer

    loop = QEventLoop()
    QTimer.singleShot(round(1000 * seconds), loop.quit)
    loop.exec()


def ready_until_set(app: object, show: RemoteShow, window: Window, number: int) -> bool:
    """Ready a camera as it stands by its key, and wait until it is set."""
    press(window, str(number))
    press(window, str(number))  # twice: as it stands
    for _ in range(400):
        _pump(app, 0.02)
        shot = show.state.program.next
        if shot is not None and set_at_s(show.state, shot) <= show.clock.now_s():
            return True
    return False


def run(takes: int) -> dict[str, Any]:
    """Keys go through the window of a desk; program is composed by a server of its own."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    dress(app)
    steal = steal_percent()
    pressed: list[tuple[float, str]] = []
    with served_show("air") as served:
        show = served.show
        window = Window(show)
        window.show()
        _pump(app, WARM_UP_S)
        bare = BareBlend()  # what it makes beforehand takes as long as two frames
        served.ask("clear")
        window.bridge.lateness_s.clear()
        bare.start()
        came, began_s = sum(show.traffic), time.monotonic()
        for k in range(min(takes, 60)):
            if not ready_until_set(app, show, window, 1 + k % 6):
                continue
            if k % 4 == 3:
                press(window, "Shift+Space")
                _pump(app, 1.0)
                continue
            camera = show.state.show.camera_numbered(1 + k % 6)
            assert camera is not None
            pressed.append((time.monotonic(), camera.id))
            press(window, "Space")
            _pump(app, 0.3)
        bare.stopping = True
        bare.join()
        bytes_s = (sum(show.traffic) - came) / (time.monotonic() - began_s)
        frames = served.frames()
        lateness_s = list(window.bridge.lateness_s)
        found = speeds(served.pulse, frames, pressed)
        window.close()
    mixes_s = [frame.cost_s for frame in frames if frame.mixed]
    return judged(
        {
            "takes": len(pressed),
            "frames": len(frames),
            "mix_ratio": round(percentile(mixes_s, 0.5) / percentile(bare.costs_s, 0.5), 2),
            **found,
            "desk_late_ms_p99": round(1000 * percentile(lateness_s, 0.99), 2),
            "bytes_per_s": round(bytes_s),
        },
        steal(),
    )


def speeds(pulse: Pulse, frames: list[Frame], pressed: list[tuple[float, str]]) -> dict[str, Any]:
    """From keys to program, and between frames of the clock, but for what fell into a stall of the machine."""
    spans = []
    for at_s, camera_id in pressed:
        first = next((f.at_s for f in frames if f.at_s > at_s and f.camera == camera_id), None)
        if first is not None:
            spans.append((at_s, first))
    delays_s, left_out = without_stalls(pulse, spans)
    clocked = [frame.at_s for frame in frames if frame.on_clock]
    gaps_s, gaps_left_out = without_stalls(pulse, list(pairwise(clocked)))
    all_s, _ = without_stalls(pulse, list(pairwise([frame.at_s for frame in frames])))
    return {
        "key_to_program_ms_p50": round(1000 * percentile(delays_s, 0.5), 2),
        "key_to_program_ms_p99": round(1000 * percentile(delays_s, 0.99), 2),
        "clock_gap_ms_p99": round(1000 * percentile(gaps_s, 0.99), 2),
        "frame_gap_ms_p99": round(1000 * percentile(all_s, 0.99), 2),
        "left_out": left_out + gaps_left_out,
    }
