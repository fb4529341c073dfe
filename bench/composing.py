"""What composing costs against what the filters of FFmpeg take for the same picture, in the same run, on one thread: a
mix of two pictures of 1280x720, two insets and three titles.

`filter_ratio` is the one to the other. Both are handed pictures in planes, and give one.
"""

import time
from fractions import Fraction

import av
import cv2
import numpy as np
from av.filter import Graph
from av.filter.context import FilterContext

from bench.common.hall import percentile
from bench.common.served import judged
from bench.common.where import steal_percent
from ribalta.core.picture.layering import Drawing
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.shots import NO_OVERLAYS, Shot, TransitionState
from ribalta.core.show.document.scenes import Inset, Source, Transition
from ribalta.media.program.composer import Composer, ProgramPlan

SIZE = (1280, 720)
INSETS = (
    Inset(slot=1, source=Source(camera_id="c3"), left=0.7, top=0.06, wide=0.25, border=0, corner=0),
    Inset(slot=2, source=Source(camera_id="c4"), left=0.04, top=0.06, wide=0.25, border=0, corner=0),
)
TITLES = {"t1": (80, 540, 700, 120), "t2": (1000, 40, 220, 80), "t3": (400, 660, 480, 40)}  # left, top, wide, tall


def noise(seed: int) -> Picture:
    made = Picture.plain(*SIZE)
    for plane in made.planes:
        plane[:] = cv2.resize(
            np.random.default_rng(seed).integers(16, 235, (40, 60), np.uint8), plane.shape[::-1], interpolation=1
        )
    return made


def title(place: tuple[int, int, int, int]) -> np.ndarray:
    """Premultiplied BGRA, half see-through, with soft edges."""
    left, top, wide, tall = place
    whole = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    whole[top : top + tall, left : left + wide] = (60, 30, 20, 160)
    whole[top + 10 : top + tall - 10, left + 20 : left + wide - 40 : 3] = 255
    return np.asarray(cv2.blur(whole, (3, 3)), np.uint8)


class Feeds:
    def __init__(self) -> None:
        self.pictures = {f"c{k}": noise(k) for k in range(1, 5)}
        self.drawings = {name: Drawing.of(title(place)) for name, place in TITLES.items()}

    def at_least(self, source: Source, width: int) -> Picture | None:
        return self.pictures[source.camera_id or ""]

    def drawing(self, name: str, size: tuple[int, int]) -> Drawing | None:
        return self.drawings[name]


def plan() -> ProgramPlan:
    dress = NO_OVERLAYS
    for inset in INSETS:
        dress = dress.with_(f"inset{inset.slot}", inset)
    for k, name in enumerate(TITLES, 1):
        dress = dress.with_(f"title{k}", name)
    change = TransitionState(Shot("c1"), Shot("c2"), dress, dress, Transition(seconds=10.0), 0.0, 0.0)
    return ProgramPlan(Shot("c2"), dress, change)


class Filters:
    """The same by FFmpeg's own graph."""

    def __init__(self, feeds: Feeds) -> None:
        rows = (feeds.pictures[f"c{k}"].in_one_piece().reshape(-1, SIZE[0]) for k in range(1, 5))
        self._frames = [av.VideoFrame.from_ndarray(one, format="yuv420p") for one in rows]
        self._frames += [self._over(title(place), place) for place in TITLES.values()]
        graph = self._graph = Graph()
        graph.threads = 1
        base = Fraction(1, 25)
        self._inputs = [
            graph.add_buffer(template=None, width=f.width, height=f.height, format=f.format, time_base=base)
            for f in self._frames
        ]
        node = graph.add("blend", "all_mode=normal:all_opacity=0.6")
        self._inputs[0].link_to(node, 0, 0)
        self._inputs[1].link_to(node, 0, 1)
        for inset, given in zip(INSETS, self._inputs[2:4], strict=True):
            wide = round(inset.wide * SIZE[0] / 2) * 2
            small = graph.add("scale", f"{wide}:{wide * 9 // 16}:flags=bilinear")
            given.link_to(small)
            node = self._laid(node, small, round(inset.left * SIZE[0]), round(inset.top * SIZE[1] / 2) * 2)
        for (left, top, _, _), given in zip(TITLES.values(), self._inputs[4:], strict=True):
            node = self._laid(node, given, left, top)
        self._out = graph.add("buffersink")
        node.link_to(self._out)
        graph.configure()
        self._at = 0

    def _laid(self, below: FilterContext, above: FilterContext, left: int, top: int) -> FilterContext:
        node = self._graph.add("overlay", f"x={left}:y={top}:format=yuv420")
        below.link_to(node, 0, 0)
        above.link_to(node, 0, 1)
        return node

    @staticmethod
    def _over(whole: np.ndarray, place: tuple[int, int, int, int]) -> av.VideoFrame:
        left, top, wide, tall = place
        part = whole[top : top + tall, left : left + wide].astype(np.float32)
        part[..., :3] *= 255 / np.maximum(1, part[..., 3:])  # there they are not multiplied yet
        straight = np.clip(part, 0, 255).astype(np.uint8)
        return av.VideoFrame.from_ndarray(straight, format="bgra").reformat(
            format="yuva420p", dst_colorspace=1, dst_color_range=1
        )

    def frame(self) -> av.VideoFrame:
        for given, frame in zip(self._inputs, self._frames, strict=True):
            frame.pts, frame.time_base = self._at, Fraction(1, 25)
            given.push(frame)
        self._at += 1
        return self._out.pull()


def run(frames: int) -> dict[str, object]:
    steal = steal_percent()
    cv2.setNumThreads(1)
    feeds, out = Feeds(), Picture.plain(*SIZE)
    composer, filters, asked = Composer(*SIZE), Filters(feeds), plan()
    ours, theirs = [], []
    for k in range(frames + 20):
        began_s = time.perf_counter()
        composer.program(asked, feeds, 4.0, out)
        between_s = time.perf_counter()
        made = filters.frame()
        ended_s = time.perf_counter()
        if k >= 20:
            ours.append(between_s - began_s)
            theirs.append(ended_s - between_s)
    rows = np.frombuffer(memoryview(made.planes[0]), np.uint8).reshape(-1, made.planes[0].line_size)[:, : SIZE[0]]
    return judged(
        {
            "composing_ms_p50": round(1000 * percentile(ours, 0.5), 2),
            "filters_ms_p50": round(1000 * percentile(theirs, 0.5), 2),
            "filter_ratio": round(percentile(ours, 0.5) / percentile(theirs, 0.5), 2),
            "differ_mean": round(float(np.abs(rows.astype(int) - out.y).mean()), 2),
        },
        steal(),
    )
