"""Between pictures as they are composed (BGRA) and as they are sent and stored: BT.709, limited range.

What comes from outside says in which colours it is; where it does not, high definition is BT.709 and the rest BT.601,
as their standards have it (ITU-R BT.709, BT.601).
"""

import av
import numpy as np
from av.video.codeccontext import VideoCodecContext
from av.video.frame import VideoFrame
from av.video.reformatter import VideoReformatter
from numpy.typing import NDArray

Image = NDArray[np.uint8]
BT709, BT601, UNSAID = 1, 5, 2  # as in ITU-T H.273, matrix coefficients; of primaries and transfer 1 is BT.709 too
LIMITED, FULL = 1, 2
HD_LINES = 720


def tag(codec: VideoCodecContext) -> None:
    """Have an encoder say in which colours its pictures are."""
    codec.colorspace = codec.color_primaries = codec.color_trc = BT709
    codec.color_range = LIMITED


class Colours:
    """Not thread-safe: what turns pictures is kept for the next one."""

    def __init__(self) -> None:
        self._turn = VideoReformatter()

    def i420(self, picture: Image) -> Image:
        """(height * 3/2, width) of a picture (height, width, 4), both even."""
        frame = av.VideoFrame.from_numpy_buffer(np.ascontiguousarray(picture), "bgra")
        made = self._turn.reformat(
            frame,
            format="yuv420p",
            src_colorspace=BT709,
            dst_colorspace=BT709,
            src_color_range=FULL,
            dst_color_range=LIMITED,
        )
        return np.asarray(made.to_ndarray(), np.uint8)

    def bgra(self, frame: VideoFrame) -> Image:
        """(height, width, 4) of a decoded picture, in the colours that it says or must mean."""
        said = int(frame.colorspace)
        meant = said if said != UNSAID else BT709 if frame.height >= HD_LINES else BT601
        made = self._turn.reformat(frame, format="bgra", src_colorspace=meant)
        return np.ascontiguousarray(made.to_ndarray(), np.uint8)
