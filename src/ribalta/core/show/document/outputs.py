"""Where program goes besides the screen: files, a stream, and tally for others."""

from collections.abc import Mapping
from fractions import Fraction
from typing import Annotated

from pydantic import Field

from ribalta.core.base.frames import RATES
from ribalta.core.show.document.part import Part

SIZES: Mapping[str, tuple[int, int]] = {"720": (1280, 720), "1080": (1920, 1080)}
FORMAT = "^(720|1080)p(25|29\\.97|30|50|59\\.94|60)$"


def format_words(format: str) -> str:
    """“1280x720, 25 frames a second”."""
    lines, _, rate = format.partition("p")
    return f"{'x'.join(map(str, SIZES[lines]))}, {rate} frames a second"


class TallyReceiver(Part):
    """Somebody who wants to know what is on air, over TSL UMD 3.1 or 5.0 on UDP; `screen` is of 5.0."""

    host: Annotated[str, Field(min_length=1, max_length=200)]
    port: Annotated[int, Field(ge=1, le=65535)] = 8900
    version: Annotated[str, Field(pattern=r"^(3\.1|5\.0)$")] = "5.0"
    screen: Annotated[int, Field(ge=0, le=65534)] = 0


class OutputSettings(Part):
    """`format` is how many lines program has, and how many frames a second. `folder` "" is the user's own for videos.

    `record_camera_ids` are recorded beside program, each by itself; `camera_sound`: with program's sound on each, so
    that an editor can line them up. `expects_recording`: it is said loudly when the
    show is on and is not recorded. `one_encoding`: while there is an address to stream to, the file of program is what
    the stream is, which is half the work. `aux` is what the auxiliary output shows: "program", "clean", "next" or a
    camera.
    """

    format: Annotated[str, Field(pattern=FORMAT)] = "720p25"
    folder: Annotated[str, Field(max_length=1000)] = ""
    record_camera_ids: tuple[str, ...] = ()
    camera_sound: bool = True
    expects_recording: bool = True
    stream_to: Annotated[str, Field(max_length=500)] = ""
    stream_kbit_s: Annotated[int, Field(ge=200, le=20000)] = 4000
    one_encoding: bool = True
    tally: Annotated[tuple[TallyReceiver, ...], Field(max_length=32)] = ()
    tally_cameras: bool = True
    aux: str = "program"

    @property
    def size(self) -> tuple[int, int]:
        """Of program, in pixels."""
        return SIZES[self.format.partition("p")[0]]

    @property
    def rate(self) -> Fraction:
        """Frames of program in a second."""
        return RATES[self.format.partition("p")[2]]
