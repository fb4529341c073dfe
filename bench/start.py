"""How long it takes from the command to the window, and to the first live picture, with cameras that are there already.

Both as ratios to a bare Qt window with the same imports, in the same run, by turns.
"""

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from bench.common.hall import percentile
from bench.common.served import judged
from bench.common.where import steal_percent
from ribalta.core.show.files.storage import StoredShow, load, save
from ribalta.demo.children import StandIns
from ribalta.demo.shipped import SHIPPED, connected

BARE = """
import ribalta.app.attached
from PySide6.QtWidgets import QApplication, QMainWindow
import ribalta.desk.window
app = QApplication([])
window = QMainWindow()
window.show()
app.processEvents()
print("window", flush=True)
"""
OURS = """
import sys
from ribalta.workers import garbage
garbage.put_off()
from pathlib import Path
from ribalta.app.server_process import ServerProcess
server = ServerProcess(Path(sys.argv[1]))
server.begin()
from ribalta.app import attached
garbage.begin()
desk = attached.AttachedDesk(server)

def then(window):
    from PySide6.QtCore import QTimer
    window.repaint()
    print("window", flush=True)
    timer = QTimer(window)

    def look():
        state = window.bridge.state
        if any(live.picture for live in state.cameras.values()) and "program" in window.bridge.media.pictures.shown:
            print("picture", flush=True)
            timer.stop()
            window._end_now()

    timer.timeout.connect(look)
    timer.start(5)

attached.run_attached(desk, then)
"""


def _times(command: list[str]) -> list[float]:
    """When each line came, in seconds from the start."""
    began_s = time.monotonic()
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as child:
        assert child.stdout is not None
        return [time.monotonic() - began_s for _ in child.stdout]


def run(takes: int) -> dict[str, Any]:
    """`takes` is how many times each is started."""
    steal = steal_percent()
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    bare_s, window_s, picture_s = [], [], []
    standins = StandIns(f"ribalta-bench-start-{os.getpid()}", again=False)
    try:
        with tempfile.TemporaryDirectory(prefix="r-") as name:
            os.environ["XDG_RUNTIME_DIR"] = name
            os.environ["XDG_STATE_HOME"] = name
            path = Path(name) / "show.ribalta"
            stored = load(SHIPPED)
            save(path, StoredShow(connected(stored.show, standins.announcement), stored.pictures))
            for _ in range(takes):
                bare_s += _times([sys.executable, "-c", BARE])
                window, picture = _times([sys.executable, "-c", OURS, str(path)])
                window_s.append(window)
                picture_s.append(picture)
    finally:
        standins.stop()
    bare = percentile(bare_s, 0.5)
    result = {
        "starts": takes,
        "bare_s": round(bare, 2),
        "window_s": round(percentile(window_s, 0.5), 2),
        "picture_s": round(percentile(picture_s, 0.5), 2),
        "window_ratio": round(percentile(window_s, 0.5) / bare, 2),
        "picture_ratio": round(percentile(picture_s, 0.5) / bare, 2),
    }
    return judged(result, steal())
