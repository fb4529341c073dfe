"""Joins what is worked and what is sent to a session: controls, messages in and out, the lights of controllers.

Shortcuts of this desk and the token for other machines are kept in this desk's own folder, not in the show.
"""

import os
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Protocol

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.controls import Controls
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.pad_state import lights
from ribalta.core.ports.causes import Cause
from ribalta.core.ports.messages import DeskShortcuts, Event, Learned, Notice, RoomLeft, Send, Severity
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.cues import Listening, Shortcut
from ribalta.core.show.files.shortcut_file import config_folder, desk_path, read_shortcuts, write_shortcuts
from ribalta.remote.desk import Desk
from ribalta.remote.incoming import new_token
from ribalta.remote.log import Line
from ribalta.remote.midi import MachinePorts, Ports
from ribalta.remote.station import Station
from ribalta.workers.crew import Crew

LIGHTS_EVERY_S = 0.1


def desk_shortcuts() -> tuple[tuple[Shortcut, ...], str]:
    """Those of this desk, and what is wrong with them, if anything is."""
    path = desk_path()
    if not path.exists():
        return (), ""
    try:
        return read_shortcuts(path), ""
    except LocalFault as fault:
        return (), f"This desk's own shortcuts are left out. {fault}"


def kept_token() -> str:
    """The token of this desk, made at first need. It can be read by its owner alone."""
    path = config_folder() / "token"
    try:
        return path.read_text().strip()
    except OSError:
        token = new_token()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
            file.write(token)
    except OSError:
        return token  # for as long as this runs
    return token


class Host(Desk, Protocol):
    """What cueing needs of a session besides what messages need."""

    def call(self, call: Call, cause: Cause) -> None: ...
    def put_off(self, chore: Callable[[], None]) -> None: ...


class Cueing:
    """`work_now`, `advance`, `hear` and `follow` on the engine's thread, the rest from any."""

    def __init__(
        self, host: Host, tell: Callable[[Event], None], ports: Ports | None = None, crew: Crew | None = None
    ) -> None:
        self._host, self._tell = host, tell
        self.controls = Controls(lambda: host.state, host.call)
        self.learning = False
        self._token = ""
        self.station = Station(host, ports or MachinePorts(), self.token, crew)
        self._lights_s = 0.0
        self._room: int | None = None
        self._alone: Listening | None = None

    def token(self) -> str:
        if not self._token:
            self._token = kept_token()
        return self._token

    # What is shown of messages

    @property
    def lines(self) -> Sequence[Line]:
        return self.station.log.lines

    @property
    def midi_names(self) -> tuple[Sequence[str], Sequence[str]]:
        return self.station.midi.names

    @property
    def midi_trouble(self) -> str:
        return self.station.midi.trouble

    @property
    def troubles(self) -> Mapping[str, str]:
        return self.station.troubles

    def start(self) -> None:
        self.station.start()

    def stop(self) -> None:
        self.station.stop()

    def work_now(self, control: str, down: bool) -> None:
        now_s = self._host.clock.now_s()
        if self.learning and not control.startswith("key "):
            if down:
                self._tell(Learned(control))
        elif down:
            self.controls.down(control, now_s)
        else:
            self.controls.up(control, now_s)

    def lost_now(self, device: str) -> None:
        self.controls.lost(device, self._host.clock.now_s())

    def next_deadline_s(self) -> float:
        return self.controls.next_deadline_s()

    def advance(self) -> None:
        self.controls.advance(self._host.clock.now_s())

    def hear(self, event: Event) -> None:
        if isinstance(event, Send):
            self.station.send(event)
        elif isinstance(event, DeskShortcuts):
            self._host.put_off(lambda: self._keep(event.shortcuts))

    def _keep(self, shortcuts: tuple[Shortcut, ...], path: Path | None = None) -> None:
        try:
            write_shortcuts(path or desk_path(), shortcuts)
        except LocalFault as fault:
            self._host.say(Notice(str(fault), Severity.FAULT))

    def follow(self, state: LiveState, minutes_left: float | None, alone: bool = False) -> None:
        """Listen as the show says (`alone`: not beyond this machine), light controllers, and say when room for
        recording grows short."""
        listening = state.show.listening
        if alone and listening.beyond:
            listening = self._alone = self._alone or listening.model_copy(update={"beyond": False})
        self.station.follow(listening)
        now_s = self._host.clock.now_s()
        if now_s - self._lights_s >= LIGHTS_EVERY_S:
            self._lights_s = now_s
            for page in state.show.pages:
                if page.surface is not None and page.surface.port:
                    self.station.light(page.surface.port, page.surface.channel, lights(state, page, now_s))
        room = int(minutes_left) if minutes_left is not None else None
        if room is not None and room != self._room and minutes_left is not None:
            self._room = room
            self._host.report(RoomLeft(minutes_left))
