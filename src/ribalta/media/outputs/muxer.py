"""What carries encoded pictures and sounds away, in a file or over a line.

Times are counted in whole frames and samples from the first picture, so that nothing drifts.
"""

import io
from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction

import av
from av.audio.stream import AudioStream
from av.container import OutputContainer
from av.stream import Stream

from ribalta.core.base.frames import samples_before
from ribalta.core.sound.levels import RATE

PRIMING = 1024  # samples that AAC needs ahead of those that count
SOUND_BASE = Fraction(1, RATE)


@dataclass(frozen=True)
class Packet:
    """One encoded picture, or some sound: `at` is its frame, or its first sample, of the whole encoding."""

    picture: bool
    at: int
    data: bytes
    key: bool = False


def sound_like() -> tuple[OutputContainer, AudioStream]:
    """An AAC stream that describes the sound of program, and the container of its own that keeps it."""
    home = av.open(io.BytesIO(), "w", format="matroska")
    stream = home.add_stream("aac", rate=RATE, options={"aac_coder": "fast"})
    stream.layout = "stereo"
    stream.bit_rate = 160_000
    home.start_encoding()
    return home, stream


class Muxer:
    """A file, or a line to a receiver, that takes an encoder's packets: pictures of a size at a rate, and sound (see
    `sound_like`). Raises what PyAV raises."""

    def __init__(
        self,
        to: str,
        container: str,
        size: tuple[int, int],
        rate: Fraction,
        sound: AudioStream | None,
        options: Mapping[str, str] | None = None,
        timeout_s: float | None = None,
    ) -> None:
        wanted = dict(options or {})
        self.container: OutputContainer = av.open(to, "w", format=container, options=wanted, timeout=timeout_s)
        width, height = size
        self._picture: Stream = self.container.add_mux_stream("h264", rate=rate, width=width, height=height)
        self._rate, self._picture.time_base = rate, 1 / rate
        self._sound: Stream | None = None
        if sound is not None:
            self._sound = self.container.add_stream_from_template(sound)
        self.bytes = 0
        self.frames = 0

    def mux(self, packet: Packet, from_frame: int) -> None:
        """Times become those from `from_frame` on."""
        stream = self._picture if packet.picture else self._sound
        if stream is None:
            return
        out = av.Packet(packet.data)
        at = packet.at - (from_frame if packet.picture else samples_before(from_frame, self._rate, RATE))
        out.pts = out.dts = at
        out.time_base = 1 / self._rate if packet.picture else SOUND_BASE
        out.duration = 1 if packet.picture else PRIMING
        out.is_keyframe, out.stream = packet.key, stream
        self.container.mux_one(out)
        self.bytes += len(packet.data)
        if packet.picture:
            self.frames = at + 1

    def close(self) -> None:
        """Write the end and close it. Raises what PyAV raises."""
        self.container.close()
