"""Which source shows which kind of picture, and keeping those that stay when the show's cameras change."""

from collections.abc import Callable, Iterable
from functools import partial

from ribalta.core.show.document.model import Camera, PictureKind, PictureSource
from ribalta.media.sources.network_stream import StreamPicture
from ribalta.media.sources.shared_picture import SharedPicture
from ribalta.media.sources.source import FrameSource
from ribalta.workers.crew import Crew

_Key = tuple[PictureKind, str, str, int]
PasswordFor = Callable[[PictureSource], str]


def source_for(picture: PictureSource, password: Callable[[], str], crew: Crew | None = None) -> FrameSource:
    """What shows a camera's picture; `password` is asked on a thread of its own."""
    if picture.kind is PictureKind.SHARED_MEMORY:
        return SharedPicture(picture.name)
    return StreamPicture(picture, password, crew)


class CameraSources:
    """One source for each camera. A camera whose picture did not change keeps its own.

    `password_for` may wait for a keyring: sources ask it on threads of their own. `changes` counts how often
    that of a picture was typed, so that what is opened with it is opened anew.
    """

    def __init__(
        self,
        password_for: PasswordFor = lambda _: "",
        changes: Callable[[PictureSource], int] = lambda _: 0,
        crew: Crew | None = None,
    ) -> None:
        self._crew = crew
        self._password_for, self._changes = password_for, changes
        self._made_of: dict[str, _Key] = {}
        self.of: dict[str, FrameSource] = {}
        self._closing: list[FrameSource] = []

    def follow(self, cameras: Iterable[Camera]) -> bool:
        """True when something changed."""
        wanted = {c.id: c.picture for c in cameras}
        made_of = {name: self._key(picture) for name, picture in wanted.items()}
        if made_of == self._made_of:
            return False
        sources: dict[str, FrameSource] = {}
        for name, key in made_of.items():
            if self._made_of.get(name) == key:
                sources[name] = self.of[name]
            else:
                sources[name] = source_for(wanted[name], partial(self._password_for, wanted[name]), self._crew)
        for name, source in self.of.items():
            if sources.get(name) is not source:
                source.close()
                self._closing.append(source)
        self.of, self._made_of = sources, made_of
        return True

    def _key(self, picture: PictureSource) -> _Key:
        return (picture.kind, picture.name, picture.user, self._changes(picture) if picture.user else 0)

    def close(self) -> None:
        """Close all sources and wait for their threads."""
        for source in self.of.values():
            source.close()
        for source in (*self._closing, *self.of.values()):
            if isinstance(source, StreamPicture):
                source.join()
        self._closing.clear()
