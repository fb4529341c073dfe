"""The Air view at work with six cameras live: does the program keep its clock, and follow a key at once?"""

import os
import threading
import time
from itertools import pairwise

import cv2
import numpy as np

from bench.common.hall import percentile, running_show
from ribalta.core.engine.program.landing import set_at_s
from ribalta.demo.portraits import press
from ribalta.desk.window import Window, dress
from ribalta.media.program.shapes import Composed
from ribalta.server.session import Session

WARM_UP_S = 5.0


class BareBlend(threading.Thread):
    """One blend of two full frames every 40 ms, beside the mixer: what a mix costs at the very least."""

    def __init__(self, width: int = 1280, height: int = 720) -> None:
        super().__init__(daemon=True)
        rng = np.random.default_rng(1)
        self._pair = [rng.integers(0, 255, (height, width, 4), np.uint8) for _ in range(2)]
        self._out = np.empty_like(self._pair[0])
        self.costs_s: list[float] = []
        self.stopping = False

    def run(self) -> None:
        while not self.stopping:
            time.sleep(0.04)
            start_s = time.monotonic()
            cv2.addWeighted(self._pair[0], 0.4, self._pair[1], 0.6, 0.0, dst=self._out)
            self.costs_s.append(time.monotonic() - start_s)


def _pump(app: object, seconds: float) -> None:
    from PySide6.QtWidgets import QApplication

    assert isinstance(app, QApplication)
    end_s = time.monotonic() + seconds
    while time.monotonic() < end_s:
        app.processEvents()
        time.sleep(0.001)


def _ready(app: object, session: Session, window: Window, number: int) -> bool:
    press(window, str(number))
    for _ in range(400):
        _pump(app, 0.02)
        shot = session.state.program.next
        if shot is not None and set_at_s(session.state, shot) <= session.clock.now_s():
            return True
    return False


def run(takes: int) -> dict[str, float | int]:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    dress(app)
    delays_s: list[float] = []
    with running_show("air") as session:
        window = Window(session)
        window.show()
        _pump(app, WARM_UP_S)
        session.media.mixer.record.clear()
        window.bridge.lateness_s.clear()
        bare = BareBlend()
        bare.start()
        for k in range(min(takes, 60)):
            if not _ready(app, session, window, 1 + k % 6):
                continue
            if k % 4 == 3:
                press(window, "Return")
                _pump(app, 1.0)
                continue
            pressed_s = time.monotonic()
            press(window, "Space")
            _pump(app, 0.3)
            after = [c for c in list(session.media.mixer.record) if c.at_s > pressed_s]
            camera = session.state.show.camera_numbered(1 + k % 6)
            assert camera is not None
            first = next(
                (c for c in after if c.plan.program is not None and c.plan.program.camera_id == camera.id), None
            )
            if first is not None:
                delays_s.append(first.at_s - pressed_s)
        bare.stopping = True
        bare.join()
        record: list[Composed] = list(session.media.mixer.record)
        lateness_s = list(window.bridge.lateness_s)
        window.close()
    mixes_s = [c.cost_s for c in record if c.plan.in_transition is not None]
    clocked = [c.at_s for c in record if c.on_clock]
    gaps_s = [b - a for a, b in pairwise(clocked)]
    return {
        "takes": len(delays_s),
        "frames": len(record),
        "mix_ratio": round(percentile(mixes_s, 0.5) / percentile(bare.costs_s, 0.5), 2),
        "key_to_program_ms_p50": round(1000 * percentile(delays_s, 0.5), 2),
        "key_to_program_ms_p99": round(1000 * percentile(delays_s, 0.99), 2),
        "frame_gap_ms_p99": round(1000 * percentile(gaps_s, 0.99), 2),
        "desk_late_ms_p99": round(1000 * percentile(lateness_s, 0.99), 2),
    }
