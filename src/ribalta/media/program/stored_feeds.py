"""Pictures for what is being made: stored ones in place of cameras that are elsewhere."""

from collections.abc import Mapping
from typing import Protocol

from ribalta.core.picture.layering import Drawing
from ribalta.core.picture.planes import Picture
from ribalta.core.show.document.scenes import Source as Shown
from ribalta.media.program.composer import Feeds
from ribalta.media.program.shapes import LibraryPictures


class LiveFeeds(Feeds, Protocol):
    """Feeds of live pictures, which may stand in for stored ones."""

    def full(self, source: Shown) -> Picture | None:
        """The newest picture at full size."""
        ...


class WithStored:
    """Feeds with stored pictures in place of cameras that are elsewhere."""

    def __init__(self, live: LiveFeeds, kept: LibraryPictures | None, stored: Mapping[str, str]) -> None:
        self._live, self._bin, self._stored = live, kept, stored

    def full(self, source: Shown) -> Picture | None:
        """See `Feeds`."""
        name = self._stored.get(source.framing_id or "")
        picture = self._bin.file(name) if name is not None and self._bin is not None else None
        return picture if picture is not None else self._live.full(source)

    def at_least(self, source: Shown, width: int) -> Picture | None:
        """See `Feeds`."""
        if source.framing_id in self._stored:
            return self.full(source)
        return self._live.at_least(source, width)

    def drawing(self, name: str, size: tuple[int, int]) -> Drawing | None:
        """See `Feeds`."""
        return self._live.drawing(name, size)
