"""One tile of the board: what it says, and how that is painted.

A picture, and below it, so that nothing covers a face: the letter, the time, and the name on two lines. A tile is
painted anew only when what it says has changed, so saying it is cheap and painting it is rare.
"""

from dataclasses import dataclass

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap

from ribalta.core.engine.program.landing import landing_state, parts, time_to_set_s
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.desk.air.layout import caption
from ribalta.desk.painting import look
from ribalta.desk.painting.cropped import draw_cropped
from ribalta.desk.painting.two_lines import two_lines
from ribalta.desk.widgets import footlights

LEFT, LETTER_PX, TEXT_PX = 34.0, 17, 14
THEN = "THEN"


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

    @property
    def word(self) -> str:
        """What the tally says, or that it follows."""
        return self.tally.value or (THEN if self.queued else "")


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


def picture_area(area: QRectF) -> QRectF:
    """The part of a tile that its picture has."""
    return QRectF(area.left(), area.top(), area.width(), area.height() - caption())


def paint(painter: QPainter, area: QRectF, tile: Tile, stored: QPixmap | None) -> None:
    """The whole tile with its ground; `stored` fills the picture's area."""
    painter.fillRect(area.adjusted(-3, -3, 3, 3), look.NIGHT)
    if tile.shot is None:
        _empty(painter, area, tile)
        return
    picture = picture_area(area)
    if stored is not None:
        draw_cropped(painter, picture, stored)
    else:
        painter.fillRect(picture, look.INK)
        if tile.picture is None:  # else it only is not ready at this size yet
            painter.setPen(look.SOFT)
            painter.setFont(look.font(TEXT_PX, narrow=True))
            painter.drawText(picture, Qt.AlignmentFlag.AlignCenter, "no picture")
    if tile.badge:
        _badge(painter, picture, f"! {tile.badge}")
    _caption(painter, QRectF(area.left(), picture.bottom(), area.width(), caption()), tile)
    _edge(painter, area, tile)


def _empty(painter: QPainter, area: QRectF, tile: Tile) -> None:
    painter.setPen(QPen(look.EDGE, 1, Qt.PenStyle.DotLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(area.adjusted(0.5, 0.5, -0.5, -0.5))
    painter.setPen(look.SOFT if tile.chosen else look.EDGE)
    painter.setFont(look.font(LETTER_PX, look.MEDIUM))
    painter.drawText(area, Qt.AlignmentFlag.AlignCenter, tile.letter)


def _badge(painter: QPainter, picture: QRectF, words: str) -> None:
    painter.setFont(look.font(TEXT_PX, look.BOLD, narrow=True))
    wide = painter.fontMetrics().horizontalAdvance(words) + 8
    tall = look.scaled(18)
    box = QRectF(picture.right() - wide, picture.bottom() - tall, wide, tall)
    painter.fillRect(box, look.INK)
    painter.setPen(look.WRONG)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def _caption(painter: QPainter, area: QRectF, tile: Tile) -> None:
    """The letter with the time or the tally below it, and the name beside them. What is on air is red as a whole."""
    waits = tile.tally is footlights.Tally.NEXT and tile.landing is not LandingState.SET
    filled = tile.tally is not footlights.Tally.NONE and not waits
    tally = footlights.colour(footlights.Footlights(tile.tally, LandingState.OFF))
    painter.fillRect(area, tally if filled else look.RAIL)
    text, soft = (look.INK, look.INK) if filled else (look.TEXT, look.SOFT)
    painter.setFont(look.font(TEXT_PX, look.BOLD, narrow=True))
    word = tile.word
    left = max(look.scaled(LEFT) + (8 if word else 0), painter.fontMetrics().horizontalAdvance(word) + 8.0)
    upper = QRectF(area.left() + 5, area.top() + 1, left - 9, area.height() / 2)
    lower = QRectF(area.left() + 4, area.center().y(), left - 5, area.height() / 2 - 2)
    if word:
        painter.setPen(look.INK if filled else tally if waits else look.LAMP_WARM)
        painter.drawText(lower, Qt.AlignmentFlag.AlignVCenter, word)
        if tile.time != "set" and tile.tally is not footlights.Tally.ON_AIR:
            painter.setPen(text)
            painter.drawText(upper, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, tile.time)
    elif tile.landing is LandingState.SET:
        wide = painter.fontMetrics().horizontalAdvance(tile.time) + 8
        box = QRectF(lower.left(), lower.top(), wide, lower.height())
        painter.fillRect(box, look.LAMP_WARM)
        painter.setPen(look.INK)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, tile.time)
    else:
        painter.setPen(text)
        painter.drawText(lower, Qt.AlignmentFlag.AlignVCenter, tile.time)
    painter.setPen(text)
    painter.setFont(look.font(LETTER_PX, look.BOLD))
    painter.drawText(upper, Qt.AlignmentFlag.AlignVCenter, tile.letter)
    room = area.adjusted(left + 2, 1, -3, -1)
    if tile.protected:
        _lock(painter, QRectF(room.right() - 9, room.top() + 4, 8, 9), soft)
        room = room.adjusted(0, 0, -12, 0)
    painter.setPen(text)
    painter.setFont(look.font(TEXT_PX, look.MEDIUM, narrow=True))
    two_lines(painter, room, tile.name)


def _lock(painter: QPainter, area: QRectF, ink: QColor) -> None:
    painter.fillRect(area.adjusted(0, 4, 0, 0), ink)
    painter.setPen(QPen(ink, 1.4))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawEllipse(area.adjusted(1.5, 0, -1.5, -3))


def _edge(painter: QPainter, area: QRectF, tile: Tile) -> None:
    """Tally as a frame, broken while its camera is not set; the place that N, P and Delete mean as a cream one."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if tile.tally is not footlights.Tally.NONE:
        ink = footlights.colour(footlights.Footlights(tile.tally, tile.landing or LandingState.OFF))
        waits = tile.tally is footlights.Tally.NEXT and tile.landing is not LandingState.SET
        painter.setPen(QPen(ink, 3, Qt.PenStyle.DashLine if waits else Qt.PenStyle.SolidLine))
        painter.drawRect(area.adjusted(1.5, 1.5, -1.5, -1.5))
    elif tile.queued:
        painter.setPen(QPen(look.LAMP_WARM, 1.5, Qt.PenStyle.DotLine))
        painter.drawRect(area.adjusted(1, 1, -1, -1))
    if tile.named:
        painter.setPen(QPen(look.TEXT, 2))
        painter.drawRect(area.adjusted(-2, -2, 2, 2))
