"""A camera's picture from an address, a file or a video device, decoded by PyAV on a thread of its own.

The newest frame is kept and older ones are dropped: a director needs now, not all. While it is on air, and its rate is
program's, it is shown frame by frame. When a stream breaks or falls silent it is opened again, soon at first and then
every few seconds. A file plays in its own time and begins again.
"""

import socket
import threading
import time
from collections import deque
from collections.abc import Callable, Iterator
from urllib.parse import quote, urlsplit, urlunsplit

import av
import av.error
from av.container import InputContainer
from av.video.frame import VideoFrame

from ribalta.core.base.back_off import BackOff
from ribalta.core.show.document.model import PictureKind, PictureSource
from ribalta.media import files
from ribalta.media.colour import Colours
from ribalta.media.sources.pace import Pace
from ribalta.media.sources.source import LOST_AFTER_S, Frame
from ribalta.media.sources.stamps import Stamps
from ribalta.workers.crew import Crew

OPEN_WITHIN_S = 4.0
READ_WITHIN_S = 2.0
FIRST_PAUSE_S, LONGEST_PAUSE_S = 0.3, 1.0
LARGEST = 3840 * 2160
MOST_BAD_PACKETS = 250
WAITING = 2  # frames that are kept for their turn
SCHEMES = ("rtsp", "rtsps", "http", "https", "udp", "rtp", "tcp")


def refused(source: PictureSource) -> str | None:
    """Why this cannot be where a picture comes from, as a phrase; None when it can."""
    if not source.name:
        return "no address is given for its picture"
    if source.kind is PictureKind.DEVICE and not source.name.startswith("/dev/video"):
        return f"{source.name} is not a video device: they are called /dev/video0 and so on"
    if source.kind is PictureKind.STREAM:
        try:
            parts = urlsplit(source.name)
            port = parts.port
        except ValueError:
            return f"{source.name} is not an address of a picture: its port must be 1 to 65535"
        if parts.scheme not in SCHEMES or not parts.hostname or port == 0:
            return f"{source.name} is not an address of a picture: it begins with {', '.join(SCHEMES)} and ://"
        if parts.password:
            return "its address holds a password: type that in the field for it"
    return None


def _address(source: PictureSource, password: str) -> str:
    if source.kind is PictureKind.FILE:
        return files.to_read(source.name)
    if source.kind is not PictureKind.STREAM or not source.user:
        return source.name
    parts = urlsplit(source.name)
    who = f"{quote(source.user, safe='')}:{quote(password, safe='')}@"
    return urlunsplit(parts._replace(netloc=who + parts.netloc))


def _takes_calls(address: str) -> bool:
    """Does anything listen there at all?"""
    parts = urlsplit(address)
    port = parts.port or {"rtsp": 554, "http": 80, "https": 443, "rtsps": 322}.get(parts.scheme, 0)
    try:
        with socket.create_connection((parts.hostname or "", port), 1.0):
            return True
    except OSError:
        return False


def _options(source: PictureSource, over_udp: bool = False) -> dict[str, str]:
    """As little delay as the library allows, without dropping what its beginning is known by."""
    options = {"flags": "low_delay", "probesize": "500000", "analyzeduration": "500000"}
    scheme = urlsplit(source.name).scheme if source.kind is PictureKind.STREAM else ""
    if scheme.startswith("rtsp"):
        options["rtsp_transport"] = "udp" if over_udp else "tcp"
    if scheme == "udp":
        options |= {"overrun_nonfatal": "1", "fifo_size": "20000", "timeout": str(int(READ_WITHIN_S * 1e6))}
    if source.kind is PictureKind.STREAM:
        options["protocol_whitelist"] = "rtsp,rtsps,rtp,srtp,udp,tcp,tls,http,https,crypto,httpproxy"
    return dict(files.OPTIONS) if source.kind is PictureKind.FILE else options


def _phrase(error: Exception) -> str:
    if isinstance(error, av.error.HTTPUnauthorizedError | av.error.HTTPForbiddenError):
        return "its user name or password is refused"
    if isinstance(error, av.error.ConnectionRefusedError):
        return "nothing listens at its picture's address"
    if isinstance(error, FileNotFoundError | av.error.FileNotFoundError | av.error.HTTPNotFoundError):
        return "there is no picture at that address"
    if isinstance(error, av.error.InvalidDataError):
        return "what comes from there is not a picture"
    if isinstance(error, av.error.ExitError | av.error.TimeoutError):
        return "nothing answers at its picture's address"
    return f"its picture cannot be opened ({getattr(error, 'strerror', None) or type(error).__name__})"


FINAL = (
    av.error.HTTPUnauthorizedError,
    av.error.HTTPForbiddenError,
    av.error.ConnectionRefusedError,
    av.error.HTTPNotFoundError,
)  # another way of carrying it would not help


class StreamPicture:
    """See `source.Source`. `password` is asked for, on the picture's thread, only at the moment of opening."""

    def __init__(
        self, source: PictureSource, password: Callable[[], str] = lambda: "", crew: Crew | None = None
    ) -> None:
        self._source, self._password = source, password
        self._frame: Frame | None = None
        self._recent: deque[Frame] = deque(maxlen=WAITING + 1)
        self._pace, self._on_air = Pace(WAITING), False
        self._colours = Colours()
        self._over_udp = False  # tried in turn with TCP, while neither has worked
        self._stopping = threading.Event()
        self._trouble: str | None = refused(source) or "its picture is being opened"
        self._worker = (crew or Crew()).worker(f"picture {source.kind}", self._run)
        if refused(source) is None:
            self._worker.start()

    @property
    def trouble(self) -> str | None:
        """See `FrameSource`."""
        return self._trouble

    @property
    def newest_s(self) -> float:
        """See `FrameSource`."""
        frame = self._frame
        return frame.captured_s if frame is not None else 0.0

    def arrives(self, now_s: float) -> bool:
        """See `FrameSource`."""
        return now_s - self.newest_s < LOST_AFTER_S

    def want_main(self, now_s: float) -> None:
        """There is one size only."""

    def step(self, now_s: float, frame_s: float | None) -> None:
        """See `FrameSource`."""
        newest, self._on_air = self._frame, frame_s is not None
        seen = (newest.number, newest.captured_s) if newest is not None else None
        self._pace.follow(seen, now_s, frame_s)

    def best(self) -> Frame | None:
        """See `FrameSource`."""
        number = self._pace.number
        if number is None:
            return self._frame
        return next((frame for frame in tuple(self._recent) if frame.number == number), self._frame)

    def small(self) -> Frame | None:
        """It has one size only."""
        return None

    def close(self) -> None:
        """The thread ends by itself within the time that a read may take; it is not waited for."""
        self._stopping.set()
        self._worker.stop()

    def join(self) -> None:
        """Wait for the thread, for as long as a read may take."""
        self._worker.join(OPEN_WITHIN_S + READ_WITHIN_S)

    # The thread

    def _run(self) -> None:
        back_off = BackOff(FIRST_PAUSE_S, LONGEST_PAUSE_S)
        while not self._stopping.is_set():
            began, began_s = self._frame, time.monotonic()
            try:
                self._play()
                self._trouble = "its picture ended"
            except (OSError, ValueError, av.error.FFmpegError) as error:
                self._trouble = self._why(error, began, time.monotonic() - began_s)
                if began is self._frame and not isinstance(error, FINAL):
                    self._over_udp = not self._over_udp
            if self._frame is not began:
                back_off.worked()
            self._stopping.wait(back_off.pause_s())

    def _why(self, error: Exception, began: Frame | None, took_s: float) -> str:
        """The library says of some openings that took too long that what came was no picture."""
        timed_out = isinstance(error, av.error.ExitError | av.error.TimeoutError)
        if not timed_out and (isinstance(error, FINAL) or took_s < 0.9 * OPEN_WITHIN_S):
            return _phrase(error)
        if self._frame is not began:
            return f"its picture has stopped coming: nothing for {READ_WITHIN_S:g} s"
        if self._source.kind is PictureKind.STREAM and _takes_calls(self._source.name):
            return "it takes the call for its picture, and then says nothing"
        return _phrase(error)

    def _play(self) -> None:
        kind = self._source.kind
        with av.open(
            _address(self._source, self._password() if self._source.user else ""),
            format="v4l2" if kind is PictureKind.DEVICE else None,
            options=_options(self._source, self._over_udp),
            timeout=(OPEN_WITHIN_S, READ_WITHIN_S),
        ) as container:
            if not container.streams.video:
                raise ValueError("no picture in it")
            stream = container.streams.video[0]
            stream.thread_type = "NONE" if kind is PictureKind.STREAM else "AUTO"
            frames = self._in_time(container) if kind is PictureKind.FILE else self._decoded(container)
            for frame in frames:
                if self._stopping.is_set():
                    return
                self._keep(frame)

    def _decoded(self, container: InputContainer) -> Iterator[VideoFrame]:
        """What cannot be decoded is passed over; only when nothing can be for a while, it is opened anew."""
        bad_packets = 0
        for packet in container.demux(video=0):
            try:
                frames = packet.decode()
            except av.error.InvalidDataError:
                bad_packets += 1
                if bad_packets > MOST_BAD_PACKETS:
                    raise
                continue
            for frame in frames:
                bad_packets = 0
                if isinstance(frame, VideoFrame):
                    yield frame

    def _keep(self, decoded: VideoFrame) -> None:
        if decoded.width * decoded.height > LARGEST:
            raise ValueError(f"a picture of {decoded.width}x{decoded.height}")
        picture = self._colours.picture(decoded)
        number = self._frame.number + 1 if self._frame else 1
        frame = Frame(number, time.monotonic(), picture)
        if not self._on_air:
            self._recent.clear()
        self._recent.append(frame)
        self._frame = frame
        self._trouble = None

    def _in_time(self, container: InputContainer) -> Iterator[VideoFrame]:
        """A file's frames when they are due, over and over."""
        while not self._stopping.is_set():
            start_s, stamps, empty = time.monotonic(), Stamps(), True
            for frame in container.decode(video=0):
                empty = False
                if self._stopping.wait(max(0.0, start_s + stamps.due_s(frame.time) - time.monotonic())):
                    return
                yield frame
            if empty:
                raise ValueError("no picture in it")
            container.seek(0)
