"""Where the entries of a strip lie: as wide as their time is at the scale of the chart, and never too narrow to hit."""

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF

from ribalta.core.show.automation.playlists import FOR_EVER, EntryKind, Playlist
from ribalta.desk.cue.playlists.chart import head_wide
from ribalta.desk.cue.playlists.entry_painting import CAPTION, PICTURE
from ribalta.desk.cue.playlists.tiles import Tile
from ribalta.desk.cue.playlists.timeline import Timeline
from ribalta.desk.painting import look

LEAST_PX = 46.0
EDGE_PX = 6.0
ABOVE = 18  # for what is said above an entry


class StripLayout:
    """Areas and positions in pixels of the strip; a position counts tiles from the left, a place is the playlist's."""

    def __init__(self, timeline: Timeline) -> None:
        self._timeline = timeline
        self.playlist: Playlist | None = None
        self.tiles: Sequence[Tile] = ()

    def area_of(self, position: int) -> QRectF:
        tile, left = self.tiles[position], head_wide() + self._timeline.lefts[position] - self._timeline.offset
        wide = max(LEAST_PX, (tile.ends_s - tile.begins_s) * self._timeline.scale.per_s)
        return QRectF(left, look.scaled(ABOVE), wide - 2, PICTURE + look.scaled(CAPTION))

    def position_at(self, at: QPointF) -> int | None:
        if at.x() < head_wide():
            return None
        return next((k for k in range(len(self.tiles)) if self.area_of(k).adjusted(0, 0, 2, 0).contains(at)), None)

    def edge_at(self, at: QPointF) -> Tile | None:
        """The tile whose right edge is there, if it has a length of its own."""
        for k, tile in enumerate(self.tiles):
            area = self.area_of(k)
            near = abs(area.right() - at.x()) <= EDGE_PX and area.top() <= at.y() <= area.bottom()
            if near and self.has_length(tile):
                return tile
        return None

    def has_length(self, tile: Tile) -> bool:
        own = tile.first is not None and tile.entry.kind is not EntryKind.PLAYLIST
        return own and self.playlist is not None and self.playlist.length_s(tile.entry) != FOR_EVER

    def before(self, x: float) -> int:
        """The position that something let go at `x` goes before."""
        return next((k for k in range(len(self.tiles)) if x < self.area_of(k).center().x()), len(self.tiles))

    def place_before(self, position: int) -> int:
        """The place in the playlist that a position is before."""
        if position < len(self.tiles):
            return self.tiles[position].place
        return len(self.playlist.entries) if self.playlist is not None else 0

    def gap_before(self, position: int) -> float:
        """The x of the gap that something would go into."""
        if position < len(self.tiles):
            return self.area_of(position).left() - 2
        return self.area_of(position - 1).right() + 2 if self.tiles else float(head_wide())
