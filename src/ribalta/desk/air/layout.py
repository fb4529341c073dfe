"""Where everything on the board is: rows, live pictures and tiles, in the board's own pixels."""

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF

from ribalta.core.show.document.model import LETTERS, Camera

GAP = 6
SCENE_SHARE = 0.85  # of the height of a row with framings
FIXED_SHARE = 0.66  # of the height of a row with framings: a fixed camera has none
TALLEST_ROW = 124
NUMBER_PX = 84
SCENES = 0  # the number of the row of scenes, and its key


@dataclass(frozen=True)
class TilePlace:
    """A spot on the board: a camera's number or SCENES, and a letter or None for the head of its row."""

    camera: int
    letter: str | None = None


class Layout:
    """Made anew when the board's size or the cameras change. The row of scenes closes the board."""

    def __init__(self, cameras: Sequence[Camera], width: int, height: int) -> None:
        self.source, self.size = cameras, (width, height)
        self.cameras = sorted(cameras, key=lambda camera: camera.number)
        shares = [1.0 if camera.steered else FIXED_SHARE for camera in self.cameras]
        tall = min(TALLEST_ROW, (height - 2) / max(1.0, sum(shares) + SCENE_SHARE))
        tops = [round(tall * sum(shares[:i])) for i in range(len(shares))]
        self.rows = [QRectF(0, top, width, round(tall * k) - GAP) for top, k in zip(tops, shares, strict=True)]
        top = round(tall * sum(shares))
        self.scene_row = QRectF(0, top, width, round(tall * SCENE_SHARE) - GAP)
        tallest = max((row.height() for row in self.rows), default=60.0)
        self.head_px = NUMBER_PX + float(int((tallest - 12) * 16 / 9))

    def live_area(self, row: QRectF) -> QRectF:
        """A row's live picture."""
        tall = row.height() - 12
        wide = float(int(tall * 16 / 9))
        return QRectF(row.left() + self.head_px - wide - 12, row.top(), wide, tall)

    def tile_area(self, row: QRectF, column: int) -> QRectF:
        wide = (row.width() - self.head_px + GAP) / len(LETTERS)
        left = round(row.left() + self.head_px + column * wide)
        return QRectF(left, row.top(), round(wide - GAP), row.height())

    def place_at(self, at: QPointF) -> TilePlace | None:
        for camera, row in zip(self.cameras, self.rows, strict=True):
            if row.contains(at):
                for k, letter in enumerate(LETTERS):
                    if self.tile_area(row, k).contains(at):
                        return TilePlace(camera.number, letter)
                return TilePlace(camera.number) if at.x() < self.head_px else None
        for k, letter in enumerate(LETTERS):
            if self.tile_area(self.scene_row, k).contains(at):
                return TilePlace(SCENES, letter)
        return TilePlace(SCENES) if self.scene_row.contains(at) and at.x() < self.head_px else None

    def area_of(self, place: TilePlace) -> QRectF | None:
        """The tile of a place; None for the head of a row and for what is not on the board."""
        for camera, row in zip(self.cameras, self.rows, strict=True):
            if camera.number == place.camera and place.letter is not None:
                return self.tile_area(row, LETTERS.index(place.letter))
        if place.camera == SCENES and place.letter is not None:
            return self.tile_area(self.scene_row, LETTERS.index(place.letter))
        return None

    def small_sizes(self) -> dict[str, tuple[int, int]]:
        """How large the rows' live pictures are, by camera id."""
        areas = {camera.id: self.live_area(row) for camera, row in zip(self.cameras, self.rows, strict=True)}
        return {name: (max(16, int(area.width())), max(9, int(area.height()))) for name, area in areas.items()}
