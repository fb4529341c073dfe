"""The whole program chain at work, at 1280x720 or (`chain-1080`) 1920x1080: six cameras live, two insets, three titles,
a key, mixes, recording and streaming.

`chain_ratio` is what composing a mix with all of that costs against a bare blend of two frames, in the same run, both
by the clock on the wall; `frame_gap` is between frames of program as they go out. `core_…` says where the time goes:
the share of a core, and of the time spent waiting for one.
"""

import os
import socket
import subprocess
import sys
import tempfile
import time
from functools import partial
from pathlib import Path
from typing import Any

from bench.air import BareBlend, _pump, speeds
from bench.common.hall import percentile, wait_for
from bench.common.served import judged, served_show
from bench.common.where import Where, resident_mb, steal_percent
from ribalta.core.engine.program.landing import set_at_s
from ribalta.core.show.document.model import Show
from ribalta.demo.portraits import press
from ribalta.desk.widgets.style import dress
from ribalta.desk.window import Window

WARM_UP_S = 20.0  # the stand-ins paint their hall until then
RECEIVER = """
import sys, time
from ribalta.standins.receiver import Receiver
made = Receiver(sys.argv[1], look=False)
while True:
    time.sleep(1)
    print(made.received.pictures, made.received.backwards, flush=True)
"""


def free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


def _in(format: str, show: Show) -> Show:
    return show.model_copy(update={"outputs": show.outputs.model_copy(update={"format": format})})


in_720p25, in_1080p25 = partial(_in, "720p25"), partial(_in, "1080p25")


def run(takes: int, format: str = "720p25") -> dict[str, Any]:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    dress(app)
    steal, pressed = steal_percent(), list[tuple[float, str]]()
    address = f"tcp://127.0.0.1:{free_port()}"
    receiver = subprocess.Popen([sys.executable, "-c", RECEIVER, address], stdout=subprocess.DEVNULL)
    folder = tempfile.TemporaryDirectory(prefix="ribalta-chain-")
    with folder, served_show("chain", f"bench.chain:in_{format}") as served:
        session = served.show
        window = Window(session)
        window.show()
        session.act("outputs.change", {"folder": folder.name, "stream_to": address})
        session.act("inset.change", {"slot": 1, "camera": 6, "corner": 0.1})
        session.act("inset.change", {"slot": 2, "camera": 5, "left": 0.04, "top": 0.06, "wide": 0.25})
        session.act("medium.add", {"name": "Key", "kind": "still", "files": ["slide-1.svg"]})
        _pump(app, 1.0)
        key = session.state.show.media[-1].id
        session.act("key.change", {"medium": key, "low": 0.5, "high": 0.7})
        _pump(app, WARM_UP_S)
        for name in ("Ctrl+1", "Ctrl+2", "Ctrl+5"):
            press(window, name)
        for title in ("t1", "t2", "t3"):
            session.act("title.switch", {"title": title, "on": True})
        press(window, "Ctrl+R")
        session.act("stream", {"on": True})
        wait_for(lambda: session.outputs.stream.word == "on", 20)
        _pump(app, 2.0)
        served.ask("clear")
        window.bridge.lateness_s.clear()
        children = Path(f"/proc/{served.pid}/task/{served.pid}/children").read_text().split()
        others = {"receiver": receiver.pid, "server": served.pid} | {
            f"child {k}": int(p) for k, p in enumerate(children)
        }
        bare = BareBlend(*_in(format, Show()).outputs.size)
        bare.start()
        where = Where(others)
        began_s = time.monotonic()
        for k in range(takes):
            press(window, str(1 + k % 4))
            press(window, str(1 + k % 4))  # twice: as it stands
            limit_s = time.monotonic() + 6
            while time.monotonic() < limit_s:
                _pump(app, 0.02)
                shot = session.state.program.next
                if shot is not None and set_at_s(session.state, shot) <= session.clock.now_s():
                    break
            camera = session.state.show.camera_numbered(1 + k % 4)
            pressed.append((time.monotonic(), camera.id if camera is not None else ""))
            press(window, "Shift+Space" if k % 2 else "Space")
            _pump(app, 1.0 if k % 2 else 0.4)
        while time.monotonic() - began_s < min(20.0, takes):
            _pump(app, 0.5)
        lasted_s = time.monotonic() - began_s
        shares, memory_mb = where.shares(), resident_mb(served.pid)
        bare.stopping = True
        bare.join()
        frames = served.frames()
        found = speeds(served.pulse, frames, pressed)
        stream = session.outputs.stream
        session.act("record", {"on": False})
        wait_for(lambda: not session.outputs.recordings[0].running, 20)
        recording = session.outputs.recordings[0]
        lateness_s = list(window.bridge.lateness_s)
        window.close()
        size = sum(p.stat().st_size for p in Path(folder.name).glob("*.mkv"))
    receiver.kill()
    receiver.wait()
    mixes_s = [frame.cost_s for frame in frames if frame.mixed]
    plain_s = [frame.cost_s for frame in frames if not frame.mixed]
    bare_s = percentile(bare.costs_s, 0.5)
    result = {
        "takes": len(pressed),
        "seconds": round(lasted_s),
        "frames": len(frames),
        "chain_ratio": round(percentile(mixes_s, 0.5) / bare_s, 2),
        "without_mix_ratio": round(percentile(plain_s, 0.5) / bare_s, 2),
        "bare_blend_ms": round(1000 * bare_s, 2),
        "composing_ms_p99": round(1000 * percentile([frame.cost_s for frame in frames], 0.99), 2),
        **found,
        "desk_late_ms_p99": round(1000 * percentile(lateness_s, 0.99), 2),
        "server_memory_mb": round(memory_mb),
        "recorded_frames_lost": recording.lost,
        "recorded_seconds": round(recording.seconds, 1),
        "recorded_mbit_s": round(8 * size / max(1.0, recording.seconds) / 1e6, 2),
        "stream_kbit_s": round(stream.kbit_s),
        "stream_dropped": stream.dropped,
        **{f"core_{name.replace(' ', '_')}": share for name, share in shares.items()},
    }
    return judged(result, steal())
