"""Is what comes at program's own rate shown frame by frame? A film as a camera, and a stand-in camera, on air."""

import tempfile
import threading
from itertools import pairwise
from pathlib import Path

import av
import numpy as np

from bench.common.hall import running_show, wait_for
from bench.common.where import steal_percent
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import PictureKind, PictureSource
from ribalta.media.program.composer import ProgramPlan
from ribalta.media.program.mixer import Mixer
from ribalta.media.sources.network_stream import StreamPicture

SIZE = (640, 360)
BITS = 12


class Numbers:
    """A tap that reads the number that is drawn in each frame."""

    what = "program"

    def __init__(self) -> None:
        self.seen: list[int] = []

    def take(self, tick: int, at_s: float, picture: Picture | None) -> None:
        assert picture is not None
        width = picture.width // BITS
        bars = picture.y[picture.height // 2, width // 2 : BITS * width : width] > 128
        self.seen.append(sum(1 << bit for bit, on in enumerate(bars) if on))


def film(path: Path, frames: int) -> None:
    """Of 25 frames a second, each with its number from 1 as bars."""
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=25, options={"crf": "10", "preset": "ultrafast"})
        stream.width, stream.height, stream.pix_fmt = (*SIZE, "yuv420p")
        for number in range(1, frames + 1):
            bits = [255 * (number >> bit & 1) for bit in range(BITS)]
            row = np.pad(np.repeat(bits, SIZE[0] // BITS), (0, SIZE[0] % BITS)).astype(np.uint8)
            picture = np.broadcast_to(row[None, :, None], (SIZE[1], SIZE[0], 3)).copy()
            out.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
        out.mux(stream.encode(None))


def _uneven(numbers: list[int]) -> tuple[int, int]:
    """How many frames came again, and how many never came."""
    steps = [after - before for before, after in pairwise(numbers) if after >= before]
    return sum(step == 0 for step in steps), sum(step - 1 for step in steps if step > 1)


def _film(frames: int) -> list[int]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "film.mp4"
        film(path, frames + 100)
        source, tap = StreamPicture(PictureSource(kind=PictureKind.FILE, name=str(path))), Numbers()
        mixer = Mixer({"c1": source}, lambda _: None, size=SIZE)
        mixer.follow(ProgramPlan(program=Shot("c1", None)))
        mixer.start()
        wait_for(lambda: source.best() is not None, 5)
        mixer.taps = (tap,)
        wait_for(lambda: len(tap.seen) >= frames, frames / 25 + 10)
        mixer.stop()
        source.close()
        source.join()
        return [n for n in tap.seen if n]


def _camera(frames: int) -> list[int]:
    with running_show("steps") as session:
        session.act("ready.camera", {"camera": 2})
        session.act("take", {})
        threading.Event().wait(1.0)
        session.media.mixer.record.clear()
        threading.Event().wait(frames * 0.04)
        return [made.source_number for made in list(session.media.mixer.record) if made.on_clock]


def run(takes: int) -> dict[str, float | int | str]:
    steal = steal_percent()
    found = {"film": _film(takes), "camera": _camera(takes)}
    figures: dict[str, float | int | str] = {}
    for what, numbers in found.items():
        again, lost = _uneven(numbers)
        figures |= {f"{what}_frames": len(numbers), f"{what}_again": again, f"{what}_lost": lost}
    return {**figures, "steal_percent": steal()}
