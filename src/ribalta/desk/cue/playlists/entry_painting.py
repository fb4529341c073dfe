"""One entry of the strip as it is painted: its picture, what it is, how long, and how it is with it."""

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from ribalta.core.show.automation.playlists import FOR_EVER, EntryKind
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue.playlists.entries import short_entry_words
from ribalta.desk.cue.playlists.tiles import Tile
from ribalta.desk.painting import look
from ribalta.desk.painting.cropped import draw_cropped
from ribalta.desk.widgets.lists.browser import picture_name

PICTURE, CAPTION = 84, 24
KIND_WORDS = {
    EntryKind.KEY: "waits for a key",
    EntryKind.MACRO: "macro",
    EntryKind.PLAYLIST: "playlist",
    EntryKind.GROUP: "one of several",
    EntryKind.SHOT: "no picture",
}


@dataclass(frozen=True)
class TileLook:
    """How it is with an entry now. `seconds` it stays; `share` of that which has gone, while it is on air (else None);
    `stretches`: its right edge can be dragged; `at`: the keyboard is there."""

    seconds: float
    share: float | None
    stretches: bool
    selected: bool
    at: bool


def paint_tile(painter: QPainter, bridge: Bridge, area: QRectF, tile: Tile, how: TileLook) -> None:
    picture = QRectF(area.left(), area.top(), area.width(), PICTURE)
    foot = QRectF(area.left(), picture.bottom(), area.width(), look.scaled(CAPTION))
    painter.setOpacity(0.4 if tile.entry.off else 1.0)
    _picture(painter, bridge, tile, picture)
    painter.setOpacity(1.0)
    painter.fillRect(foot, look.RAIL)
    if how.share is not None:
        painter.fillRect(QRectF(foot.left(), foot.bottom() - 4, foot.width() * how.share, 4), look.LAMP_WARM)
    _caption(painter, bridge, tile, how.seconds, foot.adjusted(5, 0, -4, 0))
    if how.stretches:
        painter.fillRect(QRectF(area.right() - 3, picture.top() + 36, 3, 34), look.TEXT)
    wrong = tile.gone or tile.late_s > 0.01
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if wrong:
        painter.setPen(QPen(look.WRONG, 2))
        painter.drawRect(area.adjusted(1, 1, -1, -1))
    if how.selected:
        painter.setPen(QPen(look.TEXT, 2))
        painter.drawRect(area.adjusted(3, 3, -3, -3) if wrong else area.adjusted(1, 1, -1, -1))
    if how.at:
        painter.setPen(QPen(look.LAMP_WARM, 2, Qt.PenStyle.DotLine))
        painter.drawRect(area.adjusted(4, 4, -4, -4))


def _picture(painter: QPainter, bridge: Bridge, tile: Tile, area: QRectF) -> None:
    """Of what it shows; where there is none, a word for what it does."""
    show, entry = bridge.state.show, tile.entry
    item = entry.item or next(iter(entry.choices), None)
    name = picture_name(show, item) if item is not None else None
    tall = int(area.height())
    stored = bridge.stored_picture_soon(name, max(int(area.width()), tall * 16 // 9), tall)
    if stored is not None:
        draw_cropped(painter, area, stored)
        return
    painter.fillRect(area, look.WOOD)
    painter.setPen(look.WRONG if tile.gone else look.SOFT)
    painter.setFont(look.font(14, look.MEDIUM, narrow=True))
    words = "! removed" if tile.gone else "" if name is not None else KIND_WORDS.get(entry.kind, "")
    flags = int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
    painter.drawText(area.adjusted(3, 0, -3, 0), flags, words)


def _caption(painter: QPainter, bridge: Bridge, tile: Tile, seconds: float, box: QRectF) -> None:
    long = "" if seconds == FOR_EVER or tile.entry.kind is EntryKind.PLAYLIST else f"{seconds:.3g} s"
    long = "left out" if tile.entry.off else long
    painter.setFont(look.font(13, narrow=True))
    metrics = painter.fontMetrics()
    wide = metrics.horizontalAdvance(long) + 6 if long else 0
    painter.setPen(look.SOFT)
    place, name = short_entry_words(bridge.state, tile.entry)
    roomy = box.width() > wide + metrics.horizontalAdvance(place) + 8
    if roomy and long:
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, long)
    painter.setFont(look.font(13, look.MEDIUM, narrow=True))
    painter.setPen(look.WRONG if tile.gone else look.TEXT)
    room = box.width() - (wide if roomy else 0)
    words = f"{place}  {name}" if place else name
    said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(room))
    if place and painter.fontMetrics().horizontalAdvance(f"{place}  {name[:3]}…") > room:
        said = place  # its number and letter say it; a name of two letters does not
    painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, said)


def paint_late(
    painter: QPainter, areas: Sequence[QRectF], tiles: Sequence[Tile], leftmost: float, rightmost: float
) -> None:
    """Above the entries by how much each is late, no words over another's. `areas` in pixels, one a tile."""
    painter.setFont(look.font(14, look.MEDIUM, narrow=True))
    painter.setPen(look.WRONG)
    free = leftmost
    for area, tile in zip(areas, tiles, strict=True):
        if tile.late_s <= 0.01:
            continue
        words = f"! {look.seconds(tile.late_s)} s late"
        wide = painter.fontMetrics().horizontalAdvance(words)
        left = max(free, min(area.left(), rightmost - wide))
        if left < area.right():
            painter.drawText(QRectF(left, 0, wide + 2, area.top()), Qt.AlignmentFlag.AlignVCenter, words)
            free = left + wide + 10
