"""Bars through every path that a picture can take, and by how much (0 to 255) their red, green and blue differ at most
from what they were, decoded by a reader that we did not write, with its defaults. 3 is allowed.

What comes in is painted in red, green and blue and turned by the library that cameras' makers use; what goes out is
read by OpenCV's own build of FFmpeg, or by the formulas of ITU-R BT.709 in floats.
"""

import os
import socket
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from bench.common.where import steal_percent
from ribalta.core.base.frames import USUAL
from ribalta.core.picture.layering import Drawing
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.shots import NO_OVERLAYS, Shot
from ribalta.core.show.document.model import PictureKind, PictureSource, Show
from ribalta.core.show.document.scenes import Inset, Key, Medium, Source
from ribalta.media.library.library import MediaLibrary
from ribalta.media.outputs import virtual_camera
from ribalta.media.outputs.encoding import Encoding
from ribalta.media.outputs.recorder import PROGRAM_QUALITY, Recording
from ribalta.media.outputs.streamer import Streaming
from ribalta.media.program.composer import Composer, ProgramPlan
from ribalta.media.sources.network_stream import StreamPicture
from ribalta.standins.hall.values import values_of
from ribalta.standins.rtsp import RtspServer
from ribalta.standins.sensor import Sensor, as_sent

Image = NDArray[np.uint8]
SIZE = (1280, 720)
BARS = (
    *((255, 255, 255), (0, 255, 255), (255, 255, 0), (0, 255, 0)),
    *((255, 0, 255), (0, 0, 255), (255, 0, 0), (0, 0, 0), (180, 60, 30), (40, 90, 200)),
)  # blue, green, red
WITHIN_S = 40.0


def bars(width: int = SIZE[0], height: int = SIZE[1]) -> Image:
    picture = np.full((height, width, 4), 255, np.uint8)
    for k, colour in enumerate(BARS):
        picture[:, width * k // len(BARS) : width * (k + 1) // len(BARS), :3] = colour
    return picture


def off(picture: Image) -> int:
    """Of (height, width, 3 or more) blue, green and red; in the middle of each bar."""
    height, width = picture.shape[:2]
    seen = [picture[height // 2, width * (2 * k + 1) // (2 * len(BARS)), :3] for k in range(len(BARS))]
    return int(np.abs(np.array(seen, int) - np.array(BARS)).max())


def plainly(picture: Picture) -> Image:
    """By the formulas of BT.709, in floats."""
    y = (picture.y.astype(float) - 16) / 219
    u, v = (
        np.kron(plane.astype(float) - 128, np.ones((2, 2)))[: picture.height, : picture.width] / 224
        for plane in (picture.u, picture.v)
    )
    blue, red = y + 1.8556 * u, y + 1.5748 * v
    green = (y - 0.0722 * blue - 0.2126 * red) / 0.7152
    return np.clip(np.rint(255 * np.dstack([blue, green, red])), 0, 255).astype(np.uint8)


def read(path: Path) -> Image:
    reader = cv2.VideoCapture(str(path))
    there, picture = reader.read()
    reader.release()
    if not there:
        raise RuntimeError(f"{path.name} cannot be read")
    return np.asarray(picture, np.uint8)


def until(true: Callable[[], object]) -> None:
    nap, end_s = threading.Event(), time.monotonic() + WITHIN_S
    while not true():
        if time.monotonic() > end_s:
            raise RuntimeError("it did not come")
        nap.wait(0.005)


class Feeds:
    """One picture everywhere, but for a white one, and a drawing."""

    def __init__(self, picture: Picture, drawing: Drawing | None = None) -> None:
        self._picture, self._drawing = picture, drawing
        self._others = {"white": Picture.plain(*SIZE, (235, 128, 128)), "black": Picture.plain(*SIZE)}

    def at_least(self, source: Source, width: int) -> Picture | None:
        return self._others.get(source.camera_id or "", self._picture)

    def drawing(self, name: str, size: tuple[int, int]) -> Drawing | None:
        return self._drawing


def composed(plan: ProgramPlan, feeds: Feeds) -> Picture:
    out = Picture.plain(*SIZE)
    Composer(*SIZE).program(plan, feeds, 5.0, out)
    return out


def _source(kind: PictureKind, name: str) -> Picture:
    source = StreamPicture(PictureSource(kind=kind, name=name))
    try:
        until(source.best)
        frame = source.best()
        assert frame is not None
        return composed(ProgramPlan(Shot("c1")), Feeds(frame.picture.copy()))
    finally:
        source.close()
        source.join()


class _Showing:
    """Stands for a stand-in whose hall has bars in it."""

    body = None

    def __init__(self) -> None:
        whole = np.empty(SIZE[0] * SIZE[1] * 3 // 2, np.uint8)
        Sensor(SIZE).write(values_of(bars()), whole)
        self._frame, self._number, self._nap = whole, 0, threading.Event()

    def wait(self, stream: int, after: int, while_true: Callable[[], bool]) -> tuple[int, av.VideoFrame] | None:
        self._nap.wait(0.03)
        self._number += 1
        return (self._number, as_sent(self._frame, SIZE)) if while_true() else None


def _rtsp() -> Picture:
    server = RtspServer("127.0.0.1", 0, _Showing())  # type: ignore[arg-type]
    try:
        return _source(PictureKind.STREAM, f"rtsp://127.0.0.1:{server.server_address[1]}/main")
    finally:
        server.end()


def _film(path: Path) -> None:
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=25, options={"crf": "12"})
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        codec = stream.codec_context
        codec.colorspace = codec.color_primaries = codec.color_trc = codec.color_range = 1
        for _ in range(5):
            frame = av.VideoFrame.from_ndarray(bars(), format="bgra")
            out.mux(stream.encode(frame.reformat(format="yuv420p", dst_colorspace=1, dst_color_range=1)))
        out.mux(stream.encode(None))


def _still(png: bytes) -> Picture:
    library = MediaLibrary({"bars.png": png}.get)
    library.follow(Show(media=(Medium(id="b1", name="Bars", kind="still", files=("bars.png",)),)), {})
    library.start()
    try:
        until(lambda: library.picture("b1"))
        found = library.picture("b1")
        assert found is not None
        return composed(ProgramPlan(Shot("", None, "b1")), Feeds(found))
    finally:
        library.stop()


def _title() -> Picture:
    feeds = Feeds(Picture.plain(*SIZE), Drawing.of(bars()))
    return composed(ProgramPlan(Shot("black"), NO_OVERLAYS.with_("title1", "t")), feeds)


def _inset(picture: Picture) -> Image:
    inset = Inset(slot=1, source=Source(camera_id="c1"), left=0.1, top=0.1, wide=0.75, border=0)
    out = composed(ProgramPlan(Shot("black"), NO_OVERLAYS.with_("inset1", inset)), Feeds(picture))
    return plainly(out)[72 : 72 + 540, 128 : 128 + 960]


def _key(picture: Picture) -> Picture:
    key = Key(fill=Source(camera_id="c1"), key=Source(camera_id="white"))
    return composed(ProgramPlan(Shot("black"), NO_OVERLAYS.with_("key", key)), Feeds(picture))


class _Fed:
    """An encoding that is given the same picture, as program would."""

    def __init__(self, picture: Picture) -> None:
        self.encoding = Encoding("program", SIZE, USUAL, PROGRAM_QUALITY, sound=False)
        self._picture, self._over = picture, threading.Event()
        self._thread = threading.Thread(target=self._run)

    def __enter__(self) -> Encoding:
        self.encoding.start()
        self._thread.start()
        return self.encoding

    def _run(self) -> None:
        tick, began_s = 0, time.monotonic()
        while not self._over.wait(0.04):
            self.encoding.take(tick, began_s + tick * 0.04, self._picture)
            tick += 1

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._thread.join()
        self.encoding.close()
        self.encoding.join()


def _recording(picture: Picture, path: Path) -> Image:
    with _Fed(picture) as encoding:
        made = Recording(path, encoding, "00:00:00:00", lambda _: None)
        made.start()
        until(lambda: made.line.began is not None)
        time.sleep(0.5)
        made.stop()
        made.join()
    return read(path)


def _stream(picture: Picture, path: Path) -> Image:
    with socket.create_server(("127.0.0.1", 0)) as server:
        address = f"tcp://127.0.0.1:{server.getsockname()[1]}"

        def receive() -> None:
            line, _ = server.accept()
            with line, path.open("wb") as file:
                while (data := line.recv(65536)) and file.tell() < 400_000:
                    file.write(data)

        receiver = threading.Thread(target=receive)
        receiver.start()
        with _Fed(picture) as encoding:
            made = Streaming(address, encoding)
            made.start()
            until(lambda: path.exists() and path.stat().st_size > 30_000)
            made.stop()
            made.join()
        receiver.join()
    return read(path)


def _virtual(picture: Picture, path: Path) -> Image:
    """No such device here: its pictures go into a file. That it is asked by its ioctls is a test's."""
    real = virtual_camera.open_device
    path.touch()
    virtual_camera.open_device = lambda size: os.open(path, os.O_RDWR)
    try:
        made = virtual_camera.VirtualCamera(SIZE, lambda _: None)
        made.start()
        made.take(0, 0.0, picture)
        until(lambda: path.stat().st_size)
        made.stop()
        made.join()
    finally:
        virtual_camera.open_device = real
    rows = np.fromfile(path, np.uint8)[: SIZE[0] * SIZE[1] * 3 // 2].reshape(-1, SIZE[0])
    frame = av.VideoFrame.from_ndarray(rows, format="yuv420p")
    return frame.reformat(format="bgr24", src_colorspace=1, src_color_range=1, dst_color_range=2).to_ndarray()


def _desk(picture: Picture) -> Image:
    from ribalta.desk.live_pictures import as_image

    image = as_image(picture)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.width(), 4)
    return rows[..., :3].copy()


def through_every_path() -> dict[str, int]:
    """By path, how far it is off."""
    png = cv2.imencode(".png", bars()[..., :3])[1].tobytes()
    with tempfile.TemporaryDirectory(prefix="ribalta-bars-") as name:
        folder = Path(name)
        _film(folder / "film.mp4")
        from_file = _source(PictureKind.FILE, str(folder / "film.mp4"))
        still = _still(png)
        return {
            "camera_by_rtsp": off(plainly(_rtsp())),
            "file": off(plainly(from_file)),
            "still": off(plainly(still)),
            "title": off(plainly(_title())),
            "inset": off(_inset(still)),
            "key": off(plainly(_key(still))),
            "recording": off(_recording(still, folder / "recording.mkv")),
            "stream": off(_stream(still, folder / "stream.ts")),
            "virtual_camera": off(_virtual(still, folder / "virtual")),
            "desk": off(_desk(still)),
        }


def run(_: int) -> dict[str, object]:
    steal = steal_percent()
    return {**through_every_path(), "steal_percent": steal()}
