"""One stand-in camera's picture: the room from a cached layer, and who moves in it drawn fresh on top.

A layer is the room painted once for a view, a little larger than the frame; a head that turns or zooms moves it by
a homography, which is exact for a camera that turns about its eye. The layer of where a head is going is painted
in slices while it travels. What neither covers on the way comes from coarse, very wide layers, as blurred as a
picture is that moves so fast; they are painted once, in the time that is left between frames.
"""

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from ribalta.standins.hall.paint import Canvas
from ribalta.standins.hall.people import STAGES, Moment
from ribalta.standins.hall.room import Room
from ribalta.standins.hall.values import Image, values_of
from ribalta.standins.hall.view import Mount, View

MARGIN = 1.16
SLICE_S = 0.007
COARSE_HFOV_DEG = 100.0
COARSE_STEP_DEG = 35.0


@dataclass
class _Layer:
    """`image` is painted in blue, green and red; when it is finished it is a sensor's values."""

    view: View
    image: Image
    mask: Image
    steps: Iterator[None] | None

    def covers(self, view: View, growth_limit: float) -> bool:
        if not 0.5 <= view.focal / self.view.focal <= growth_limit:
            return False
        corners = np.array([[0, 0, 1.0], [view.width, 0, 1], [view.width, view.height, 1], [0, view.height, 1]])
        seen = corners @ np.linalg.inv(self.view.homography_to(view)).T
        if (seen[:, 2] <= 0).any():
            return False
        flat = seen[:, :2] / seen[:, 2:]
        return bool((flat >= -1).all() and (flat <= [self.view.width + 1, self.view.height + 1]).all())

    def shown_in(self, view: View) -> tuple[Image, Image]:
        h = self.view.homography_to(view)
        size = (view.width, view.height)
        room = cv2.warpPerspective(self.image, h, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        mask = cv2.warpPerspective(self.mask, h, size, flags=cv2.INTER_NEAREST)
        return np.asarray(room, np.uint8), np.asarray(mask, np.uint8)

    def work(self, until_s: float) -> bool:
        """Paint until the time has come; True when the layer is finished."""
        while self.steps is not None and time.monotonic() < until_s:
            if next(self.steps, self) is self:
                self.steps, self.image = None, values_of(self.image)
        return self.steps is None


class CoarseLayers:
    """Wide, unsharp layers all around one camera, shared by its pictures of every size."""

    def __init__(self, room: Room, mount: Mount, tilts: Sequence[int]) -> None:
        self._room = room
        self._mount = mount
        self._cells = [(pan, tilt) for pan in (0, 1, -1, 2, -2, 3, -3) for tilt in tilts]
        self._layers: dict[tuple[int, int], _Layer] = {}

    def work(self, until_s: float) -> bool:
        """Paint what is missing until the time has come; True when nothing is missing."""
        for cell in self._cells:
            if cell not in self._layers:
                pan, tilt = cell[0] * COARSE_STEP_DEG, cell[1] * COARSE_STEP_DEG
                view = View(self._mount, pan, tilt, COARSE_HFOV_DEG, 960, 640)
                self._layers[cell] = _begin(self._room, view, 1.0)
            if not self._layers[cell].work(until_s):
                return False
        return True

    def best_for(self, view: View) -> _Layer | None:
        """The finished layer that points most nearly the same way."""
        cell = round(view.pan_deg / COARSE_STEP_DEG), round(view.tilt_deg / COARSE_STEP_DEG)
        layer = self._layers.get(cell)
        return layer if layer is not None and layer.steps is None else None


def _begin(room: Room, view: View, margin: float = MARGIN) -> _Layer:
    width, height = int(view.width * margin), int(view.height * margin)
    half = np.tan(np.radians(view.hfov_deg / 2)) * width / view.width
    larger = replace(view, hfov_deg=float(np.degrees(2 * np.arctan(half))), width=width, height=height)
    image, mask = np.empty((height, width, 4), np.uint8), np.zeros((height, width), np.uint8)
    return _Layer(larger, image, mask, room.paint(Canvas(larger, image, mask)))


class HallPicture:
    """Paints views of the hall for one camera at one size. Not thread-safe."""

    def __init__(self, room: Room, coarse: CoarseLayers | None = None) -> None:
        self._room = room
        self._layer: _Layer | None = None
        self._coming: _Layer | None = None
        self._coarse = coarse
        self._still: tuple[View, Image, Image] | None = None

    def paint(self, view: View, moment: Moment, out: Image, goal: View | None = None) -> None:
        """Fill `out`, (height, width, 3) values of a sensor, with a view of a moment. `goal` is where a travelling head
        will come to."""
        room, mask = self._background(view, goal)
        out[:] = room
        canvas = Canvas(view, out)
        heads, arms, host = canvas.shaded(moment.people, STAGES)
        for rims, inks in heads:
            canvas.shades(rims, inks)
        cv2.copyTo(room, mask, out)
        for base, profile, colour in moment.clay:
            canvas.lathe(base, profile, colour, 0.15)
        for rims, inks in (*arms, *host):
            canvas.shades(rims, inks)

    def _background(self, view: View, goal: View | None) -> tuple[Image, Image]:
        """The room as the view shows it, and the mask of what stands in front of seated people."""
        if goal is not None:
            self._work_ahead(goal)
        if self._still is not None and self._still[0] == view:
            return self._still[1], self._still[2]
        layer = self._layer_for(view, travelling=goal is not None)
        room, mask = layer.shown_in(view)
        self._still = (view, room, mask) if layer is self._layer else None
        return room, mask

    def _work_ahead(self, goal: View) -> None:
        if self._layer is not None and self._layer.covers(goal, 1.12):
            return
        if self._coming is None or not self._coming.covers(goal, 1.12):
            self._coming = _begin(self._room, goal)
        self._coming.work(time.monotonic() + SLICE_S)

    def _layer_for(self, view: View, travelling: bool) -> _Layer:
        if self._layer is not None and self._layer.covers(view, 1.12):
            return self._layer
        if self._coming is not None and self._coming.covers(view, 1.12):
            if self._coming.work(float("inf") if not travelling else 0.0):
                self._layer, self._coming = self._coming, None
                return self._layer
        elif not travelling:
            self._layer = _begin(self._room, view)
            self._layer.work(float("inf"))
            return self._layer
        coarse = self._coarse.best_for(view) if self._coarse is not None else None
        if coarse is None and self._layer is not None and travelling:
            coarse = self._layer  # smeared at the edges, for lack of better
        if coarse is None:
            coarse = self._layer = _begin(self._room, view)
            coarse.work(float("inf"))
        return coarse
