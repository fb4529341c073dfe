"""Cues under load: how soon a key's action begins with everything loaded, and what a flood of OSC does to program.

2,000 shortcuts, 500 triggers (a hundred of them wait on a time) and 200 macros are loaded beside the demo's own. Keys
go through the real window. The flood comes from a process of its own, with python-osc's messages, at 1,000 a second.
"""

import os
import socket
import subprocess
import sys
import time
from itertools import pairwise
from typing import Any

from bench.air import _pump
from bench.common.hall import percentile
from bench.common.served import Served, judged, served_show, without_stalls
from bench.common.where import steal_percent
from ribalta.core.show.automation.calls import Call, Item, Kind
from ribalta.core.show.automation.macros import Macro, Step, StepKind
from ribalta.core.show.automation.triggers_pads_shortcuts import Shortcut, Trigger, When, WhenKind
from ribalta.core.show.document.model import Show
from ribalta.demo.portraits import press
from ribalta.desk.widgets.style import dress
from ribalta.desk.window import Window

FLOOD_S, PER_S = 10.0, 1000
LATE_S = 0.020  # behind its own time, half a frame
SENDER = """
import sys, time
from pythonosc.osc_message_builder import build_msg
from pythonosc.udp_client import UDPClient
port, per_s, seconds = int(sys.argv[1]), int(sys.argv[2]), float(sys.argv[3])
client, start, sent = UDPClient("127.0.0.1", port), time.monotonic(), 0
messages = [build_msg("/ribalta/ready/framing", [2, "W"]), build_msg("/door/open", [1])]
messages.append(build_msg("/ribalta/slide", [1]))
while (gone := time.monotonic() - start) < seconds:
    while sent < gone * per_s:
        client.send(messages[sent % 3]); sent += 1
    time.sleep(0.004)
print(sent)
"""


def loaded(show: Show) -> Show:
    """The show with everything that the limits speak of."""
    black, camera = Call(action="black"), Item(kind=Kind.CAMERA, id="c6")
    macros = tuple(
        Macro(id=f"ma{k}", name=f"Macro {k}", steps=(Step(kind=StepKind.WAIT, seconds=1.0), Step(call=black)))
        for k in range(200)
    )
    kinds = (WhenKind.READIED, WhenKind.TAKEN, WhenKind.LEFT, WhenKind.LOST, WhenKind.TIME)
    triggers = tuple(
        Trigger(
            id=f"tr{k}",
            name=f"Trigger {k}",
            when=When(kind=kinds[k % 5], item=camera if k % 5 < 4 else None, at=f"{k % 24:02d}:{k % 60:02d}"),
            calls=(Call(action="macro.run", arguments={"macro": f"ma{k % 200}"}),),
        )
        for k in range(500)
    )
    shortcuts = tuple(
        Shortcut(control=f"osc /control/{k}", call=Call(action="macro.run", arguments={"macro": f"ma{k % 200}"}))
        for k in range(2000)
    )
    return show.model_copy(
        update={
            "macros": show.macros + macros,
            "triggers": show.triggers + triggers,
            "shortcuts": show.shortcuts + shortcuts,
        }
    )


def _free_port() -> int:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


def run(takes: int) -> dict[str, Any]:
    steal = steal_percent()
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    dress(app)
    with served_show("cues", "bench.cues:loaded") as served:
        session = served.show
        window = Window(session)
        window.show()
        _pump(app, 5.0)
        spans: list[tuple[float, float]] = []
        for k in range(takes):
            before, pressed_s = session.state.run.count, session.clock.now_s()
            press(window, "[" if k % 2 else "]")
            _pump(app, 0.05)
            ran = next((r for r in session.log.history.lines[-50:] if r.number > before and r.action == "slide"), None)
            if ran is not None:
                spans.append((pressed_s, ran.at_s))
        delays_s, left_out = without_stalls(served.pulse, spans)
        port = _free_port()
        session.act("messages.listen", {"osc": True, "osc_port": port})
        _pump(app, 1.0)
        quiet = _frames(app, served, FLOOD_S)
        before, start_s = session.state.run.count, time.monotonic()
        command = [sys.executable, "-c", SENDER, str(port), str(PER_S), str(FLOOD_S)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as sender:
            flooded = _frames(app, served, FLOOD_S + 0.5)
            sent = int(sender.communicate()[0])
        taken_s = time.monotonic() - start_s
        taken, dropped = served.ask("osc")
        window.close()
        ran_count = session.state.run.count - before
    result = {
        "keys": len(delays_s),
        "keys_left_out": left_out,
        "key_to_action_ms_p50": round(1000 * percentile(delays_s, 0.5), 2),
        "key_to_action_ms_p99": round(1000 * percentile(delays_s, 0.99), 2),
        "osc_sent": sent,
        "osc_per_s": round(taken / min(taken_s, FLOOD_S)),
        "osc_dropped": dropped + sent - taken,
        "actions_of_osc": ran_count,
        "frames_quiet": len(quiet),
        "late_frames_quiet": sum(late > LATE_S for late in quiet),
        "frames_flooded": len(flooded),
        "late_frames": sum(late > LATE_S for late in flooded),
        "gap_ms_p99_quiet": round(1000 * percentile(quiet, 0.99) + 40, 1),
        "gap_ms_p99_flooded": round(1000 * percentile(flooded, 0.99) + 40, 1),
    }

    return judged(result, steal())


def _frames(app: object, served: Served, seconds: float) -> list[float]:
    """How much longer than a frame it took from each frame of the clock to the next, but for stalls of the machine."""
    served.ask("clear")
    _pump(app, seconds)
    at_s = [frame.at_s for frame in served.frames() if frame.on_clock]
    return [gap_s - 0.04 for gap_s in without_stalls(served.pulse, list(pairwise(at_s)))[0]]
