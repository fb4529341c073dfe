"""Program as a camera of this machine, for other programs: a tap that writes to a loopback video device (V4L2).

Such devices are made by the kernel module v4l2loopback; where there is none, that is said.
"""

import ctypes
import fcntl
import os
import threading
from collections.abc import Callable
from pathlib import Path

from ribalta.core.base.faults import LocalFault
from ribalta.core.picture.planes import Picture
from ribalta.media.outputs.encoder import Fitter
from ribalta.workers.crew import Crew
from ribalta.workers.priorities import give_way

KNOWN = Path("/sys/class/video4linux")
NONE = "This machine has no virtual camera. Load the kernel module v4l2loopback, then try again"


def can_output(handle: int) -> bool:
    """Does a video device take pictures? Raises OSError when it cannot be asked."""
    from linuxpy.video import raw  # takes a tenth of a second to load, and is seldom wanted

    said = raw.v4l2_capability()
    fcntl.ioctl(handle, raw.IOC.QUERYCAP, said)
    whole = raw.Capability(said.capabilities)
    own = raw.Capability(said.device_caps) if raw.Capability.DEVICE_CAPS in whole else whole
    return raw.Capability.VIDEO_OUTPUT in own


def format_of(width: int, height: int) -> ctypes.Structure:
    """That of progressive I420 pictures of a size in pixels, BT.709, for output."""
    from linuxpy.video import raw

    asked: ctypes.Structure = raw.v4l2_format(type=raw.BufType.VIDEO_OUTPUT)
    pixels = asked.fmt.pix
    pixels.width, pixels.height, pixels.bytesperline = width, height, width
    pixels.pixelformat, pixels.field, pixels.colorspace = raw.PixelFormat.YUV420, raw.Field.NONE, raw.Colorspace.REC709
    pixels.sizeimage = width * height * 3 // 2
    return asked


def open_device(size: tuple[int, int], folder: Path = Path("/dev")) -> int:
    """The first device that takes pictures of this size, opened. Raises LocalFault when there is none."""
    from linuxpy.video import raw

    names = sorted(path.name for path in KNOWN.glob("video*"))
    for name in names:
        try:
            handle = os.open(folder / name, os.O_RDWR)
        except OSError:
            continue
        try:
            if can_output(handle):
                fcntl.ioctl(handle, raw.IOC.S_FMT, format_of(*size))
                return handle
        except OSError:
            pass
        os.close(handle)
    raise LocalFault(NONE)


class VirtualCamera:
    """A tap of program. It shows the newest frame; `ended` is told on its thread why it stopped by itself."""

    what = "program"

    def __init__(
        self,
        size: tuple[int, int],
        ended: Callable[[str], None],
        fitter: Fitter | None = None,
        crew: Crew | None = None,
    ) -> None:
        self.size = size
        self._handle = open_device(size)
        self._ended, self._fitter = ended, fitter or Fitter()
        self._picture: Picture | None = None
        self._there = threading.Condition()
        self._stopping = False
        self._worker = (crew or Crew()).worker("virtual camera", self._run, again=False)

    def start(self) -> None:
        """Begin, on a thread of its own."""
        self._worker.start()

    def take(self, tick: int, at_s: float, picture: Picture | None) -> None:
        """See `FrameConsumer`."""
        fitted = self._fitter.fitted(tick, self.what, self.size, picture)
        with self._there:
            self._picture = fitted
            self._there.notify()

    def stop(self) -> None:
        """End soon; `join` waits for it."""
        with self._there:
            self._stopping = True
            self._there.notify()

    def join(self) -> None:
        """Wait for the end of its thread, two seconds at most."""
        self._worker.join(2)

    @property
    def stopped(self) -> bool:
        """Was it told to end?"""
        return self._stopping

    def _run(self) -> None:
        give_way()
        try:
            while True:
                with self._there:
                    while self._picture is None and not self._stopping:
                        self._there.wait()
                    picture, self._picture = self._picture, None
                if picture is None:
                    return
                os.write(self._handle, picture.in_one_piece().data)
        except OSError as error:
            self._stopping = True
            self._ended(f"it takes no more pictures ({error.strerror or error})")
        finally:
            os.close(self._handle)
