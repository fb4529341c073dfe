"""The port on which a stand-in's faults are switched on and off: a line of JSON in, a line of JSON out.

{"camera": 2, "faults": {"silence": true}} changes some faults; without "faults" it only tells how they are.
{"partner": "heard"} tells what the message partner has received, and {"partner": "send", ...} has it send something:
see `partner.py`. {"voices": {"turns": [...]}} has the microphones' voices speak these turns, see `voices.py`.
"""

import json
import socketserver
from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from ribalta.standins.body import Body
from ribalta.standins.partner import Partner
from ribalta.standins.sound.voices import Script, Voices
from ribalta.workers.crew import Crew

LONGEST = 1 << 18


class _Talk(socketserver.StreamRequestHandler):
    server: "Control"

    def handle(self) -> None:
        while line := self.rfile.readline(LONGEST):
            try:
                answer = self.server.obey(json.loads(line))
            except (ValueError, RecursionError) as error:
                answer = {"error": str(error)}
            self.wfile.write(json.dumps(answer).encode() + b"\n")


class Control(socketserver.ThreadingTCPServer):
    """Listens on an address of loopback; `bodies` by camera number."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, host: str, port: int, bodies: Mapping[int, Body], partner: Partner, voices: Voices) -> None:
        super().__init__((host, port), _Talk)
        self._bodies, self._partner, self._voices = bodies, partner, voices
        self._thread = Crew().worker("stand-in control", lambda: self.serve_forever(0.1))
        self._thread.start()

    def obey(self, asked: Any) -> dict[str, Any]:
        """Raises ValueError for what cannot be done."""
        if isinstance(asked, dict) and "partner" in asked:
            return self._partner.obey(asked)
        if isinstance(asked, dict) and isinstance(asked.get("voices"), dict):
            return {"begun_s": self._voices.speak(Script.read(asked["voices"]))}
        body = self._bodies.get(asked.get("camera", 0)) if isinstance(asked, dict) else None
        if body is None:
            raise ValueError(f"camera is one of {', '.join(map(str, self._bodies))}")
        faults = asked.get("faults", {})
        if not isinstance(faults, dict):
            raise ValueError("faults is an object of names and values")
        body.set_faults(body.faults.changed(faults))
        return {"camera": asked["camera"], "faults": asdict(body.faults)}

    def end(self) -> None:
        self.shutdown()
        self.server_close()
        self._thread.join()
