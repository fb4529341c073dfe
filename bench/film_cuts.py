"""Scripted cuts at 59.94 frames a second in 1280x720 between cameras that are files: is each in the frame in which it
was asked for, in the recording too?

Each film has its number in its brightness. `in_their_frame` are cuts whose first frame of program is the first one that
the clock made after the cut was asked for; `frame_gap_ms_p99` is between frames as they go out.
"""

import tempfile
import threading
import time
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import cv2
import numpy as np

from bench.common.hall import Pulse, percentile, wait_for
from bench.common.served import judged, without_stalls
from bench.common.where import steal_percent
from ribalta.core.base.frames import RATES, frames_to_s
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import PictureKind, PictureSource
from ribalta.media.outputs.encoding import Encoding
from ribalta.media.outputs.recorder import PROGRAM_QUALITY, Recording
from ribalta.media.program.composer import ProgramPlan
from ribalta.media.program.mixer import Mixer
from ribalta.media.program.shapes import Composed
from ribalta.media.sources.network_stream import StreamPicture

SIZE, CAMERAS = (1280, 720), 4
LEVELS = (50, 100, 150, 200)
GOING_OUT_S = 0.002  # a frame that goes out in the moment of the cut is the one before it


def film(path: Path, level: int, rate: Fraction, seconds: int = 3) -> None:
    with av.open(str(path), "w") as out:
        stream = out.add_stream(
            "libx264", rate=rate, options={"preset": "ultrafast", "crf": "20", "tune": "fastdecode"}
        )
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        codec = stream.codec_context
        codec.colorspace = codec.color_primaries = codec.color_trc = codec.color_range = 1
        still = np.random.default_rng(level).integers(-9, 9, (45, 80))
        for k in range(int(seconds * rate)):
            picture = Picture.plain(*SIZE)
            picture.y[:] = np.clip(np.kron(np.roll(still, k, 1), np.ones((16, 16))) + level, 16, 235)
            rows = picture.in_one_piece().reshape(-1, SIZE[0])
            frame = av.VideoFrame.from_ndarray(rows, format="yuv420p")
            frame.pts, frame.time_base = k, 1 / rate
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))


def _camera_of(mean: float) -> int:
    return int(np.argmin(np.abs(np.array(LEVELS) - mean)))


def run(cuts: int, name: str = "59.94") -> dict[str, object]:
    rate, steal, chance = RATES[name], steal_percent(), np.random.default_rng(1)
    with tempfile.TemporaryDirectory(prefix="ribalta-cuts-") as folder:
        sources = {}
        for k in range(CAMERAS):
            film(Path(folder) / f"{k}.mp4", LEVELS[k], rate)
            sources[f"c{k}"] = StreamPicture(PictureSource(kind=PictureKind.FILE, name=f"{folder}/{k}.mp4"))
        made: list[Composed] = []
        mixer = Mixer(sources, lambda _: None, made.append, size=SIZE, rate=rate)
        mixer.follow(ProgramPlan(program=Shot("c0")))
        mixer.start()
        wait_for(lambda: all(source.best() is not None for source in sources.values()), 20)
        encoding = Encoding("program", SIZE, rate, PROGRAM_QUALITY, sound=False)
        encoding.start()
        mixer.taps = (encoding,)
        recording = Recording(Path(folder) / "program.mkv", encoding, "00:00:00:00", lambda _: None)
        recording.start()
        wait_for(lambda: recording.line.began is not None, 10)
        pulse, asked, shown = Pulse(), list[tuple[float, str]](), 0
        made.clear()
        time.sleep(0.5)
        for _ in range(cuts):
            shown = int((shown + chance.integers(1, CAMERAS)) % CAMERAS)
            asked.append((time.monotonic(), f"c{shown}"))
            mixer.follow(ProgramPlan(program=Shot(f"c{shown}"), take=len(asked)))
            threading.Event().wait(float(chance.uniform(0.1, 0.25)))
        time.sleep(0.3)
        gone, record = list(made), recording.line.began
        recording.stop()
        recording.join()
        mixer.stop()
        encoding.close()
        encoding.join()
        pulse.stop()
        for source in sources.values():
            source.close()
            source.join()
        reader = cv2.VideoCapture(str(Path(folder) / "program.mkv"))
        seen = []
        while (got := reader.read())[0]:
            gray = cv2.cvtColor(got[1], cv2.COLOR_BGR2GRAY)
            seen.append(_camera_of(16 + float(gray[100:600:40, 100:1200:40].mean()) * 219 / 255))
        reader.release()
    assert record is not None
    gaps, left_out = without_stalls(pulse, list(pairwise([one.at_s for one in gone if one.on_clock])))
    frames = [one for one in gone if one.on_clock]
    on_time = in_file = stalled = 0
    for k, (at_s, camera) in enumerate(asked):
        end_s = asked[k + 1][0] if k + 1 < len(asked) else at_s + 0.1
        if pulse.stalled_s(at_s, at_s + 0.05):
            stalled += 1
            continue
        first = next((one for one in frames if one.at_s >= at_s + GOING_OUT_S), None)
        on_time += first is not None and first.plan.program is not None and first.plan.program.camera_id == camera
        due = int((at_s - record[1]) * rate) + 1  # the first frame that is due after it
        until = int((end_s - record[1]) * rate)
        in_file += all(seen[n] == int(camera[1:]) for n in range(due + 1, min(until, len(seen) - 1)))
    return judged(
        {
            "cuts": len(asked),
            "left_out": stalled,
            "in_their_frame": on_time,
            "in_the_file": in_file,
            "frames": len(frames),
            "recorded_frames_lost": recording.status.lost,
            "frame_gap_ms_p99": round(1000 * percentile(gaps, 0.99), 2),
            "frame_ms": round(1000 * frames_to_s(1, rate), 2),
            "gaps_left_out": left_out,
        },
        steal(),
    )
