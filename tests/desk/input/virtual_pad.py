"""SDL's own virtual game controller, pushed by hand."""

import ctypes
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from ribalta.desk.input.gamepad import SdlGamepads

CONTROLLER, AXES, BUTTONS, HATS = 1, 6, 15, 1
LEFT_X, LEFT_Y, TRIGGER_LEFT, TRIGGER_RIGHT = 0, 1, 4, 5
LEFT_SHOULDER, RIGHT_SHOULDER = 9, 10


class VirtualPad:
    """SDL's own virtual game controller, pushed by hand."""

    def __init__(self) -> None:
        self.pads = SdlGamepads()
        import pygame

        folder = Path(pygame.__file__).parent.parent / "pygame_ce.libs"
        self._sdl = ctypes.CDLL(str(next(folder.glob("libSDL2-2*"))))
        self._sdl.SDL_JoystickOpen.restype = ctypes.c_void_p
        self._sdl.SDL_JoystickSetVirtualAxis.argtypes = [ctypes.c_void_p, ctypes.c_int, ctypes.c_int16]
        self._sdl.SDL_JoystickSetVirtualButton.argtypes = [ctypes.c_void_p, ctypes.c_int, ctypes.c_uint8]
        self._index = self._sdl.SDL_JoystickAttachVirtual(CONTROLLER, AXES, BUTTONS, HATS)
        assert self._index >= 0
        self._stick = self._sdl.SDL_JoystickOpen(self._index)
        self.here = True

    def axis(self, number: int, value: float) -> None:
        self._sdl.SDL_JoystickSetVirtualAxis(self._stick, number, int(32767 * value))

    def button(self, number: int, down: bool) -> None:
        self._sdl.SDL_JoystickSetVirtualButton(self._stick, number, int(down))

    def unplug(self) -> None:
        if self.here:
            self._sdl.SDL_JoystickDetachVirtual(self._index)
            self.here = False

    def close(self) -> None:
        self.unplug()
        self.pads.close()


@contextmanager
def virtual_pad() -> Iterator[VirtualPad]:
    """With its triggers let go."""
    made = VirtualPad()
    for trigger in (TRIGGER_LEFT, TRIGGER_RIGHT):
        made.axis(trigger, -1.0)
    try:
        yield made
    finally:
        made.close()
