"""A camera's frames: I420 as cameras send it, BT.709, limited range."""

import cv2
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


class Sensor:
    """For frames of one size, (width, height). Not thread-safe: it has buffers of its own."""

    def __init__(self, size: tuple[int, int]) -> None:
        self._wide, self._tall = size
        self._differences = [np.empty((self._tall, self._wide), np.uint8) for _ in range(2)]

    def write(self, values: Image, out: Image) -> None:
        """(height, width, 3) values into the bytes of a frame, one plane after the other; of colour, the mean of each
        two by two."""
        wide, tall = self._wide, self._tall
        cv2.split(values, [out[: wide * tall].reshape(tall, wide), *self._differences])
        begin, size = wide * tall, wide * tall // 4
        for whole in self._differences:
            plane = out[begin : begin + size].reshape(tall // 2, wide // 2)
            cv2.resize(whole, (wide // 2, tall // 2), plane, interpolation=cv2.INTER_AREA)
            begin += size


def write_smaller(whole: Image, size: tuple[int, int], out: Image, wanted: tuple[int, int]) -> None:
    """The bytes of a frame of `size` as those of a smaller one."""
    begin, put = 0, 0
    for part in (1, 2, 2):
        (wide, tall), (w, h) = ((side // part for side in sides) for sides in (size, wanted))
        plane = whole[begin : begin + wide * tall].reshape(tall, wide)
        cv2.resize(plane, (w, h), out[put : put + w * h].reshape(h, w), interpolation=cv2.INTER_LINEAR)
        begin, put = begin + wide * tall, put + w * h


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
    turned = VideoReformatter().reformat(
        frame,
        format="bgr24",
        src_colorspace=BT709,
        dst_colorspace=BT709,
        src_color_range=LIMITED,
        dst_color_range=FULL,
        threads=1,
    )
    return np.asarray(turned.to_ndarray(), np.uint8)
