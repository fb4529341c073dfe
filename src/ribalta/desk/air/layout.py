"""Where everything on the board is, in the board's own pixels.

Where there is room for it, each steered camera has a row of its ten framings. Otherwise, and with more than six, the
cameras are a wall of live heads, and the framings of one of them stand beside it, large, all ten at once. Fixed cameras
share a line, and scenes close the board.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field

from PySide6.QtCore import QPointF, QRectF

from ribalta.core.show.document.model import LETTERS, Camera
from ribalta.desk.painting import look

GAP = 6.0
SCENES = 0  # the number of the row of scenes, and its key
MOST_ROWS = 6
NARROWEST, LOWEST = 118.0, 46.0  # of a picture in a row; narrower or lower, the wall reads better
SMALLEST_LIVE = 40.0  # the width of a live picture on the wall
TALLEST_ROW, TALLEST_HEAD = 190.0, 96.0
SMALL, FOR_SCENES = 128.0, 150.0  # a picture in the last line of the wall


def line() -> float:
    """The height of a heading."""
    return float(look.scaled(22))


def caption() -> float:
    """What is below a picture: two lines of a name."""
    return float(look.scaled(38))


def head_words() -> float:
    """The width beside the live picture of a head."""
    return float(look.scaled(84))


def _row_head() -> float:
    return 138.0 + head_words()


@dataclass(frozen=True)
class TilePlace:
    """A spot on the board: a camera's number or SCENES, and a letter or None for the camera or the scenes as such."""

    camera: int
    letter: str | None = None


@dataclass
class Layout:
    """`tiles` are framings and scenes by their letters; `heads` are cameras, fixed ones too; `words` are headings.

    `wall`: one camera's framings are shown, `beside`; None: scenes are, large. `left_out`: so many scenes have no room.
    """

    cameras: list[Camera]
    size: tuple[int, int]
    wall: bool = False
    beside: Camera | None = None
    tiles: dict[TilePlace, QRectF] = field(default_factory=dict)
    heads: dict[TilePlace, QRectF] = field(default_factory=dict)
    words: dict[str, QRectF] = field(default_factory=dict)
    scene_letters: int = len(LETTERS)

    def looks_like(self, other: "Layout") -> bool:
        """Is everything where it is in another, though it may be of another camera?"""
        same = self.size == other.size and self.heads == other.heads and self.words == other.words
        return same and list(self.tiles.values()) == list(other.tiles.values())

    def place_at(self, at: QPointF) -> TilePlace | None:
        for place, area in (*self.tiles.items(), *self.heads.items()):
            if area.contains(at):
                return place
        return None

    def area_of(self, place: TilePlace) -> QRectF | None:
        """The tile of a place; None for heads and for what is not on the board."""
        return self.tiles.get(place)

    def camera_of(self, place: TilePlace) -> Camera | None:
        return next((c for c in self.cameras if c.number == place.camera), None)

    def live_area(self, place: TilePlace) -> QRectF:
        """The live picture of a head, with the lamps below it."""
        camera, area = self.camera_of(place), self.heads[place]
        if camera is None:
            return QRectF()
        if not camera.steered:
            return QRectF(area.left(), area.top(), area.width(), area.height() - caption() - 9)
        tall = area.height() - 12
        wide = min(float(int(tall * 16 / 9)), area.width() - head_words())
        return QRectF(area.left() + 2, area.top() + 2, wide, min(tall, wide * 9 / 16))

    def small_sizes(self) -> dict[str, tuple[int, int]]:
        """How large the live pictures are, by camera id."""
        found = {}
        for place in self.heads:
            camera, area = self.camera_of(place), self.live_area(place)
            if camera is not None:
                tall = max(int(area.height()), int(area.width()) * 9 // 16)  # what is too much is not shown
                found[camera.id] = (max(16, int(area.width())), max(9, tall))
        return found


def laid_out(cameras: Sequence[Camera], beside: Camera | None, scenes: int, width: int, height: int) -> Layout:
    """`beside` is the camera whose framings are shown if not all are; `scenes` how many there are on the page."""
    made = Layout(sorted(cameras, key=lambda c: c.number), (width, height))
    steered = [c for c in made.cameras if c.steered]
    fixed = [c for c in made.cameras if not c.steered]
    if not _in_rows(made, steered, fixed, scenes):
        made.tiles, made.heads, made.words = {}, {}, {}
        _wall(made, steered, fixed, beside, scenes)
    return made


def _in_rows(made: Layout, steered: list[Camera], fixed: list[Camera], scenes: int) -> bool:
    """Lay a row for each camera; False where names would not be whole, or pictures slivers."""
    width, height = made.size
    if not 0 < len(steered) <= MOST_ROWS:
        return False
    wide = (width - _row_head() + GAP) / len(LETTERS)
    below = float(int(min(wide * 9 / 16 + caption() + line(), height * 0.3)))
    tall = min(TALLEST_ROW, (height - below) / len(steered))
    if wide - GAP < NARROWEST or tall - GAP - caption() < LOWEST:
        return False
    for k, camera in enumerate(steered):
        made.heads[TilePlace(camera.number)] = QRectF(0, round(k * tall), _row_head() - GAP, round(tall - GAP))
        _letters(made, camera.number, _row_head(), wide, k * tall, tall)
    _last_line(made, fixed, max(scenes, 3), QRectF(0, round(len(steered) * tall), width, below), round(wide - GAP))
    return True


def _letters(made: Layout, number: int, left: float, wide: float, top: float, tall: float) -> None:
    for k, letter in enumerate(LETTERS):
        area = QRectF(round(left + k * wide), round(top), round(wide - GAP), round(tall - GAP))
        made.tiles[TilePlace(number, letter)] = area


def _wall(made: Layout, steered: list[Camera], fixed: list[Camera], beside: Camera | None, scenes: int) -> None:
    width, height = float(made.size[0]), float(made.size[1])
    made.wall, made.beside = True, beside
    left = _heads(made, steered, height, width) if steered else 0.0
    below = float(int(min(max(SMALL, (width - left) / 9) * 9 / 16 + caption() + line() + 4, height * 0.3)))
    large = QRectF(left, 0, width - left, height - below - GAP if steered else 0)
    if steered:
        made.words["large"] = QRectF(left, 0, width - left, line())
        wide, tall = (large.width() + GAP) / 5, (large.height() - line() + GAP) / 2
        number = beside.number if beside is not None else SCENES
        for k, letter in enumerate(LETTERS):
            x, y = left + k % 5 * wide, line() + k // 5 * tall
            made.tiles[TilePlace(number, letter)] = QRectF(round(x), round(y), round(wide - GAP), round(tall - GAP))
    small = max(SMALL, (width - left) / 9)
    _last_line(made, fixed, scenes, QRectF(left, height - below, width - left, below), round(min(small, 240.0)))


def _heads(made: Layout, steered: list[Camera], height: float, width: float) -> float:
    """The wall, as few columns wide as it can be with pictures in it; returns where it ends."""
    walls = [_wall_of(n, len(steered), height, width) for n in range(1, 9)]
    seen = [one for one in walls if one[1] >= look.scaled(50) and one[2] - head_words() - GAP >= SMALLEST_LIVE]
    rows, tall, wide = seen[0] if seen else max(walls, key=lambda one: one[2] if one[1] > look.scaled(36) else 0)
    columns = -(-len(steered) // rows)
    for k, camera in enumerate(steered):
        area = QRectF(round(k // rows * wide), round(k % rows * tall), round(wide - GAP), round(tall - GAP))
        made.heads[TilePlace(camera.number)] = area
    return float(round(columns * wide + GAP))


def _wall_of(columns: int, count: int, height: float, width: float) -> tuple[int, float, float]:
    """How many rows it has, and how high and wide a head is, with the gap behind it."""
    rows = -(-count // columns)
    tall = min(TALLEST_HEAD, (height + GAP) / rows)
    share = 0.4 if width >= look.scaled(1000) else 0.44
    return rows, tall, min(int((tall - GAP - 12) * 16 / 9) + head_words() + GAP, width * share / columns)


def _last_line(made: Layout, fixed: list[Camera], scenes: int, area: QRectF, small: float) -> None:
    """Fixed cameras, then as many scenes as there is room for, each so wide."""
    wide = float(int(min(small, (area.width() - FOR_SCENES) / max(1, len(fixed)) - GAP)))
    top, tall = area.top() + line(), area.height() - line()
    x = area.left()
    if fixed:
        made.words["Fixed"] = QRectF(x, area.top(), len(fixed) * (wide + GAP) - GAP, line())
    for camera in fixed:
        made.heads[TilePlace(camera.number)] = QRectF(round(x), round(top), round(wide), round(tall))
        x += wide + GAP
    x += GAP if fixed else 0
    room = max(0, int((area.right() - x + GAP) // (small + GAP)))
    if made.beside is None and "large" in made.words:
        made.heads[TilePlace(SCENES)] = made.words.pop("large")
        return
    made.heads[TilePlace(SCENES)] = QRectF(x, area.top(), max(0.0, area.right() - x), line())
    made.scene_letters = min(room, scenes)
    for k, letter in enumerate(LETTERS[: made.scene_letters]):
        made.tiles[TilePlace(SCENES, letter)] = QRectF(round(x + k * (small + GAP)), round(top), small, round(tall))
