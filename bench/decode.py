"""Six cameras of 1280x720 H.264, 25 frames a second each, decoded and shown small, beside their bare decoding.

`decode_ratio` is the share of a core of the one to that of the other. Each is a process of its own, in turns; what the
machine takes away counts for neither, as it is processor time.
"""

import json
import resource
import subprocess
import sys
import tempfile
import threading
import time
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np

from bench.common.served import judged
from bench.common.where import steal_percent
from ribalta.core.show.document.model import PictureKind, PictureSource

CAMERAS, SECONDS, RATE, TURNS = 6, 10.0, 25, 3
SIZE, SHOWN = (1280, 720), (320, 180)


def film(path: Path, seconds: int = 4) -> None:
    """Something that moves, as a camera would send it."""
    chance = np.random.default_rng(3)
    still = cv2.resize(chance.integers(0, 255, (90, 160, 3), np.uint8), (SIZE[0] + 400, SIZE[1]))
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=RATE, options={"preset": "veryfast", "crf": "24", "g": "25"})
        stream.width, stream.height, stream.pix_fmt, stream.thread_count = *SIZE, "yuv420p", 1
        context = stream.codec_context
        context.colorspace = context.color_primaries = context.color_trc = 1
        context.color_range = 1
        for k in range(seconds * RATE):
            picture = np.ascontiguousarray(still[:, 4 * (k % 100) : 4 * (k % 100) + SIZE[0]])
            frame = av.VideoFrame.from_ndarray(picture, format="bgr24").reformat(
                format="yuv420p", dst_colorspace=1, dst_color_range=1
            )
            frame.pts, frame.time_base = k, Fraction(1, RATE)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))


def _bare(path: str, stopping: threading.Event) -> None:
    """As little as decoding a film in its own time can be."""
    while not stopping.is_set():
        with av.open(path) as container:
            container.streams.video[0].thread_type = "NONE"
            began_s = time.monotonic()
            for k, _ in enumerate(container.decode(video=0)):
                if stopping.wait(max(0.0, began_s + k / RATE - time.monotonic())):
                    return


def _used() -> float:
    used = resource.getrusage(resource.RUSAGE_SELF)
    return used.ru_utime + used.ru_stime


def bare(path: str) -> float:
    """The share of a core that decoding takes."""
    stopping = threading.Event()
    threads = [threading.Thread(target=_bare, args=(path, stopping)) for _ in range(CAMERAS)]
    for thread in threads:
        thread.start()
    time.sleep(2.0)
    began_s, before = time.monotonic(), _used()
    time.sleep(SECONDS)
    share = (_used() - before) / (time.monotonic() - began_s)
    stopping.set()
    for thread in threads:
        thread.join()
    return share


def shown(path: str) -> float:
    """The share of a core that sources and the pictures of a desk take, and program with one of the cameras."""
    from ribalta.core.ports.shots import Shot
    from ribalta.media.program.composer import ProgramPlan
    from ribalta.media.program.mixer import Mixer
    from ribalta.media.sources.network_stream import StreamPicture

    sources = {f"c{k}": StreamPicture(PictureSource(kind=PictureKind.FILE, name=path)) for k in range(1, CAMERAS + 1)}
    mixer = Mixer(sources, lambda _: None)
    mixer.desk_pictures.show_at(dict.fromkeys(sources, SHOWN))
    mixer.follow(ProgramPlan(program=Shot("c1")))
    mixer.start()
    time.sleep(2.0)
    began_s, before = time.monotonic(), _used()
    time.sleep(SECONDS)
    share = (_used() - before) / (time.monotonic() - began_s)
    mixer.stop()
    for source in sources.values():
        source.close()
        source.join()
    return share


def _asked(what: str, path: Path) -> float:
    ran = subprocess.run(
        [sys.executable, "-m", "bench.decode", what, str(path)], check=True, capture_output=True, text=True
    )
    return float(json.loads(ran.stdout))


def run(turns: int) -> dict[str, object]:
    steal = steal_percent()
    with tempfile.TemporaryDirectory(prefix="ribalta-decode-") as folder:
        path = Path(folder) / "film.mp4"
        film(path)
        pairs = [(_asked("bare", path), _asked("shown", path)) for _ in range(turns)]
    ratios = sorted(ours / theirs for theirs, ours in pairs)
    return judged(
        {
            "bare_share": round(sum(a for a, _ in pairs) / len(pairs), 3),
            "shown_share": round(sum(b for _, b in pairs) / len(pairs), 3),
            "decode_ratio": round(ratios[len(ratios) // 2], 2),
        },
        steal(),
    )


if __name__ == "__main__":
    print(json.dumps({"bare": bare, "shown": shown}[sys.argv[1]](sys.argv[2])))
