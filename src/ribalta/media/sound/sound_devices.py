"""Sound devices of this machine: inputs as sources, an output to listen to. Where there is none, that is said.

A device is opened, and opened again when it has gone, on a thread of its own: nobody who mixes waits for it.
"""

import threading
import time
from collections import deque
from typing import Any

import numpy as np

from ribalta.core.base.back_off import BackOff
from ribalta.core.sound.levels import RATE, Samples
from ribalta.workers.crew import Crew

KEPT = 25  # blocks
WAITING = 10  # blocks that are still to be heard
LOOK_S, GONE_AFTER_S, JOIN_S = 0.1, 2.0, 2.0
FIRST_PAUSE_S, LONGEST_PAUSE_S = 0.5, 3.0


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


class _Device:
    """A device that is kept open. `trouble`: why nothing comes or is heard, as a phrase."""

    kind = "device"

    def __init__(self, name: str, crew: Crew | None) -> None:
        self.name, self.trouble = name, "it is being opened"
        self._crew = crew or Crew()
        self._stopping = threading.Event()
        self._worker = self._crew.worker(f"{self.kind} {name}", self._run)
        self._worker.start()

    def stop(self) -> None:
        self._stopping.set()
        self._worker.stop()

    def join(self) -> None:
        """A driver that hangs is not waited for without an end."""
        self._worker.join(JOIN_S)

    def _open(self, library: Any) -> Any:
        raise NotImplementedError

    def _use(self, stream: Any) -> None:
        """Until it is stopped, or the device has gone."""
        raise NotImplementedError

    def _run(self) -> None:
        library = _library()
        if library is None:
            self.trouble = "this machine has no sound devices"
            return
        back_off, was_open = BackOff(FIRST_PAUSE_S, LONGEST_PAUSE_S), False
        while not self._stopping.is_set():
            try:
                stream = self._open(library)
            except (library.PortAudioError, ValueError, OSError) as error:
                self.trouble = f"the device “{self.name}” cannot be opened ({error})"
            else:
                if was_open:
                    self._crew.relieve(f"The {self.kind} “{self.name}” is back.")
                self.trouble, was_open = "nothing has come from there yet", True
                back_off.worked()
                self._keep(stream, library)
                if not self._stopping.is_set():
                    self.trouble = f"the device “{self.name}” has gone"
                    self._crew.say(f"The {self.kind} “{self.name}” has gone: it is opened again when it is back.")
            self._stopping.wait(back_off.pause_s())

    def _keep(self, stream: Any, library: Any) -> None:
        try:
            self._use(stream)
        except (library.PortAudioError, ValueError, OSError):
            return  # it has gone
        finally:
            with self._crew.guarded(f"closing the {self.kind} “{self.name}”", "It was left alone."):
                stream.abort()
                stream.close()


class DeviceSound(_Device):
    """A device's input."""

    kind = "microphone input"

    def __init__(self, name: str, crew: Crew | None = None) -> None:
        self._lock = threading.Lock()
        self._heard: deque[Samples] = deque(maxlen=KEPT)
        self._left: Samples | None = None
        self._heard_s = 0.0
        super().__init__(name, crew)

    def _open(self, library: Any) -> Any:
        stream = library.InputStream(RATE, device=self.name or None, dtype="float32", callback=self._hear)
        stream.start()
        return stream

    def _use(self, stream: Any) -> None:
        self._heard_s = time.monotonic()
        while not self._stopping.wait(LOOK_S):
            if not stream.active or time.monotonic() - self._heard_s > GONE_AFTER_S:
                return

    def _hear(self, block: Samples, frames: int, when: object, status: object) -> None:
        with self._lock:
            self._heard.append(block.copy())
        self._heard_s = time.monotonic()
        self.trouble = ""

    def read(self, count: int) -> Samples | None:
        """See `SoundSource`."""
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


class Headphones(_Device):
    """A device's output. What is not taken in time is dropped."""

    kind = "output to listen to"

    def __init__(self, name: str, crew: Crew | None = None) -> None:
        self._blocks: deque[Samples] = deque(maxlen=WAITING)
        self._news = threading.Event()
        super().__init__(name, crew)

    def play(self, block: Samples) -> None:
        """Returns at once."""
        self._blocks.append(block)
        self._news.set()

    def _open(self, library: Any) -> Any:
        stream = library.OutputStream(RATE, channels=2, device=self.name, dtype="float32")
        stream.start()
        return stream

    def _use(self, stream: Any) -> None:
        self.trouble = ""
        while not self._stopping.is_set():
            self._news.wait(LOOK_S)
            self._news.clear()
            if not stream.active:
                return
            while self._blocks:
                block = self._blocks.popleft()
                if stream.write_available >= len(block):
                    stream.write(block)
