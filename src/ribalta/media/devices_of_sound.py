"""Sound devices of this machine: inputs as sources, an output to listen to. Where there is none, that is said."""

import threading
from collections import deque
from typing import Any

import numpy as np

from ribalta.core.sound.levels import RATE, Samples

KEPT = 25  # blocks


def _library() -> Any:
    """None where the machine has no sound library, which is no reason to stop."""
    try:
        import sounddevice
    except OSError:
        return None
    return sounddevice


def names(inputs: bool) -> list[str]:
    """What could be opened."""
    library = _library()
    if library is None:
        return []
    key = "max_input_channels" if inputs else "max_output_channels"
    return [str(d["name"]) for d in library.query_devices() if d[key] > 0]


class DeviceSound:
    """A device's input. `trouble`: why nothing comes, as a phrase."""

    def __init__(self, name: str) -> None:
        self.trouble = "nothing has come from there yet"
        self._lock = threading.Lock()
        self._heard: deque[Samples] = deque(maxlen=KEPT)
        self._left: Samples | None = None
        self._stream: Any = None
        library = _library()
        if library is None:
            self.trouble = "this machine has no sound devices"
            return
        try:
            self._stream = library.InputStream(RATE, device=name or None, dtype="float32", callback=self._hear)
            self._stream.start()
        except (library.PortAudioError, ValueError) as error:
            self.trouble = f"the device “{name}” cannot be opened ({error})"

    def _hear(self, block: Samples, frames: int, when: object, status: object) -> None:
        with self._lock:
            self._heard.append(block.copy())
        self.trouble = ""

    def read(self, count: int) -> Samples | None:
        with self._lock:
            parts = [self._left] if self._left is not None else []
            while self._heard and sum(map(len, parts)) < count:
                parts.append(self._heard.popleft())
        if not parts:
            return None
        whole = np.concatenate(parts)
        self._left = whole[count:] if len(whole) > count else None
        missing = count - len(whole)
        return whole[:count] if missing <= 0 else np.pad(whole, ((0, missing), (0, 0)))

    def stop(self) -> None:
        if self._stream is not None:
            self._stream.abort()
            self._stream.close()

    def join(self) -> None:
        """It has no thread of ours."""


class Headphones:
    """A device's output. What is not taken in time is dropped."""

    def __init__(self, name: str) -> None:
        self.trouble = ""
        self._stream: Any = None
        library = _library()
        if library is None:
            self.trouble = "This machine has no sound devices: nothing can be listened to here."
            return
        try:
            self._stream = library.OutputStream(RATE, channels=2, device=name, dtype="float32")
            self._stream.start()
        except (library.PortAudioError, ValueError) as error:
            self.trouble = f"“{name}” cannot be opened to listen to ({error})."

    def play(self, block: Samples) -> None:
        if self._stream is not None and self._stream.write_available >= len(block):
            self._stream.write(block)

    def stop(self) -> None:
        if self._stream is not None:
            self._stream.abort()
            self._stream.close()
