"""The guests' door is a process of its own: it is started when the door is opened, and again when it dies.

Encoding, TLS and whatever a guest sends are not done where program is made. It attaches like a desk and speaks for each
guest; what a guest may do is decided in the engine.
"""

import contextlib
import subprocess
import sys
import threading
import time
from dataclasses import replace
from pathlib import Path

from ribalta.attach.protocol import DoorSeen
from ribalta.core.base.back_off import BackOff
from ribalta.core.engine.state.guests import GUEST_HAND
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import By, Cause
from ribalta.core.ports.messages import Notice, Severity
from ribalta.server.engine_host import EngineHost
from ribalta.server.part import Part
from ribalta.workers.crew import Crew

FIRST_PAUSE_S, LONGEST_PAUSE_S, CALM_AFTER_S = 0.3, 10.0, 20.0
ENDS_WITHIN_S, LOOK_EVERY_S = 3.0, 0.2
Wanted = tuple[int, bool] | None  # the port, and whether from beyond this network; None: closed


class GuestsHost(Part):
    """`door` may be read from any thread."""

    called = "the guests' door"

    def __init__(self, host: EngineHost, crew: Crew) -> None:
        self._host, self._crew = host, crew
        self.door = DoorSeen()
        self._socket: Path | None = None
        self._wanted: Wanted = None
        self._changed, self._stopping = threading.Event(), False
        self._worker = crew.worker("guests' door", self._run)
        self._running = False

    def attach_at(self, socket: Path) -> None:
        """Where desks attach, so the door does, too. Without it nobody can come."""
        self._socket = socket
        self._changed.set()

    def follow(self, state: LiveState) -> None:
        """See `Part`."""
        guests = state.guests
        wanted = (guests.port, guests.beyond) if guests.open else None
        if wanted != self._wanted:
            self._wanted = wanted
            self._changed.set()
            if not self._running:
                self._running = True
                self._worker.start()

    def tell(self, door: DoorSeen) -> None:
        """What the door says of itself."""
        if door.trouble and door.trouble != self.door.trouble:
            self._host.say(Notice(door.trouble, Severity.FAULT))
        self.door = door

    def lost(self) -> None:
        """The door has left: whatever a guest pushes stands still, and nobody is there."""
        state = self._host.state
        for camera in state.show.cameras:
            hand = state.live(camera.id).hand
            if hand is not None and hand.name.startswith(GUEST_HAND) and camera.id in state.guests.beats:
                self._host.act("steer.stop", {"camera": camera.number}, cause=Cause(words="the guests' door is gone"))
        for guest in state.guests.here.values():
            if guest.there:
                told = {"guest": guest.id, "there": False}
                self._host.act("guest.presence", told, cause=Cause(By.GUEST, "the guests' door"))
        self.door = replace(self.door, addresses=(), delays_ms={})

    def station(self, guest_id: str, there: bool) -> None:
        """The line of a window on another machine is up, or gone."""
        told = {"guest": guest_id, "there": there}
        self._host.act("guest.presence", told, cause=Cause(By.GUEST, "the guests' door"))

    def stop(self) -> None:
        """Before the show ends; all guests are out."""
        self._stopping = True
        self._worker.stop()
        self._changed.set()
        self._worker.join()

    # The thread

    def _run(self) -> None:
        back_off = BackOff(FIRST_PAUSE_S, LONGEST_PAUSE_S)
        while not self._stopping:
            wanted, socket = self._wanted, self._socket
            self._changed.clear()
            if wanted is None or socket is None:
                self._changed.wait()
                continue
            began_s = time.monotonic()
            if self._one(wanted, socket):
                continue
            if time.monotonic() - began_s > CALM_AFTER_S:
                back_off.worked()
            if not self._stopping:
                pause_s = back_off.pause_s()
                self._host.say(Notice("The guests' door ended by a fault. It is opened again.", Severity.FAULT))
                self._changed.wait(pause_s)

    def _one(self, wanted: tuple[int, bool], socket: Path) -> bool:
        """Run it until it is to be another, or ends. False when it ended by itself."""
        command = [sys.executable, "-m", "ribalta", "door", str(socket), str(wanted[0])]
        if wanted[1]:
            command.append("--beyond")
        try:
            child = subprocess.Popen(command, stdin=subprocess.DEVNULL)
        except OSError as error:
            self.tell(DoorSeen(trouble=f"The guests' door cannot be opened: {error.strerror or error}."))
            return False
        try:
            while not self._stopping and self._wanted == wanted:
                if child.poll() is not None:
                    return False
                self._changed.wait(LOOK_EVERY_S)
                self._changed.clear()
        finally:
            child.terminate()
            with contextlib.suppress(subprocess.TimeoutExpired):
                child.wait(ENDS_WITHIN_S)
            if child.poll() is None:
                child.kill()
                child.wait()
            self.door = DoorSeen()
        return True
