"""What takes program away besides the screen: recordings and the stream, begun and ended as the engine wants."""

import tempfile
import threading
import time
from collections import deque
from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path

import av.error

from ribalta.core.base.faults import LocalFault
from ribalta.core.ports.as_run import RecordingBegan
from ribalta.core.ports.shots import VIRTUAL
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.outputs import OutputSettings as Where
from ribalta.media.outputs.encoder import Fitter, Quality
from ribalta.media.outputs.encoding import Encoding
from ribalta.media.outputs.recorder import (
    CAMERA_QUALITY,
    CAMERA_SIZE,
    PROGRAM_QUALITY,
    Recording,
    Status,
    last_picture,
    names_for,
    timecode,
)
from ribalta.media.outputs.streamer import Streaming, StreamStatus, refused
from ribalta.media.outputs.virtual_camera import VirtualCamera
from ribalta.media.program.desk_pictures import PROGRAM
from ribalta.media.program.mixer import Mixer
from ribalta.media.sound.sound_desk import SoundConsumer, SoundDesk
from ribalta.workers.crew import Crew

Ended = Callable[[str, str], None]
Began = Callable[[RecordingBegan], None]
SOON_S = 0.1  # until then all parts of a recording are ready, so that they begin with the same frame


def videos() -> Path:
    """Where recordings go when nothing else is said."""
    found = Path.home() / "Videos"
    return found if found.is_dir() else Path.home()


class ProgramOutputs:
    """`begin` and `end` come from one thread. `ended` is told the output and why when one stopped by itself."""

    def __init__(
        self, mixer: Mixer, sound: SoundDesk, ended: Ended, crew: Crew | None = None, began: Began = lambda _: None
    ) -> None:
        """`began` is told of each recording, by program's thread, when its first frame is there."""
        self._crew = crew or Crew()
        self._mixer, self._sound, self._ended, self._began = mixer, sound, ended, began
        self._fitter = Fitter()
        self._recordings: tuple[Recording, ...] = ()
        self._past: list[Recording] = []
        self._stream: Streaming | None = None
        self._closing: deque[Streaming] = deque(maxlen=16)
        self._virtual: VirtualCamera | None = None
        self._encodings: list[Encoding] = []
        self._tests: tuple[Encoding, ...] = ()
        self._hearers: tuple[SoundConsumer, ...] = ()
        self._tapping = threading.Lock()

    @property
    def recordings(self) -> tuple[Status, ...]:
        """Those that run, or ran last; program first."""
        return tuple(recording.status for recording in self._recordings)

    @property
    def stream(self) -> StreamStatus:
        """How the stream stands, or stood when it was ended."""
        return self._stream.status if self._stream is not None else StreamStatus()

    def begin_recording(self, show: Show, chapter: str) -> None:
        """Raises LocalFault when the folder cannot be used."""
        self.end_recording()  # of one that ended by itself, parts may still run
        folder = self.folder_of(show.outputs)
        cameras = [c for c in show.cameras if c.id in show.outputs.record_camera_ids]
        called = {PROGRAM: PROGRAM} | {c.id: f"camera {c.number}" for c in cameras}
        try:
            folder.mkdir(parents=True, exist_ok=True)
            paths = names_for(folder, show.title, list(called.values()))
        except OSError as error:
            said = error.strerror or str(error)
            raise LocalFault(f"It cannot be recorded into {folder}: {said}. Choose another folder.") from None
        program = self._quality(show.outputs)
        encodings = {
            what: self._encoding(
                what, program if what == PROGRAM else CAMERA_QUALITY, what == PROGRAM or show.outputs.camera_sound
            )
            for what in called
        }
        starts, from_s = timecode(self._mixer.rate, SOON_S), time.monotonic() + SOON_S
        made = []
        for what, name in called.items():
            told = partial(self._begun, {w: str(paths[n].absolute()) for w, n in called.items()})
            began = told if what == PROGRAM else _nobody
            recording = Recording(paths[name], encodings[what], starts, self._stopped, from_s, self._crew, began)
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
        """A chapter begins in all recordings that run, at a clock time."""
        for recording in self._recordings:
            if recording.status.running:
                recording.chapter(at_s, name)

    def begin_stream(self, outputs: Where, whole: Callable[[], str] | None = None) -> None:
        """`whole` gives the address with its secrets. Raises LocalFault for an address that is none."""
        why = refused(outputs.stream_to)
        if why is not None:
            raise LocalFault(why)
        encoding = self._encoding(PROGRAM, Quality(PROGRAM_QUALITY.crf, outputs.stream_kbit_s, PROGRAM_QUALITY.high))
        self._stream = Streaming(outputs.stream_to, encoding, self._crew, whole)
        self._stream.start()
        self._tap()

    def end_stream(self) -> None:
        """It is closed on its own thread; whoever waits for the end calls `stop`."""
        if self._stream is not None:
            self._stream.stop()
            self._closing.append(self._stream)
        self._tap()

    def begin_virtual(self) -> None:
        """Raises LocalFault when this machine has no virtual camera."""
        ended = partial(self._ended, VIRTUAL)
        self._virtual = VirtualCamera(self._mixer.size, ended, self._fitter, self._crew)
        self._virtual.start()
        self._tap()

    def end_virtual(self) -> None:
        """Other programs see no new pictures any more."""
        if self._virtual is not None:
            self._virtual.stop()
        self._tap()

    def stop(self) -> None:
        """All is closed, and waited for."""
        if self._stream is not None:
            self._stream.stop()
        self.end_virtual()
        self.end_recording()
        for stream in (*self._closing, *([self._stream] if self._stream is not None else [])):
            stream.join()
        if self._virtual is not None:
            self._virtual.join()
        for recording in (*self._past, *self._recordings):
            recording.join()

    @staticmethod
    def _quality(outputs: Where) -> Quality:
        """Of the file of program: the stream's own, if both are to share one encoding."""
        shared = outputs.stream_to and outputs.one_encoding
        return Quality(PROGRAM_QUALITY.crf, outputs.stream_kbit_s, PROGRAM_QUALITY.high) if shared else PROGRAM_QUALITY

    def _encoding(self, what: str, quality: Quality, sound: bool = True) -> Encoding:
        """One that is at work on the same, or a new one; with program's sound, or none."""
        for encoding in self._encodings:
            if (encoding.what, encoding.quality, encoding.sound) == (what, quality, sound) and not encoding.closed:
                return encoding
        size = self._mixer.size if what == PROGRAM else CAMERA_SIZE
        try:
            encoding = Encoding(what, size, self._mixer.rate, quality, sound, self._fitter, self._crew)
        except (av.error.FFmpegError, MemoryError) as error:
            raise LocalFault(f"The encoder cannot be opened: {type(error).__name__}.") from None
        encoding.start()
        self._encodings.append(encoding)
        return encoding

    def _begun(self, files: Mapping[str, str], program: Recording) -> None:
        """On its own thread: all files of a recording begin with the same frame."""
        if program.line.began is not None:
            self._began(
                RecordingBegan(
                    tuple(files.items()), program.timecode, program.line.began[1], str(program.encoding.rate)
                )
            )

    def _stopped(self, recording: Recording) -> None:
        """By itself, on its own thread. When program's goes, it is said; a camera's alone is seen in its status."""
        what = recording.status.what
        self._ended("recording" if what == PROGRAM else what, recording.status.trouble)

    def _tap(self) -> None:
        """Those encodings that somebody wants are fed; the others end. A test may begin on another thread."""
        with self._tapping:
            wanted = [r.encoding for r in self._recordings if not r.over]
            if self._stream is not None and not self._stream.stopped:
                wanted.append(self._stream.encoding)
            for encoding in self._encodings:
                if encoding not in wanted:
                    encoding.close()
            self._encodings = [encoding for encoding in self._encodings if encoding in wanted]
            virtual = [self._virtual] if self._virtual is not None and not self._virtual.stopped else []
            self._mixer.taps = (*self._encodings, *self._tests, *virtual)
            if not self._mixer.taps:
                self._fitter.pool.clear()
            heard = (encoding for encoding in (*self._encodings, *self._tests) if encoding.sound)
            self._sound.taps = (*heard, *self._hearers)

    # Trying them out, on any thread

    def folder_of(self, outputs: Where) -> Path:
        """Where recordings go."""
        return Path(outputs.folder).expanduser() if outputs.folder else videos()

    def try_out(self, outputs: Where, seconds: float = 1.2) -> str:
        """Record for a moment and read it back; why that cannot be done, as a phrase, or nothing. A recording that runs
        is proof enough."""
        running = next((r for r in self._recordings if r.status.running and r.status.what == PROGRAM), None)
        if running is not None:
            return "" if running.status.proof is not None else "nothing can be read back from the recording yet"
        encoding = Encoding(
            PROGRAM, self._mixer.size, self._mixer.rate, PROGRAM_QUALITY, True, self._fitter, self._crew
        )
        with tempfile.TemporaryDirectory(prefix=".ribalta-test-", dir=self.folder_of(outputs)) as name:
            path = Path(name) / "test.mkv"
            recording = Recording(path, encoding, timecode(encoding.rate), lambda _: None, 0.0, self._crew)
            encoding.start()
            self._tests = (encoding,)
            self._tap()
            recording.start()
            time.sleep(seconds)
            recording.stop()
            self._tests = ()
            self._tap()
            encoding.close()
            recording.join()
            if recording.status.trouble:
                return recording.status.trouble
            return "" if last_picture(path) is not None else "no picture could be read back"

    def listen(self, hearer: SoundConsumer | None) -> None:
        """Have somebody hear program for a while; None: nobody any more."""
        self._hearers = (hearer,) if hearer is not None else ()
        self._tap()


def _nobody(_: Recording) -> None:
    """Of a camera's file nobody is told: program's speaks for all."""
