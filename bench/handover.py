"""Is the edit list right? A scripted run of the demo, three cameras recorded beside program, is handed over, and the
list is applied to the cameras' files: in each frame that it gives to a camera, program must show that camera's frame.

`cuts` were made; `wrong_frames` is in how many frames program looks more like another camera (of `frames` that the list
gives to one), `late_cuts` how many pieces begin or end with such a frame. `lost` frames were never composed or encoded.
"""

import os
import random
import re
import tempfile
import time
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from bench.common.hall import wait_for
from bench.common.served import judged
from bench.common.where import steal_percent
from ribalta.app.attached import AttachedDesk
from ribalta.app.handover.command import write_all
from ribalta.app.launch import demo_show_path
from ribalta.app.server_process import ServerProcess
from ribalta.attach.remote_show import RemoteShow
from ribalta.core.base.frames import USUAL
from ribalta.core.handover.timecodes import frames_of

CUTS = 200
RECORDED = (2, 5, 6)  # more would have to be encoded than two cores can beside the stand-ins
SIZE = (96, 54)
EVENT = re.compile(r"\d{3}  (\S+)\s+V\s+(C|D|W001)\s+(\d{3})?\s*(\S+) (\S+) (\S+) (\S+)$")


def frames_in(path: Path) -> NDArray[np.uint8]:
    """(count, 54, 96, 3) small pictures of a file."""
    with av.open(str(path)) as file:
        found = [
            cv2.resize(frame.to_ndarray(format="bgr24"), SIZE, interpolation=cv2.INTER_AREA)
            for frame in file.decode(video=0)
        ]
    return np.asarray(found, np.uint8)


def _cut(show: RemoteShow, cuts: int) -> None:
    chance, last = random.Random(1), 0
    for _ in range(cuts):
        camera = chance.choice([n for n in RECORDED if n != last])
        last = camera
        show.act("ready.camera", {"camera": camera})
        time.sleep(0.04)
        if chance.random() < 0.75:
            show.act("take", {})
        else:
            show.act("take.transition", {"kind": chance.choice(("mix", "wipe")), "seconds": 0.32})
        time.sleep(chance.choice((0.3, 0.4, 0.6)))


def _compared(edl: str, folder: Path) -> dict[str, Any]:
    program = next(p for p in folder.glob("*.mkv") if " camera " not in p.name)
    cameras = {int(p.stem.rpartition(" ")[2]): frames_in(p) for p in sorted(folder.glob("* camera *.mkv"))}
    seen = frames_in(program)
    start, counted, wrong, late, pieces = None, 0, 0, 0, 0
    for line in edl.splitlines():
        event = EVENT.match(line)
        if event is None:
            continue
        reel, _, long, _, _, begin, end = event.groups()
        start = frames_of(begin, USUAL) if start is None else start
        first, last = frames_of(begin, USUAL) - start + int(long or 0), frames_of(end, USUAL) - start
        if last <= first or not reel.startswith("CAM"):
            continue
        pieces += 1
        bad = []
        for k in range(first, min(last, len(seen))):
            off = {n: _off(seen[k], those, k) for n, those in cameras.items()}
            counted += 1
            if min(off, key=lambda n: off[n]) != int(reel.removeprefix("CAM")):
                bad.append(k)
        wrong += len(bad)
        late += bool(bad) and (first in bad or last - 1 in bad)
    return {"frames": counted, "pieces": pieces, "wrong_frames": wrong, "late_cuts": late}


def _off(picture: NDArray[np.uint8], those: NDArray[np.uint8], k: int) -> float:
    if k >= len(those):
        return float("inf")
    return float(np.abs(picture.astype(np.int16) - those[k]).mean())


def run(cuts: int) -> dict[str, Any]:
    """`cuts` 0: two hundred."""
    cuts, steal = cuts or CUTS, steal_percent()
    with tempfile.TemporaryDirectory(prefix="ribalta-handover-") as name:
        folder = Path(name)
        os.environ |= {f"XDG_{x}_HOME": str(folder / x.lower()) for x in ("STATE", "DATA", "CONFIG")}
        os.environ["XDG_RUNTIME_DIR"] = name
        path, tapes = demo_show_path(folder / "show.ribalta", True), folder / "tapes"
        server = ServerProcess(path, ("--demo",))
        server.begin()
        desk = AttachedDesk(server)
        show = desk.attach()
        try:
            wait_for(lambda: all(c.picture for c in show.state.cameras.values()), 60)
            show.act("outputs.change", {"folder": str(tapes), "cameras": list(RECORDED)})
            wait_for(lambda: len(show.state.show.outputs.record_camera_ids) == len(RECORDED), 10)
            show.act("record", {"on": True})
            wait_for(lambda: bool(show.outputs.recordings) and show.outputs.recordings[0].seconds > 1, 30)
            _cut(show, cuts)
            show.act("record", {"on": False})
            wait_for(lambda: not any(r.running for r in show.outputs.recordings), 60)
            lost = sum(r.lost for r in show.outputs.recordings)
            takes = show.state.program.takes
        finally:
            desk.end_show()
            desk.close()
        began_s = time.monotonic()
        made = write_all(path, folder / "out", None, lambda *_: None)
        took_s = time.monotonic() - began_s
        edl = next(p for p in made.files if p.suffix == ".edl").read_text()
        found = _compared(edl, tapes)
    return judged({"cuts": takes, "lost": lost, **found, "handover_s": round(took_s, 2)}, steal())
