"""Colours are what they were: BT.709, limited range, tagged so, from whatever a camera sends to a recording."""

import struct
from fractions import Fraction
from itertools import pairwise

import av
import cv2
import numpy as np
import pytest
from bench.bars import BARS, bars, off
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.frames import USUAL
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import PictureKind, PictureSource
from ribalta.media.colour import BT601, BT709, FULL, LIMITED, Colours
from ribalta.media.outputs.encoder import Encoder, Quality
from ribalta.media.outputs.muxer import Muxer
from ribalta.media.outputs.recorder import OPTIONS
from ribalta.media.program.composer import ProgramPlan
from ribalta.media.program.mixer import Mixer
from ribalta.media.sources.network_stream import StreamPicture
from ribalta.media.sources.stamps import LONGEST_STEP_S, Stamps
from tests.pictures import bgr, grey, painted

SIZE = (1280, 720)
BT2020 = 9
OF_BRIGHTNESS = {BT709: (0.2126, 0.0722), BT601: (0.299, 0.114), BT2020: (0.2627, 0.0593)}  # red, blue; green the rest


def sent(kind: str, matrix: int, is_full: bool, height: int = SIZE[1], tagged: bool = True) -> av.VideoFrame:
    """Bars as a camera may send them, by the standards' own formulas, in floats."""
    depth = 10 if kind.endswith("10le") else 8
    kr, kb = OF_BRIGHTNESS[matrix]
    frame = av.VideoFrame(SIZE[0], height, kind)
    for k, plane in enumerate(frame.planes):
        rows = np.frombuffer(memoryview(plane), np.uint8 if depth == 8 else np.uint16)
        rows = rows.reshape(-1, plane.line_size * 8 // (8 if depth == 8 else 16))
        wide = plane.width
        for n, (b, g, r) in enumerate(np.array(BARS) / 255):
            y = kr * r + kb * b + (1 - kr - kb) * g
            value = (y, (b - y) / (2 - 2 * kb), (r - y) / (2 - 2 * kr))[k]
            top, unit = 2**depth - 1, 2 ** (depth - 8)
            if is_full:
                value = value * top + (unit * 128 if k else 0)
            else:
                value = unit * (value * (224 if k else 219) + (128 if k else 16))
            rows[:, wide * n // len(BARS) : wide * (n + 1) // len(BARS)] = min(top, max(0, round(float(value))))
    frame.colorspace, frame.color_range = matrix if tagged else 2, FULL if is_full else LIMITED
    return frame


@pytest.mark.parametrize("matrix", [BT709, BT601, BT2020])
@pytest.mark.parametrize("kind", ["yuv420p", "yuv422p", "yuv444p", "yuvj420p", "yuv420p10le", "yuv422p10le"])
def test_whatever_a_camera_sends_its_bars_are_the_same_bars(kind, matrix):
    colours = Colours()
    for is_full in (True,) if kind.startswith("yuvj") else (True, False):
        assert off(bgr(colours.picture(sent(kind, matrix, is_full)))) <= 3


@pytest.mark.parametrize("height", [720, 360])
@pytest.mark.parametrize("kind", ["bgr24", "bgra", "rgb24", "gbrp"])
def test_red_green_and_blue_are_full_range_without_being_asked(kind, height):
    frame = av.VideoFrame.from_ndarray(bars(1280, height), format="bgra").reformat(format=kind)
    frame.colorspace = 14 if height == 720 else 0  # whatever it says of itself
    assert off(bgr(Colours().picture(frame))) <= 3


@pytest.mark.parametrize(("lines", "matrix"), [(720, BT709), (360, BT601)])
def test_a_camera_that_says_nothing_means_what_its_size_does(lines, matrix):
    picture = Colours().picture(sent("yuv420p", matrix, False, lines, tagged=False))
    assert off(bgr(picture)) <= 3


def test_what_is_planes_already_is_not_copied():
    frame = sent("yuv420p", BT709, False)
    picture = Colours().picture(frame)
    np.frombuffer(memoryview(frame.planes[0]), np.uint8)[:] = 99
    assert (picture.y == 99).all()


def woven(count: int) -> list[av.VideoFrame]:
    """As an interlaced camera sends it: a bar that has moved on between the two halves of each picture."""
    codec = av.CodecContext.create("mpeg2video", "w")
    codec.width, codec.height, codec.pix_fmt, codec.time_base = 720, 576, "yuv420p", Fraction(1, 25)
    codec.bit_rate, codec.options = 8_000_000, {"flags": "+ildct+ilme"}
    decoder, frames = av.CodecContext.create("mpeg2video", "r"), []
    for n in range(count):
        picture = Picture.plain(720, 576, (60, 128, 128))
        for half in (0, 1):
            left = 100 + 40 * (2 * n + half)
            picture.y[half::2, left : left + 80] = 200
        frame = av.VideoFrame.from_ndarray(picture.in_one_piece().reshape(-1, 720), format="yuv420p")
        frame.pts, frame.time_base = n, Fraction(1, 25)
        frames += [found for packet in codec.encode(frame) for found in decoder.decode(packet)]
    return frames


def test_half_pictures_are_made_whole():
    frames, colours = woven(6), Colours()
    assert len(frames) >= 4
    for frame in frames:
        assert frame.interlaced_frame
        before = np.frombuffer(memoryview(frame.planes[0]), np.uint8).reshape(-1, frame.planes[0].line_size)
        assert comb(before[:576, :720]) > 100
        assert comb(colours.picture(frame).y) < 40


def on_its_side(path) -> None:
    """A film that says that it has to be turned a quarter to the right, as telephones write it; blue at its left."""
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=25, options={"crf": "5"})
        stream.width, stream.height, stream.pix_fmt = 160, 96, "yuv420p"
        image = np.zeros((96, 160, 3), np.uint8)
        image[:, :40] = (0, 0, 255)
        for _ in range(3):
            out.mux(stream.encode(av.VideoFrame.from_ndarray(image, format="rgb24")))
        out.mux(stream.encode(None))
    data = bytearray(path.read_bytes())
    matrix = data.find(b"tkhd") + 44
    data[matrix : matrix + 36] = struct.pack(">9i", 0, 0x10000, 0, -0x10000, 0, 0, 0, 0, 0x40000000)
    path.write_bytes(data)


def test_what_lies_on_its_side_is_turned(tmp_path):
    on_its_side(path := tmp_path / "telephone.mp4")
    with av.open(str(path)) as container:
        picture = Colours().picture(next(container.decode(video=0)))
    assert picture.size == (96, 160)
    assert bgr(picture)[10, 48, 0] > 200  # what was at the left is at the top
    assert bgr(picture)[150, 48].max() < 20


def test_a_stream_may_become_another_in_its_middle():
    """Size, matrix, range and form change from one picture to the next, odd sides too: bars stay bars."""
    source = StreamPicture(PictureSource(kind=PictureKind.FILE, name=""))  # its thread never starts
    mixer = Mixer({"c1": source}, lambda _: None, size=SIZE)
    mixer.follow(ProgramPlan(Shot("c1")))
    odd = av.VideoFrame.from_ndarray(bars(641, 361), format="bgra")
    for tick, frame in enumerate(
        (
            sent("yuv420p", BT709, False),
            sent("yuvj420p", BT601, True, 480),
            odd,
            sent("yuv422p10le", BT2020, True),
            sent("yuv444p", BT709, False, 360),
        )
    ):
        source._keep(frame)
        mixer.round(tick, 0.0)
        assert off(bgr(mixer.program)) <= 3


@given(st.lists(st.one_of(st.none(), st.floats(-1e6, 1e6)), max_size=50))
def test_pictures_of_a_file_come_in_order_whatever_their_times_say(said):
    stamps = Stamps()
    due = [stamps.due_s(one) for one in said]
    assert due == sorted(due)
    assert all(after - before <= LONGEST_STEP_S for before, after in pairwise(due))
    steady = Stamps()
    assert [steady.due_s(5 + k / 50) for k in range(9)] == pytest.approx([k / 50 for k in range(9)])


def comb(rows: np.ndarray) -> float:
    """How much a line differs at most from both of its neighbours."""
    rows = rows.astype(float)
    above, below = rows[1:-1] - rows[:-2], rows[1:-1] - rows[2:]
    return float(np.where(above * below > 0, np.minimum(np.abs(above), np.abs(below)), 0).max())


@pytest.mark.parametrize("high", [False, True])
def test_bars_in_a_recording_are_right_in_a_decoder_that_we_did_not_write(tmp_path, high):
    """They were BT.601 and said nothing: greens and reds off by up to twenty in every player."""
    path, encoder = tmp_path / "bars.mkv", Encoder(SIZE, USUAL, Quality(21, high=high), False)
    file, picture = Muxer(str(path), "matroska", SIZE, USUAL, None, OPTIONS), painted(bars())
    for tick in range(5):
        for piece in encoder.picture(tick, picture, tick == 0):
            file.mux(piece, 0)
    for piece in encoder.rest():
        file.mux(piece, 0)
    file.close()
    reader = cv2.VideoCapture(str(path))  # a build of its own, with its defaults
    there, read = reader.read()
    reader.release()
    assert there
    assert off(read) <= 3
    with av.open(str(path)) as container:
        codec = container.streams.video[0].codec_context
        frame = next(container.decode(video=0))
        assert (int(frame.colorspace), int(frame.color_range)) == (BT709, LIMITED)
        assert codec.profile == ("High" if high else "Constrained Baseline")


def test_black_is_sixteen_and_white_two_hundred_and_thirty_five():
    for level, luma in ((0, 16), (255, 235)):
        for made in (grey(level, 64, 36), painted(np.full((36, 64, 4), level, np.uint8))):
            assert set(np.unique(made.y)) == {luma}
            assert set(np.unique(made.u)) == set(np.unique(made.v)) == {128}


def test_a_picture_of_odd_sides_keeps_all_of_it():
    image = np.zeros((35, 63, 3), np.uint8)
    image[:, -1] = image[-1] = (0, 0, 255)
    picture = painted(image)
    assert isinstance(picture, Picture)
    assert picture.u.shape == (18, 32)
    assert (bgr(picture)[-1, -1, 2], bgr(picture)[5, 5, 2]) == (255, 0)
