"""Finding parts of a show by their id, which is asked thousands of times a second of tuples that hardly ever change."""

from collections.abc import Mapping
from typing import Any, Protocol, TypeVar

REMEMBERED = 64


class HasId(Protocol):
    @property
    def id(self) -> str: ...


T = TypeVar("T", bound=HasId)
_known: dict[int, tuple[tuple[Any, ...], Mapping[str, Any]]] = {}


def by_id(parts: tuple[T, ...]) -> Mapping[str, T]:
    """The parts by their ids. What was found out of a tuple is remembered for as long as it is among the last few.

    A tuple that is remembered is kept, so its identity cannot become another's.
    """
    found = _known.get(id(parts))
    if found is None:
        if len(_known) >= REMEMBERED:
            _known.clear()
        found = _known[id(parts)] = (parts, {part.id: part for part in parts})
    return found[1]
