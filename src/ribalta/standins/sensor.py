"""What a camera's sensor makes of what is painted: I420 as cameras send it, BT.709, limited range."""

import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import VideoReformatter
from numpy.typing import NDArray

BT709, LIMITED, FULL = 1, 1, 2
Image = NDArray[np.uint8]


def _rows(frame: VideoFrame) -> list[NDArray[np.uint8]]:
    """The bytes that count of each of its planes."""
    sizes = ((frame.width, frame.height), *2 * ((frame.width // 2, frame.height // 2),))
    return [
        np.frombuffer(memoryview(plane), np.uint8)[: tall * plane.line_size].reshape(tall, plane.line_size)[:, :wide]
        for plane, (wide, tall) in zip(frame.planes, sizes, strict=True)
    ]


def _turned(turn: VideoReformatter, frame: VideoFrame, into: str, given: int, wanted: int) -> VideoFrame:
    """In another form, from one range to another."""
    return turn.reformat(
        frame,
        format=into,
        src_colorspace=BT709,
        dst_colorspace=BT709,
        src_color_range=given,
        dst_color_range=wanted,
        threads=1,
    )


class Sensor:
    """Not thread-safe: what turns pictures is kept for the next one."""

    def __init__(self) -> None:
        self._turn = VideoReformatter()

    def write(self, painted: Image, out: Image) -> None:
        """(height, width, 4) BGRA into the bytes of a frame, one plane after the other."""
        made = _turned(self._turn, VideoFrame.from_numpy_buffer(painted, "bgra"), "yuv420p", FULL, LIMITED)
        begin = 0
        for rows in _rows(made):
            out[begin : begin + rows.size].reshape(rows.shape)[:] = rows
            begin += rows.size


def as_sent(whole: Image, size: tuple[int, int]) -> VideoFrame:
    """A frame's bytes for an encoder."""
    frame, begin = VideoFrame(*size, "yuv420p"), 0
    for rows in _rows(frame):
        rows[:] = whole[begin : begin + rows.size].reshape(rows.shape)
        begin += rows.size
    frame.colorspace, frame.color_range = BT709, LIMITED
    return frame


def as_seen(frame: VideoFrame) -> Image:
    """(height, width, 3) blue, green and red."""
    return np.asarray(_turned(VideoReformatter(), frame, "bgr24", LIMITED, FULL).to_ndarray(), np.uint8)
