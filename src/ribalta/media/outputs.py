"""What takes program away besides the screen: recordings and the stream, begun and ended as the engine wants."""

import threading
from collections.abc import Callable, Mapping
from pathlib import Path

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.model import Show
from ribalta.media.encoding import Converter, Queue
from ribalta.media.mixer import CLEAN, PROGRAM, Mixer
from ribalta.media.recorder import CAMERA_SIZE, Recording, Status, names_for, timecode_now
from ribalta.media.sound import SoundDesk
from ribalta.media.streamer import Streaming, StreamStatus, refused

Ended = Callable[[str, str], None]


def videos() -> Path:
    """Where recordings go when nothing else is said."""
    found = Path.home() / "Videos"
    return found if found.is_dir() else Path.home()


class Outputs:
    """`begin` and `end` come from one thread. `ended` is told the output and why when one stopped by itself."""

    def __init__(self, mixer: Mixer, sound: SoundDesk, ended: Ended) -> None:
        self._mixer, self._sound, self._ended = mixer, sound, ended
        self._converter = Converter()
        self._recordings: tuple[Recording, ...] = ()
        self._past: list[Recording] = []
        self._stream: Streaming | None = None
        self._names: Mapping[str, str] = {}

    @property
    def recordings(self) -> tuple[Status, ...]:
        """Those that run, or ran last; program first."""
        return tuple(recording.status for recording in self._recordings)

    @property
    def stream(self) -> StreamStatus:
        return self._stream.status if self._stream is not None else StreamStatus()

    def begin_recording(self, show: Show, chapter: str) -> None:
        """Raises LocalFault when the folder cannot be used."""
        folder = Path(show.outputs.folder).expanduser() if show.outputs.folder else videos()
        cameras = [c for c in show.cameras if c.id in show.outputs.record_camera_ids]
        called = {PROGRAM: PROGRAM} | {c.id: f"camera {c.number}" for c in cameras}
        try:
            folder.mkdir(parents=True, exist_ok=True)
            paths = names_for(folder, show.title, list(called.values()))
        except OSError as error:
            said = error.strerror or str(error)
            raise LocalFault(f"It cannot be recorded into {folder}: {said}. Choose another folder.") from None
        timecode = timecode_now()
        made = []
        for what, name in called.items():
            size = self._mixer.size if what == PROGRAM else CAMERA_SIZE
            recording = Recording(paths[name], what, size, timecode, self._stopped, self._converter)
            recording.chapter(0.0, chapter)
            recording.start()
            made.append(recording)
        self._past += self._recordings
        self._recordings = tuple(made)
        self._tap()

    def end_recording(self) -> None:
        """It is closed on its own thread; whoever waits for the end calls `stop`."""
        for recording in self._recordings:
            recording.stop()
        self._tap()

    def chapter(self, at_s: float, name: str) -> None:
        for recording in self._recordings:
            if recording.status.running:
                recording.chapter(at_s, name)

    def begin_stream(self, address: str, kbit_s: int) -> None:
        """Raises LocalFault for an address that is none."""
        why = refused(address)
        if why is not None:
            raise LocalFault(why)
        self._stream = Streaming(address, kbit_s, self._mixer.size, PROGRAM, self._converter)
        self._stream.start()
        self._tap()

    def end_stream(self) -> None:
        if self._stream is not None:
            self._stream.stop()
            threading.Thread(target=self._stream.join, name="stream closing", daemon=True).start()
        self._tap()

    def stop(self) -> None:
        """All is closed, and waited for."""
        self.end_recording()
        if self._stream is not None:
            self._stream.stop()
            self._stream.join()
        for recording in (*self._past, *self._recordings):
            recording.join()

    def _stopped(self, recording: Recording) -> None:
        """By itself, on its own thread. When program's goes, it is said; a camera's alone is seen in its status."""
        self._ended("recording" if recording.queue.what == PROGRAM else recording.queue.what, recording.status.trouble)

    def _tap(self) -> None:
        running = [r.queue for r in self._recordings if not r.queue.closed]
        taps: list[Queue | Streaming] = [*running]
        if self._stream is not None and not self._stream.stopped:
            taps.append(self._stream)
        self._mixer.taps = tuple(taps)
        self._sound.taps = tuple(tap for tap in taps if tap.what in (PROGRAM, CLEAN))
