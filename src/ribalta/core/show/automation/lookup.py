"""What automation needs of a show: its parts by id and by place. The document is one of these."""

from typing import Any, Protocol


class Lookup(Protocol):
    """None where there is no such part."""

    @property
    def microphones(self) -> tuple[Any, ...]:
        """Those of the show, in their order."""
        ...

    def camera(self, camera_id: str) -> Any | None:
        """By id; None when there is none."""
        ...

    def camera_numbered(self, number: int) -> Any | None:
        """By number; None when there is none."""
        ...

    def framing(self, framing_id: str) -> Any | None:
        """By id; None when there is none."""
        ...

    def framing_at(self, camera_id: str, slot: int) -> Any | None:
        """By camera and slot, from 0; None when the slot is free."""
        ...

    def scene(self, scene_id: str) -> Any | None:
        """By id; None when there is none."""
        ...

    def scene_numbered(self, number: int) -> Any | None:
        """By number; None when there is none."""
        ...

    def titled(self, title_id: str) -> Any | None:
        """A title by id; None when there is none."""
        ...

    def medium(self, medium_id: str) -> Any | None:
        """By id; None when there is none."""
        ...

    def macro(self, macro_id: str) -> Any | None:
        """By id; None when there is none."""
        ...

    def trigger(self, trigger_id: str) -> Any | None:
        """By id; None when there is none."""
        ...

    def page(self, page_id: str) -> Any | None:
        """A page of pads by id; None when there is none."""
        ...

    def destination(self, destination_id: str) -> Any | None:
        """By id; None when there is none."""
        ...

    def playlist(self, playlist_id: str) -> Any | None:
        """By id; None when there is none."""
        ...
