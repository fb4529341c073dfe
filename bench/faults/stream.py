"""Receivers of the stream that do everything wrong, while program, recording and keys run against six stand-ins.

`program_gap_ms_max` is the longest time between two frames of program that go out, less what the machine itself stood
still in it; `lost_said_s_max` is how long it took until the stream was said to be lost, after what went wrong.
"""

import tempfile
import time
from itertools import pairwise
from pathlib import Path

from bench.common.hall import Pulse, running_show, wait_for
from bench.common.where import steal_percent
from ribalta.media.program.shapes import Composed
from ribalta.standins.bad_receiver import WAYS, BadReceiver

WARM_UP_S, WATCHED_S = 15.0, 12.0
SCHEMES = {"says nothing": "rtmp://127.0.0.1:{}/live", "refuses": "rtmp://127.0.0.1:{}/live"}


def run(takes: int) -> dict[str, float | int | str]:
    """`takes` is for how many seconds each receiver is watched."""
    watched_s, steal, pulse = float(takes or WATCHED_S), steal_percent(), Pulse()
    said_s: dict[str, float] = {}
    gaps_ms: list[float] = []
    frozen_ms: list[float] = []
    keys = 0
    with tempfile.TemporaryDirectory(prefix="ribalta-stream-") as folder, running_show("stream") as session:
        time.sleep(WARM_UP_S)
        session.act("outputs.change", {"folder": folder})
        session.act("record", {"on": True})
        wait_for(lambda: bool(session.outputs.recordings) and session.outputs.recordings[0].seconds > 1, 20)
        for way in WAYS:
            bad = BadReceiver(way)
            if way == "refuses":
                bad.close()
            session.act("outputs.change", {"stream_to": SCHEMES.get(way, "tcp://127.0.0.1:{}").format(bad.port)})
            session.media.mixer.record.clear()
            began_s = time.monotonic()
            session.act("stream", {"on": True})
            if way in ("stops reading", "resets"):
                wait_for(lambda: session.outputs.stream.word == "on", 20)
                began_s = time.monotonic()
            lost_s: float | None = None
            end_s = time.monotonic() + watched_s
            while time.monotonic() < end_s:
                session.act("ready.camera", {"camera": 5 + keys % 2})
                session.act("take", {})
                keys += 1
                time.sleep(0.1)
                if lost_s is None and session.outputs.stream.word == "lost":
                    lost_s = time.monotonic()
            said_s[way] = (lost_s or float("inf")) - began_s
            record: list[Composed] = list(session.media.mixer.record)
            for a, b in pairwise(record):
                gap_s = b.at_s - a.at_s
                gaps_ms.append(1000 * (gap_s - pulse.stalled_s(a.at_s, b.at_s)))
                frozen_ms.append(1000 * gap_s)
            session.act("stream", {"on": False})
            wait_for(lambda: session.outputs.stream.word == "off", 10)
            if way != "refuses":
                bad.close()
        session.act("record", {"on": False})
        wait_for(lambda: not session.outputs.recordings[0].running, 20)
        recording = session.outputs.recordings[0]
        size = sum(p.stat().st_size for p in Path(folder).glob("*.mkv"))
    pulse.stop()
    return {
        "takes": keys,
        "program_gap_ms_max": round(max(gaps_ms), 1),
        "program_gap_ms_max_with_stalls": round(max(frozen_ms), 1),
        "lost_said_s_max": round(max(said_s.values()), 2),
        "recorded_frames_lost": recording.lost,
        "recorded_seconds": round(recording.seconds, 1),
        "recorded_mb": round(size / 1e6, 1),
        "steal_percent": steal(),
        **{f"said_{way.replace(' ', '_')}_s": round(seconds, 2) for way, seconds in said_s.items()},
    }
