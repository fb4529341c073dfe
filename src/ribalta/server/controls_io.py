"""What is worked with hands: keys, buttons, notes; and the shortcuts of this desk, which are not in the show."""

from collections.abc import Callable
from dataclasses import replace

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.controls import BY, Controls, Shortcuts
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import DeskShortcuts, Event, Learned, Notice, Severity
from ribalta.core.show.automation.triggers_pads_shortcuts import Shortcut
from ribalta.core.show.files.shortcut_file import desk_path, read_shortcuts, write_shortcuts
from ribalta.server.chores import Chores
from ribalta.server.engine_host import EngineHost
from ribalta.server.faders_io import FadersIo
from ribalta.server.inbox import Inbox
from ribalta.server.part import Part


def desk_shortcuts() -> tuple[tuple[Shortcut, ...], str]:
    """Those of this desk, and what is wrong with them, if anything is."""
    path = desk_path()
    if not path.exists():
        return (), ""
    try:
        return read_shortcuts(path), ""
    except LocalFault as fault:
        return (), f"This desk's own shortcuts are left out. {fault}"


class ControlsIo(Part):
    """Any thread may work a control."""

    called = "what is held on a key or button"

    def __init__(self, host: EngineHost, inbox: Inbox, chores: Chores, faders: FadersIo) -> None:
        self.faders = faders
        self._host, self._inbox, self._chores = host, inbox, chores
        self._by_desk = {"": self._of_desk("")}
        self._learning = False

    def _of_desk(self, desk: str) -> Controls:
        """What is held at one desk; what other machines and controllers hold is nobody's."""
        return Controls(lambda: self._host.state, lambda call, cause: self._host.call(call, replace(cause, desk=desk)))

    @property
    def shortcuts(self) -> Shortcuts:
        """What every control does."""
        return self._by_desk[""].shortcuts

    def work(self, control: str, down: bool, desk: str = "") -> None:
        """A key, button or note is pressed or let go, at a desk."""
        self._put(lambda now_s: self._work(control, down, now_s, desk))

    def lost(self, device: str, desk: str = "") -> None:
        """A gamepad or the like is gone, with whatever was held on it."""
        self._put(lambda now_s: self._lost(device, now_s, desk))

    def left(self, desk: str) -> None:
        """A desk is gone, with whatever was held at it."""
        self._put(lambda now_s: self._forget(desk, now_s))

    def learn(self, on: bool) -> None:
        """While on, a control that is worked is told and does nothing."""
        self._learning = on

    def _put(self, work: Callable[[float], None]) -> None:
        self._inbox.put(lambda _: work(self._host.clock.now_s()))

    # On the engine's thread

    def _work(self, control: str, down: bool, now_s: float, desk: str) -> None:
        if desk not in self._by_desk:
            self._by_desk[desk] = self._of_desk(desk)
        controls = self._by_desk[desk]
        if self._learning and not control.startswith("key "):
            if down:
                self._inbox.say(Learned(control))
        elif down:
            controls.down(control, now_s)
        else:
            controls.up(control, now_s)

    def _lost(self, device: str, now_s: float, desk: str) -> None:
        if desk in self._by_desk:
            self._by_desk[desk].lost(device, now_s)

    def _forget(self, desk: str, now_s: float) -> None:
        controls = self._by_desk.pop(desk, None)
        if controls is not None:
            for device in BY:
                controls.lost(device, now_s)

    def next_deadline_s(self) -> float:
        return min(controls.next_deadline_s() for controls in self._by_desk.values())

    def advance(self, now_s: float) -> None:
        for controls in self._by_desk.values():
            controls.advance(now_s)

    def hear(self, event: Event, state: LiveState) -> None:
        if isinstance(event, DeskShortcuts):
            self._chores.put(lambda: self._keep(event.shortcuts))

    def _keep(self, shortcuts: tuple[Shortcut, ...]) -> None:
        try:
            write_shortcuts(desk_path(), shortcuts)
        except LocalFault as fault:
            self._inbox.say(Notice(str(fault), Severity.FAULT))
