"""What is found out of a document once and asked for thousands of times a second: it is kept with the document."""

from collections.abc import Callable
from typing import Any, TypeVar

T = TypeVar("T")


class Memo:
    """What was made of parts of a document, by name; it holds for as long as the part is the same object.

    Any thread may ask. Two memos are always equal: what is remembered makes no difference to a document.
    """

    def __init__(self, known: dict[str, tuple[object, Any]] | None = None) -> None:
        self._known: dict[str, tuple[object, Any]] = dict(known or {})
        self._of_whole: dict[str, Any] = {}

    def of(self, name: str, source: object, make: Callable[[], T]) -> T:
        """What `make` makes of `source`, made anew when that is another object than last time."""
        known = self._known.get(name)
        if known is None or known[0] is not source:
            known = self._known[name] = (source, make())
        made: T = known[1]
        return made

    def of_whole(self, name: str, make: Callable[[], T]) -> T:
        """The same for what depends on all of the document: it is not carried over to a changed copy."""
        if name not in self._of_whole:
            self._of_whole[name] = make()
        made: T = self._of_whole[name]
        return made

    def copied(self) -> "Memo":
        """For a changed copy of the document, which most of it holds for."""
        return Memo(self._known)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Memo)

    __hash__ = None  # type: ignore[assignment]
