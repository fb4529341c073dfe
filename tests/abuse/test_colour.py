"""Colours are what they were: BT.709, limited range, tagged so, from a camera's stream to a recording."""

import av
import cv2
import numpy as np
import pytest

from ribalta.media.colour import BT601, BT709, Colours
from ribalta.media.outputs.encoder import Converter, Encoder, Quality
from ribalta.media.outputs.muxer import Muxer
from ribalta.media.outputs.recorder import OPTIONS

SIZE = (1280, 720)
BARS = (
    *((255, 255, 255), (0, 255, 255), (255, 255, 0), (0, 255, 0)),
    *((255, 0, 255), (0, 0, 255), (255, 0, 0), (0, 0, 0), (180, 60, 30), (40, 90, 200)),
)  # blue, green, red


def bars(width: int = SIZE[0], height: int = SIZE[1]) -> np.ndarray:
    picture = np.full((height, width, 4), 255, np.uint8)
    for k, colour in enumerate(BARS):
        picture[:, width * k // len(BARS) : width * (k + 1) // len(BARS), :3] = colour
    return picture


def seen(picture: np.ndarray) -> np.ndarray:
    height, width = picture.shape[:2]
    return np.array([picture[height // 2, width * (2 * k + 1) // (2 * len(BARS)), :3] for k in range(len(BARS))], int)


@pytest.mark.parametrize("high", [False, True])
def test_bars_in_a_recording_are_right_in_a_decoder_that_we_did_not_write(tmp_path, high):
    """They were BT.601 and said nothing: greens and reds off by up to twenty in every player."""
    path, encoder, converter = tmp_path / "bars.mkv", Encoder(SIZE, Quality(21, high=high), False), Converter()
    file = Muxer(str(path), "matroska", SIZE, None, OPTIONS)
    for tick in range(5):
        for piece in encoder.picture(tick, converter.yuv(tick, "program", SIZE, bars()), tick == 0):
            file.mux(piece, 0)
    for piece in encoder.rest():
        file.mux(piece, 0)
    file.close()
    reader = cv2.VideoCapture(str(path))  # a build of its own, with its defaults
    there, picture = reader.read()
    reader.release()
    assert there
    assert np.abs(seen(picture) - np.array(BARS)).max() <= 3
    with av.open(str(path)) as container:
        codec = container.streams.video[0].codec_context
        frame = next(container.decode(video=0))
        assert (int(frame.colorspace), int(frame.color_range)) == (BT709, 1)
        assert codec.profile == ("High" if high else "Constrained Baseline")


@pytest.mark.parametrize(
    ("lines", "tagged", "matrix"),
    [(720, True, BT709), (720, True, BT601), (720, False, BT709), (360, False, BT601), (360, True, BT709)],
)
def test_a_camera_is_seen_in_the_colours_that_it_says_or_must_mean(lines, tagged, matrix):
    frame = av.VideoFrame.from_ndarray(bars(1280, lines), format="bgra").reformat(
        format="yuv420p", dst_colorspace=matrix, dst_color_range=1
    )
    frame.colorspace = matrix if tagged else 2
    assert np.abs(seen(Colours().bgra(frame)) - np.array(BARS)).max() <= 3


def test_black_is_sixteen_and_white_two_hundred_and_thirty_five():
    made = Colours()
    for level, luma in ((0, 16), (255, 235)):
        yuv = made.i420(np.full((36, 64, 4), level, np.uint8))
        assert yuv.shape == (54, 64)
        assert set(np.unique(yuv[:36])) == {luma}
        assert set(np.unique(yuv[36:])) == {128}
