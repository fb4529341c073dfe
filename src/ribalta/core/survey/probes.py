"""What a check may ask of the network, one short question at a time. The devices room knows how."""

from collections.abc import Iterator
from enum import StrEnum
from typing import Protocol as Shape

from ribalta.core.show.document.model import Control, Protocol


class Door(StrEnum):
    """What a port is like from here."""

    OPEN = "open"
    REFUSED = "refused"
    SILENT = "silent"
    UNREACHABLE = "unreachable"


class Probes(Shape):
    """Each of these may take a second or two."""

    def resolve(self, host: str) -> str:
        """The numeric address of a name. Raises RemoteFault with a sentence."""
        ...

    def ask(self, control: Control, address: str) -> Door:
        """Does the camera's own protocol answer where the show says?"""
        ...

    def present(self, address: str) -> bool:
        """Is there a machine at all, whatever it runs?"""
        ...

    def others(self, address: str) -> Iterator[tuple[Protocol, int]]:
        """What else answers at the address: protocols that steer cameras, and their ports."""
        ...

    def login(self, control: Control) -> tuple[str | None, str]:
        """What is wrong with the user and password, as a phrase, or None; and the address of the picture."""
        ...

    def picture_trouble(self, camera_id: str) -> str | None:
        """Why no picture comes, as a phrase, if that is known."""
        ...
