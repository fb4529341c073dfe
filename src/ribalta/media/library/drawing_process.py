"""Titles and stills are drawn with Qt, by a process of their own: a server has no Qt, and what a picture from elsewhere
does to the one who reads it, it does to nobody else.

Where there is a Qt application already (a window in one process with its show, as in tests), it draws by itself.
"""

import contextlib
import os
import select
import struct
import subprocess
import sys
import threading
from collections.abc import Mapping
from typing import Any

import msgspec
import numpy as np

from ribalta.core.base.faults import LocalFault
from ribalta.core.picture.colours import Image
from ribalta.core.picture.layering import Drawing
from ribalta.core.show.document.templates import Template

LENGTH = struct.Struct("<I")
WITHIN_S = 20.0
LARGEST = 256 * 1024 * 1024


def _qt_is_here() -> bool:
    gui = sys.modules.get("PySide6.QtGui")
    return gui is not None and gui.QGuiApplication.instance() is not None


class DrawingProcess:
    """One asks at a time; others wait for it. A child that dies or hangs is made anew for the next drawing."""

    def __init__(self) -> None:
        self._child: subprocess.Popen[bytes] | None = None
        self._lock = threading.Lock()

    def title(
        self, template: Template, values: Mapping[str, str], clock: str, size: tuple[int, int]
    ) -> tuple[Drawing | None, str]:
        """See `drawings.title`. Raises LocalFault when nobody can draw."""
        if _qt_is_here():
            from ribalta.media.library import drawings

            return drawings.title(template, values, clock, size)
        picture, said = self._ask("title", template.filled({}, {}), dict(values), clock, list(size))
        return (Drawing.of(_picture(picture, size)) if picture is not None else None), said

    def still(self, data: bytes, size: tuple[int, int]) -> Image:
        """See `drawings.still`. Raises LocalFault."""
        if _qt_is_here():
            from ribalta.media.library import drawings

            return drawings.still(data, size)
        picture, said = self._ask("still", data, {}, "", list(size))
        if picture is None:
            raise LocalFault(said)
        return _picture(picture, size)

    def close(self) -> None:
        """Whoever draws ends."""
        with self._lock:
            self._drop()

    def _ask(self, *asked: Any) -> tuple[bytes | None, str]:
        with self._lock:
            try:
                child = self._started()
                assert child.stdin is not None
                body = msgspec.msgpack.encode(asked)
                child.stdin.write(LENGTH.pack(len(body)) + body)
                child.stdin.flush()
                picture, said = msgspec.msgpack.decode(self._answer(child), type=tuple[bytes | None, str])
            except (OSError, ValueError, EOFError, msgspec.MsgspecError) as error:
                self._drop()
                raise LocalFault(f"It could not be drawn: whoever draws has died or hangs ({error}).") from None
            return picture, said

    def _started(self) -> subprocess.Popen[bytes]:
        if self._child is None or self._child.poll() is not None:
            self._drop()
            self._child = subprocess.Popen(
                [sys.executable, "-m", "ribalta.media.library.drawing_child"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                env=os.environ | {"QT_QPA_PLATFORM": "offscreen"},
            )
        return self._child

    @staticmethod
    def _answer(child: subprocess.Popen[bytes]) -> bytes:
        assert child.stdout is not None
        if not select.select([child.stdout], [], [], WITHIN_S)[0]:
            raise TimeoutError(f"no answer in {WITHIN_S:.0f} s")
        head = child.stdout.read(LENGTH.size)
        if len(head) < LENGTH.size:
            raise EOFError("it ended")
        (length,) = LENGTH.unpack(head)
        if length > LARGEST:
            raise ValueError("an answer that is too large")
        return child.stdout.read(length)

    def _drop(self) -> None:
        child, self._child = self._child, None
        if child is None:
            return
        child.kill()
        child.wait()
        for pipe in (child.stdin, child.stdout):
            if pipe is not None:
                with contextlib.suppress(OSError):
                    pipe.close()


def _picture(data: bytes, size: tuple[int, int]) -> Image:
    """Raises LocalFault when it is not of that size."""
    if len(data) != size[0] * size[1] * 4:
        raise LocalFault("It was not drawn whole.")
    return np.frombuffer(data, np.uint8).reshape(size[1], size[0], 4).copy()
