"""One tile of the board: what it says, and how that is painted.

A tile is painted anew only when what it says has changed, so saying it is cheap and painting it is rare.
"""

from dataclasses import dataclass

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap

from ribalta.core.engine.program.landing import landing_state, parts, time_to_set_s
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.desk.widgets import footlights, look

SHADE = QColor(18, 15, 12, 205)


@dataclass(frozen=True)
class Tile:
    """A framing or a scene at its letter; an empty place when `shot` is None. `picture` is the name of a stored one."""

    letter: str
    shot: Shot | None = None
    name: str = ""
    picture: str | None = None
    protected: bool = False
    badge: str = ""
    time: str = ""
    landing: LandingState | None = None
    tally: footlights.Tally = footlights.Tally.NONE
    queued: bool = False
    named: bool = False
    chosen: bool = False  # of an empty place: its row is
    there: bool = True  # the stored picture is


def tile_of(
    state: LiveState,
    shot: Shot,
    now_s: float,
    *,
    letter: str,
    name: str,
    picture: str | None,
    named: bool,
    there: bool,
    protected: bool = False,
    badge: str = "",
) -> Tile:
    """What is to be said of a shot now."""
    left, tally = time_to_set_s(state, shot, now_s), tally_of(state, shot)
    landing = None if left and tally is footlights.Tally.NONE else landing_state(state, shot, now_s)
    words = "set" if landing is LandingState.SET else "–" if left is None else look.seconds(left)
    camera = state.show.camera(shot.camera_id)
    if left and landing is not LandingState.SET and camera is not None and camera.recall_only:
        words = f"≈{words}"  # from what it needed before, not from where it is
    queued = shot in state.program.then
    return Tile(letter, shot, name, picture, protected, badge, words, landing, tally, queued, named, there=there)


def tally_of(state: LiveState, shot: Shot) -> footlights.Tally:
    """Of the shot as such, or as a part of a scene that is on air or next."""
    for there, tally in ((state.program.on_air, footlights.Tally.ON_AIR), (state.program.next, footlights.Tally.NEXT)):
        if there is not None and (there == shot or (shot.framing_id is not None and shot in parts(state, there))):
            return tally
    return footlights.Tally.NONE


def text_px(tile: QRectF) -> int:
    """Type grows with the tiles, so that a large screen can be read from farther away."""
    return int(min(20.0, max(13.0, tile.height() * 0.17)))


def picture_area(area: QRectF) -> QRectF:
    """The part of a tile that its picture has."""
    return QRectF(area.left(), area.top(), area.width(), area.height() - text_px(area) - 6)


def paint(painter: QPainter, area: QRectF, tile: Tile, stored: QPixmap | None) -> None:
    """The whole tile with its ground; `stored` fills the picture's area."""
    painter.fillRect(area.adjusted(-3, -2, 3, 2), look.NIGHT)
    if tile.shot is None:
        _empty(painter, area, tile)
        return
    picture, pixels = picture_area(area), text_px(area)
    if stored is not None:
        inside = QRectF(0, 0, picture.width(), picture.height())
        inside.moveCenter(QRectF(stored.rect()).center())
        painter.drawPixmap(picture, stored, inside)
    else:
        painter.fillRect(picture, look.INK)
        painter.setPen(look.SOFT)
        painter.setFont(look.font(11, narrow=True))
        painter.drawText(picture.adjusted(0, 16, 0, 0), Qt.AlignmentFlag.AlignCenter, "no picture")
    strip = area.bottom() - picture.bottom()
    painter.fillRect(QRectF(area.left(), picture.bottom(), area.width(), strip), look.RAIL)
    taken = 0.0 if _roomy(area) or tile.tally is footlights.Tally.NONE else 46.0
    _name(painter, QRectF(area.left() + 5, picture.bottom(), area.width() - 8 - taken, strip), tile, pixels)
    box = QRectF(picture.left(), picture.top(), pixels + 6, pixels + 7)
    _boxed(painter, box, tile.letter, pixels + 2, SHADE, look.TEXT)
    _time(painter, picture, tile, pixels + 2)
    _edge(painter, area, tile)
    if tile.badge:
        painter.setFont(look.font(12, look.BOLD, narrow=True))
        wide = painter.fontMetrics().horizontalAdvance(tile.badge) + 8
        box = QRectF(picture.right() - wide, picture.bottom() - 17, wide, 17)
        painter.fillRect(box, SHADE)
        painter.setPen(look.WRONG)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, tile.badge)


def _empty(painter: QPainter, area: QRectF, tile: Tile) -> None:
    painter.setPen(QPen(look.LINE, 1, Qt.PenStyle.DotLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(area.adjusted(0.5, 0.5, -0.5, -0.5))
    painter.setPen(look.SOFT if tile.chosen else look.LINE)
    painter.setFont(look.font(15, look.MEDIUM))
    painter.drawText(area, Qt.AlignmentFlag.AlignCenter, tile.letter)


def _name(painter: QPainter, area: QRectF, tile: Tile, pixels: int) -> None:
    painter.setFont(look.font(pixels, look.MEDIUM, narrow=True))
    if tile.protected:
        key = QRectF(area.right() - 9, area.top() + 5, 8, 9)
        painter.fillRect(key.adjusted(0, 4, 0, 0), look.SOFT)
        painter.setPen(QPen(look.SOFT, 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(key.adjusted(1.5, 0, -1.5, -3))
        area = area.adjusted(0, 0, -12, 0)
    painter.setPen(look.TEXT)
    said = painter.fontMetrics().elidedText(tile.name, Qt.TextElideMode.ElideRight, int(area.width()))
    painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, said)


def _time(painter: QPainter, picture: QRectF, tile: Tile, pixels: int) -> None:
    is_set = tile.landing is LandingState.SET
    painter.setFont(look.font(pixels, look.BOLD))
    wide = painter.fontMetrics().horizontalAdvance(tile.time) + 8
    box = QRectF(picture.right() - wide, picture.top(), wide, pixels + 5)
    _boxed(painter, box, tile.time, pixels, look.LAMP_WARM if is_set else SHADE, look.INK if is_set else look.TEXT)


def _boxed(painter: QPainter, box: QRectF, words: str, pixels: int, ground: QColor, ink: QColor) -> None:
    painter.fillRect(box, ground)
    painter.setFont(look.font(pixels, look.BOLD))
    painter.setPen(ink)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def _edge(painter: QPainter, area: QRectF, tile: Tile) -> None:
    """Tally as a frame and a word; the place that N, P and Delete mean as a thin light frame."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if tile.tally is not footlights.Tally.NONE:
        ink = footlights.colour(footlights.Footlights(tile.tally, tile.landing or LandingState.OFF))
        waits = tile.tally is footlights.Tally.NEXT and tile.landing is not LandingState.SET
        painter.setPen(QPen(ink, 3, Qt.PenStyle.DashLine if waits else Qt.PenStyle.SolidLine))
        painter.drawRect(area.adjusted(1.5, 1.5, -1.5, -1.5))
        word = tile.tally.value
        painter.setFont(look.font(11, look.BOLD, narrow=True))
        wide = painter.fontMetrics().horizontalAdvance(word) + 10
        roomy = _roomy(area)
        left = area.left() if roomy else area.right() - wide
        box = QRectF(left, (picture_area(area).bottom() if roomy else area.bottom()) - 16, wide, 16)
        _boxed_word(painter, box, word, ink)
    elif tile.queued:
        painter.setPen(QPen(look.LAMP_WARM, 1.5, Qt.PenStyle.DotLine))
        painter.drawRect(area.adjusted(1, 1, -1, -1))
    if tile.named:
        painter.setPen(QPen(look.TEXT, 1))
        painter.drawRect(area.adjusted(-1.5, -1.5, 1.5, 1.5))


def _boxed_word(painter: QPainter, box: QRectF, word: str, ground: QColor) -> None:
    painter.fillRect(box, ground)
    painter.setPen(look.INK)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, word)


def _roomy(tile: QRectF) -> bool:
    """Is there room for the word of the tally on the picture? Otherwise it stands beside the name."""
    return tile.height() - text_px(tile) - 6 > 42
