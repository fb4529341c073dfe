"""From pictures as they come to those that everything here works with (I420 of 8 bits, BT.709, limited range): once,
where they come in, and without a copy where they are that already.

What comes from outside says in which colours it is; where it does not, high definition is BT.709 and the rest BT.601,
as their standards have it (ITU-R BT.709, BT.601). Half pictures are made whole, and what lies on its side is turned.
"""

import contextlib

import numpy as np
from av.video.codeccontext import VideoCodecContext
from av.video.frame import VideoFrame
from av.video.reformatter import Interpolation, VideoReformatter

from ribalta.core.picture.planes import Picture, Plane, half

BT709, BT601, KNOWN = 1, 5, (1, 4, 5, 6, 7, 9)  # as in ITU-T H.273, matrix coefficients; of primaries 1 is BT.709 too
LIMITED, FULL = 1, 2
HD_LINES = 720
I420 = "yuv420p"
AS_EXACT_AS_CAN_BE = Interpolation.BILINEAR | Interpolation.ACCURATE_RND
ALWAYS_FULL = ("yuvj", "rgb", "bgr", "gbr", "pal", "argb", "abgr", "0rgb", "0bgr", "gray", "mono")


def tag(codec: VideoCodecContext) -> None:
    """Have an encoder say in which colours its pictures are."""
    codec.colorspace = codec.color_primaries = codec.color_trc = BT709
    codec.color_range = LIMITED


class Colours:
    """Of one source. Not thread-safe: what turns pictures is kept for the next one."""

    def __init__(self) -> None:
        self._turn = VideoReformatter()

    def picture(self, frame: VideoFrame) -> Picture:
        """A decoded picture. Its memory is the frame's own where nothing has to be done to it."""
        turned, is_woven = turns(frame), frame.interlaced_frame
        name, matrix = frame.format.name, matrix_of(frame)
        is_full = name.startswith(ALWAYS_FULL) or int(frame.color_range) == FULL
        if name != I420 or matrix != BT709 or is_full:
            frame = self._turn.reformat(
                frame,
                format=I420,
                src_colorspace=matrix,
                dst_colorspace=BT709,
                src_color_range=FULL if is_full else LIMITED,
                dst_color_range=LIMITED,
                interpolation=AS_EXACT_AS_CAN_BE,
                threads=1,
            )
        planes = [_plane(frame, k) for k in range(3)]
        if is_woven:
            planes = [_progressive(plane) for plane in planes]
        if turned:
            planes = [np.ascontiguousarray(np.rot90(plane, turned)) for plane in planes]
        y, u, v = planes
        return Picture(y, u, v)


def _progressive(plane: Plane) -> Plane:
    """Of two halves that were taken at different moments, one picture of the first: lines of the second go no further
    than between those above and below them."""
    made = plane.copy()
    own, above = made[1::2], plane[0::2][: len(made[1::2])]
    below = np.vstack([plane[2::2], plane[-1:]])[: len(own)]
    np.clip(own, np.minimum(above, below), np.maximum(above, below), out=own)
    return made


def matrix_of(frame: VideoFrame) -> int:
    """In which colours a picture is, or must mean to be."""
    said = int(frame.colorspace)
    return said if said in KNOWN else BT709 if frame.height >= HD_LINES else BT601


def turns(frame: VideoFrame) -> int:
    """By how many quarters to the left it has to be turned to stand upright."""
    with contextlib.suppress(ValueError, AttributeError, OverflowError):
        return round(frame.rotation / 90) % 4
    return 0


def _plane(frame: VideoFrame, which: int) -> Plane:
    plane = frame.planes[which]
    wide = half(frame.width) if which else frame.width
    tall = half(frame.height) if which else frame.height
    rows = np.frombuffer(memoryview(plane), np.uint8)[: tall * plane.line_size]
    return np.asarray(rows.reshape(tall, plane.line_size)[:, :wide])
