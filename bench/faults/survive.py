"""A show that outlives its window, and its server: desks are killed and stopped, then the server is killed.

A script takes on and on over a line of its own while program is recorded and streamed. `attach_s` is from starting a
new desk's process to its window with the show in it; `back_s` from killing the server to program's picture at a desk
that was attached all the time; `lost_said_s` until that desk said so. What fell into a moment when the machine was
taken away is left out and counted: attachings (`left_out`), and frames of the recording (`frames_left_out`).
"""

import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import av

from bench.common.hall import Pulse, percentile, wait_for
from bench.common.served import judged, without_stalls
from bench.common.where import steal_percent
from ribalta.app.attached import AttachedDesk
from ribalta.app.launch import demo_show_path
from ribalta.app.server_process import ServerProcess
from ribalta.attach.remote_show import RemoteShow
from ribalta.core.ports.messages import Event, Notice
from ribalta.standins.receiver import Receiver

DESKS_KILLED, DESKS_STOPPED, STOPPED_S, SERVERS_KILLED = 20, 5, 10.0, 10
TAKE_EVERY_S, COUNTED_WITHIN_S = 0.5, 2.0
WINDOW = """
import sys
from ribalta.app import attached
from ribalta.attach.runtime_folder import running
desk = attached.AttachedDesk(None, running()[0])
attached.run_attached(desk, lambda window: (window.repaint(), print(window.bridge.state.program.takes, flush=True)))
"""


@dataclass
class Script:
    """Takes two fixed cameras by turns, and looks how many frames the recording has lost, beside stalls and in them."""

    show: RemoteShow
    pulse: Pulse
    asked: int = 0
    lost: int = 0
    lost_in_stalls: int = 0
    known: int = 0
    said: list[tuple[float, str]] = field(default_factory=list)

    def hear(self, event: Event) -> None:
        if isinstance(event, Notice):
            self.said.append((time.monotonic(), event.sentence))

    def take(self) -> None:
        self.show.act("ready.camera", {"camera": 6 - self.asked % 2})
        self.show.act("take", {})
        self.asked += 1

    def go_on(self, seconds: float) -> None:
        end_s = time.monotonic() + seconds
        while time.monotonic() < end_s:
            self.take()
            time.sleep(TAKE_EVERY_S)
            self.look()

    def look(self) -> None:
        """What was lost since it was looked last; a stall's loss is counted a little later."""
        now_s, lost = time.monotonic(), self.show.outputs.recordings[0].lost
        fresh, self.known = max(0, lost - self.known), lost
        if self.pulse.stalled_s(now_s - COUNTED_WITHIN_S, now_s) > 0:
            self.lost_in_stalls += fresh
        else:
            self.lost += fresh


def _window() -> tuple[subprocess.Popen[str], float]:
    """A desk of its own, and how long it took until its window was there."""
    began_s = time.monotonic()
    child = subprocess.Popen(
        [sys.executable, "-c", WINDOW],
        stdout=subprocess.PIPE,
        text=True,
        env=os.environ | {"QT_QPA_PLATFORM": "offscreen"},
    )
    assert child.stdout is not None
    if not child.stdout.readline():
        raise RuntimeError("the desk ended before it began")
    return child, time.monotonic() - began_s


def _end(child: subprocess.Popen[str]) -> None:
    child.kill()
    child.wait()
    if child.stdout is not None:
        child.stdout.close()


def _server_of(keeper: int) -> int:
    found = Path(f"/proc/{keeper}/task/{keeper}/children").read_text().split()
    for pid in found:
        if b"serve" in Path(f"/proc/{pid}/cmdline").read_bytes():
            return int(pid)
    raise RuntimeError("no server runs")


def _playable(path: Path) -> bool:
    with av.open(str(path)) as file:
        return any(True for _ in file.decode(video=0))


def run(takes: int) -> dict[str, Any]:
    """`takes` is how many times the server is killed; of desks twice as many are."""
    kills = takes or SERVERS_KILLED
    steal, pulse = steal_percent(), Pulse()
    with tempfile.TemporaryDirectory(prefix="ribalta-survive-") as name:
        folder = Path(name)
        os.environ |= {f"XDG_{x}_HOME": str(folder / x.lower()) for x in ("STATE", "DATA", "CONFIG")}
        os.environ["XDG_RUNTIME_DIR"] = name
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            address = f"tcp://127.0.0.1:{free.getsockname()[1]}"
        receiver = Receiver(address, look=False)
        server = ServerProcess(demo_show_path(folder / "show.ribalta", True), ("--demo",))
        server.begin()
        desk = AttachedDesk(server)
        show = desk.attach()
        script = Script(show, pulse)
        show.listen(script.hear)
        try:
            show.media.show_at({"program": (320, 180)})
            wait_for(lambda: all(c.picture for c in show.state.cameras.values()), 60)
            show.act("outputs.change", {"folder": str(folder), "stream_to": address})
            show.act("record", {"on": True})
            show.act("stream", {"on": True})
            wait_for(lambda: bool(show.outputs.recordings) and show.outputs.recordings[0].seconds > 2, 30)
            wait_for(lambda: show.outputs.stream.word == "on", 20)
            found = _desks(script, 2 * kills, max(1, kills // 2)) | _servers(script, desk, kills)
            show.act("record", {"on": False})
            wait_for(lambda: not show.outputs.recordings[0].running, 20)
        finally:
            desk.end_show()
            desk.close()
            receiver.close()
        files = sorted(folder.glob("*.mkv"))
        whole = sum(_playable(path) for path in files)
    pulse.stop()
    return judged(found | {"recordings": len(files), "recordings_playable": whole}, steal())


def _desks(script: Script, kills: int, stops: int) -> dict[str, float | int | str]:
    show, spans = script.show, list[tuple[float, float]]()
    took, asked = show.state.program.takes, script.asked
    script.known = show.outputs.recordings[0].lost
    for _ in range(kills):
        child, seconds = _window()
        spans.append((time.monotonic() - seconds, time.monotonic()))
        script.look()
        script.go_on(1.0)
        _end(child)
        script.go_on(0.5)
    for _ in range(stops):
        child, _ = _window()
        script.go_on(0.5)
        child.send_signal(signal.SIGSTOP)
        script.go_on(STOPPED_S)
        child.send_signal(signal.SIGCONT)
        script.go_on(0.5)
        _end(child)
    wait_for(lambda: show.state.program.takes - took >= script.asked - asked, 5)
    attach_s, left_out = without_stalls(script.pulse, spans)
    return {
        "desks_killed": kills,
        "desks_stopped": stops,
        "takes": script.asked - asked,
        "takes_lost": script.asked - asked - (show.state.program.takes - took),
        "program_frames_lost": script.lost,
        "frames_left_out": script.lost_in_stalls,
        "attach_s_p95": round(percentile(attach_s, 0.95), 2),
        "attach_s_p50": round(percentile(attach_s, 0.5), 2),
        "left_out": left_out,
    }


def _servers(script: Script, desk: AttachedDesk, kills: int) -> dict[str, float | int | str]:
    show, back_s, said_s, right = script.show, list[float](), list[float](), 0
    server = desk.server
    assert server is not None
    for _ in range(kills):
        script.go_on(3.0)
        on_air = show.state.program.on_air
        shown = show.media.pictures
        killed_s = time.monotonic()
        os.kill(_server_of(server.pid), signal.SIGKILL)
        there = wait_for(
            lambda shown=shown: show.media.pictures is not shown and "program" in show.media.pictures.shown, 20
        )
        back_s.append(time.monotonic() - killed_s if there else float("inf"))
        said_s += [at_s - killed_s for at_s, words in script.said if at_s > killed_s and "server is gone" in words][:1]
        right += show.state.program.on_air == on_air
        wait_for(lambda: any(r.running and r.seconds > 1 for r in show.outputs.recordings), 20)
        wait_for(lambda: show.outputs.stream.word == "on", 20)
    return {
        "servers_killed": kills,
        "back_s_p95": round(percentile(back_s, 0.95), 2),
        "back_s_p50": round(percentile(back_s, 0.5), 2),
        "lost_said_s_max": round(max(said_s, default=float("inf")), 2),
        "shots_right": right,
        "stream_on": int(show.outputs.stream.word == "on"),
    }
