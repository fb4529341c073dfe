"""A gamepad steers: which camera it moves is always shown, and when it goes, everything stops.

The left stick turns, the right one turns finely, the triggers zoom (left out, right in). The right shoulder button is
the held modifier for a camera on air, the left one pins the stick to its camera or lets go of it. All other buttons
are controls that shortcuts can be put on.
"""

import os
from collections.abc import Callable
from typing import Any, Protocol

from PySide6.QtCore import QObject, QTimer, Signal

from ribalta.core.ports.messages import Notice, Severity
from ribalta.desk.bridge import Bridge
from ribalta.desk.input.stick import Push, pushed

POLL_MS = 50
FULL_WIDTHS_S, FINE = 0.7, 0.2  # of the picture's width a second at full push; of that, for the right stick
ZOOM_STEPS_S = 9.0


BUTTONS = {
    **{name: name.upper() for name in ("a", "b", "x", "y", "back", "start")},
    **{name: f"DPAD_{name.upper()}" for name in ("up", "down", "left", "right")},
    "left stick": "LEFTSTICK",
    "right stick": "RIGHTSTICK",
}


class Gamepads(Protocol):
    """The gamepads of this machine; the first one counts."""

    def push(self) -> Push | None:
        """How it is pushed now; None without any."""
        ...


class SdlGamepads:
    """Through SDL, without a window of its own. Raises ImportError or RuntimeError where there is none to be had."""

    def __init__(self) -> None:
        os.environ.setdefault("SDL_VIDEODRIVER", "dummy")
        os.environ.setdefault("SDL_JOYSTICK_ALLOW_BACKGROUND_EVENTS", "1")
        os.environ.setdefault("PYGAME_HIDE_SUPPORT_PROMPT", "1")
        import pygame
        from pygame._sdl2 import controller

        self._pygame, self._controller = pygame, controller
        pygame.display.init()
        controller.init()
        self._pad: controller.Controller | None = None

    def push(self) -> Push | None:
        pygame = self._pygame
        pygame.event.pump()
        try:
            if self._pad is not None and not self._pad.attached():
                self._pad = None
            if self._pad is None:
                first = next(
                    (k for k in range(self._controller.get_count()) if self._controller.is_controller(k)), None
                )
                if first is None:
                    return None
                self._pad = self._controller.Controller(first)
            return self._read(self._pad)
        except pygame.error:
            self._pad = None
            return None

    def _read(self, pad: Any) -> Push:
        pygame = self._pygame

        def axis(name: str) -> float:
            value = float(pad.get_axis(getattr(pygame, f"CONTROLLER_AXIS_{name}")))
            return max(-1.0, min(1.0, value / 32767))

        def button(name: str) -> bool:
            return bool(pad.get_button(getattr(pygame, f"CONTROLLER_BUTTON_{name}")))

        left, right = (axis("LEFTX"), axis("LEFTY")), (axis("RIGHTX"), axis("RIGHTY"))
        triggers = axis("TRIGGERLEFT"), axis("TRIGGERRIGHT")
        down = frozenset(name for name, constant in BUTTONS.items() if button(constant))
        return pushed(left, right, triggers, button("RIGHTSHOULDER"), button("LEFTSHOULDER"), down)

    def close(self) -> None:
        self._controller.quit()
        self._pygame.display.quit()


def pads_of_this_machine() -> SdlGamepads | None:
    """None where SDL cannot be had: everything else works all the same."""
    try:
        return SdlGamepads()
    except (ImportError, RuntimeError):
        return None


class Gamepad(QObject):
    """Turns pushes into steering. `changed` comes when it appears, goes, or is pinned."""

    changed = Signal()

    def __init__(self, bridge: Bridge, pads: Gamepads | None, shown: Callable[[], str | None]) -> None:
        super().__init__(bridge)
        self._bridge, self._pads, self._shown = bridge, pads, shown
        self.pinned: str | None = None
        self.present = False
        self._stroke = 0
        self._pushing = False
        self._button = False
        self._down: frozenset[str] = frozenset()
        self._moved: int | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(POLL_MS)
        self._timer.timeout.connect(self.poll)
        if pads is not None:
            self._timer.start()

    def target(self) -> str | None:
        """The camera that the stick moves: the pinned one, else the one that is framed, else Next's."""
        state = self._bridge.state
        if self.pinned is not None and state.show.camera(self.pinned) is not None:
            return self.pinned
        shown = self._shown()
        if shown is not None:
            return shown
        return state.program.next.camera_id if state.program.next is not None else None

    def words(self) -> str:
        """Which camera it moves, and why."""
        if not self.present:
            return "No gamepad"
        camera = self._bridge.state.show.camera(self.target() or "")
        if camera is None:
            return "Stick: nothing is Next"
        why = "pinned" if self.pinned is not None else "shown here" if self._shown() is not None else "Next"
        return f"Stick: camera {camera.number} ({why})"

    def pin(self, camera_id: str | None) -> None:
        self.pinned = camera_id
        self.changed.emit()

    def stop(self) -> None:
        self._timer.stop()

    def poll(self) -> None:
        push = self._pads.push() if self._pads is not None else None
        if (push is not None) != self.present:
            self.present = push is not None
            if self._pushing and self._moved is not None:
                self._bridge.act("steer.stop", camera=self._moved)
            self._pushing = False
            self._down = frozenset()
            if not self.present:
                self._bridge.controls.lost("gamepad")
            self._bridge.noticed.emit(
                Notice("A gamepad is here.")
                if self.present
                else Notice("The gamepad is gone: what it moved has stopped.", Severity.FAULT)
            )
            self.changed.emit()
        if push is None:
            return
        if push.pin and not self._button:
            self.pin(None if self.pinned is not None else self.target())
        self._button = push.pin
        self._work(push.buttons)
        self._steer(push)

    def _work(self, buttons: frozenset[str]) -> None:
        """Buttons are controls like keys and notes."""
        for name in sorted(self._down - buttons):
            self._bridge.work(f"gamepad {name}", False)
        for name in sorted(buttons - self._down):
            self._bridge.work(f"gamepad {name}", True)
        self._down = buttons

    def _steer(self, push: Push) -> None:
        if not push.moves:
            self._pushing = False
            return
        if not self._pushing:
            self._pushing = True
            self._stroke += 1
        camera = self._bridge.state.show.camera(self.target() or "")
        if camera is None:
            return
        self._moved = camera.number
        seconds = POLL_MS / 1000
        widths = FULL_WIDTHS_S * seconds
        right, up = widths * (push.right + FINE * push.fine_right), widths * (push.up + FINE * push.fine_up)
        hand = {"hand": "gamepad", "stroke": self._stroke, "live": push.live}
        self._bridge.act(
            "trim", camera=camera.number, right=right, up=up, zoom_steps=ZOOM_STEPS_S * seconds * push.zoom, **hand
        )
