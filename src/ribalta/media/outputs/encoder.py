"""What makes H.264 and AAC out of pictures and sounds.

Times are counted in whole frames and samples from the first picture, so that nothing drifts.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction

import av
import numpy as np
from av.audio.stream import AudioStream
from av.video.codeccontext import VideoCodecContext
from av.video.frame import PictureType

from ribalta.core.picture.planes import BLACK, Picture
from ribalta.core.picture.scaling import WHOLE, scale
from ribalta.core.sound.levels import RATE, Samples
from ribalta.media.colour import tag
from ribalta.media.outputs.frame_pool import FramePool
from ribalta.media.outputs.muxer import SOUND_BASE, Packet, sound_like


@dataclass(frozen=True)
class Quality:
    """`crf` is x264's constant quality; `most_kbit_s` a ceiling, 0 for none. `high` is the profile that players expect
    of HD (High, with CABAC): a fifth smaller, and a third more work than the plainest one."""

    crf: int
    most_kbit_s: int = 0
    high: bool = False

    @property
    def profile(self) -> str:
        """The H.264 profile, in words."""
        return "High profile" if self.high else "Baseline profile"

    def options(self, rate: Fraction) -> Mapping[str, str]:
        """The same for the encoding library, with a key frame every second."""
        own = {"preset": "ultrafast", "tune": "zerolatency", "g": str(round(rate)), "threads": "1", "forced-idr": "1"}
        if self.most_kbit_s:
            own |= {"maxrate": f"{self.most_kbit_s}k", "bufsize": f"{self.most_kbit_s}k"}
        if self.high:
            own |= {"x264-params": "cabac=1:8x8dct=1"}
        return own | {"crf": str(self.crf)}


class Encoder:
    """One picture, and one sound or none. Raises what PyAV raises."""

    def __init__(self, size: tuple[int, int], rate: Fraction, quality: Quality, sound: bool = True) -> None:
        self.size, self.rate = size, rate
        made = av.CodecContext.create("libx264", "w")
        assert isinstance(made, VideoCodecContext)
        made.width, made.height, made.pix_fmt = size[0], size[1], "yuv420p"
        made.time_base, made.framerate = 1 / rate, rate
        made.options = dict(quality.options(rate))
        tag(made)
        self._picture = made
        self.sound_like: AudioStream | None = None
        if sound:
            self._home, self.sound_like = sound_like()

    def picture(self, frame: int, picture: Picture, key: bool = False) -> Iterator[Packet]:
        """That of a frame number, from 0; `key`: one can begin with it."""
        made = av.VideoFrame.from_numpy_buffer(picture.in_one_piece().reshape(-1, picture.width), "yuv420p")
        made.pts, made.time_base = frame, 1 / self.rate
        made.pict_type = PictureType.I if key else PictureType.NONE
        yield from self._pictures(made)

    def sound(self, sample: int, block: Samples) -> Iterator[Packet]:
        """(n, 2) samples that begin at a sample number, from 0."""
        if self.sound_like is None:
            return
        made = av.AudioFrame.from_ndarray(np.ascontiguousarray(block.T, np.float32), "fltp", "stereo")
        made.rate, made.pts, made.time_base = RATE, sample, SOUND_BASE
        yield from self._sounds(made)

    def rest(self) -> Iterator[Packet]:
        """What is still on its way; nothing can be given afterwards."""
        yield from self._pictures(None)
        if self.sound_like is not None:
            yield from self._sounds(None)

    def _pictures(self, frame: av.VideoFrame | None) -> Iterator[Packet]:
        for packet in self._picture.encode(frame):
            yield Packet(True, packet.pts or 0, bytes(packet), packet.is_keyframe)

    def _sounds(self, frame: av.AudioFrame | None) -> Iterator[Packet]:
        assert self.sound_like is not None
        for packet in self.sound_like.encode(frame):
            yield Packet(False, packet.pts or 0, bytes(packet), True)


class Fitter:
    """From what is composed to what is encoded, once for all who want the same frame. For the mixer's thread."""

    def __init__(self) -> None:
        self.pool = FramePool()
        self._last: tuple[int, str, tuple[int, int]] | None = None
        self._made = Picture.plain(2, 2)

    def fitted(self, tick: int, what: str, size: tuple[int, int], picture: Picture | None) -> Picture:
        """One of its own, of a (width, height); nothing at all is black."""
        if self._last != (tick, what, size):
            self._last = (tick, what, size)
            self._made = self.pool.picture(size)
            if picture is None:
                self._made.fill(BLACK)
            elif picture.size == size:
                self._made.take(picture)
            else:
                scale(picture, WHOLE, self._made)
        return self._made
