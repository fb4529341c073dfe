"""What all lists of a show have in common that are added to, changed and removed from by id: a free name, a new id,
the one that is meant, putting one in, and taking one out of which others may make use.
"""

from collections.abc import Callable, Mapping
from typing import Any, Generic, Protocol, Self, TypeVar

from pydantic import ValidationError

from ribalta.core.base.faults import ActionRefused
from ribalta.core.base.validation import why_not
from ribalta.core.base.values import replaced, without
from ribalta.core.engine.removing import Users, cleared
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.automation.calls import Kind, named
from ribalta.core.show.document.model import Show


class Member(Protocol):
    """One of a list: a frozen part of the show with an id and a name."""

    @property
    def id(self) -> str:
        """Its own in its list, for as long as it lives."""
        ...

    @property
    def name(self) -> str:
        """What people call it."""
        ...

    def model_dump(self) -> dict[str, Any]:
        """Its fields."""
        ...

    @classmethod
    def model_validate(cls, obj: Any) -> Self:
        """One from fields. Raises ValidationError."""
        ...


Item = TypeVar("Item", bound=Member)


class Collection(Generic[Item]):
    """`field`: the list's name in the show; `find`: one of it by id. `letter`: how its ids begin. `words`: what one
    and many of it are called in a sentence; `names`: what a new one is called, before its number. `most`: as many as
    there may be. `kind`: what it is for those that make use of it; None: nobody does.
    """

    def __init__(
        self,
        field: str,
        items: Callable[[Show], tuple[Item, ...]],
        find: Callable[[Show, str], Item | None],
        letter: str,
        words: tuple[str, str],
        most: int,
        kind: Kind | None = None,
        names: str = "",
    ) -> None:
        self._field, self._items, self._find, self._letter = field, items, find, letter
        self._words, self._most, self._kind = words, most, kind
        self._names = names or words[0].capitalize()

    def meant(self, state: LiveState, item_id: str) -> Item:
        """By id. Raises ActionRefused when it is gone."""
        item = self._find(state.show, item_id)
        if item is None:
            raise ActionRefused(f"There is no such {self._words[0]}: it was removed.")
        return item

    def new_id(self, show: Show) -> str:
        """The id of one that is to be put in. Raises ActionRefused when the list is full."""
        if len(self._items(show)) >= self._most:
            raise ActionRefused(f"{self._most} {self._words[1]} are the most there can be.")
        return f"{self._letter}{show.next_number}"

    def free_name(self, show: Show, wanted: str | None) -> str:
        """What was wanted, or the word and the lowest number that no other has."""
        if wanted:
            return wanted
        taken = {item.name for item in self._items(show)}
        return next(name for k in range(1, self._most + 2) if (name := f"{self._names} {k}") not in taken)

    def changed(self, item: Item, changes: Mapping[str, Any]) -> Item:
        """With some fields changed and all of them checked. Raises ActionRefused with what is wrong."""
        try:
            return type(item).model_validate(item.model_dump() | dict(changes))
        except ValidationError as error:
            raise ActionRefused(f"“{item.name}” stays as it is: {why_not(error)}.") from None

    def put(self, show: Show, item: Item) -> Show:
        """The show with it in place of the one of its id, or behind all others; its number is used up."""
        items = self._items(show)
        items = replaced(items, item) if self._find(show, item.id) is not None else (*items, item)
        return show.model_copy(update={self._field: items, "next_number": show.next_number + 1})

    def take_out(self, show: Show, item: Item, users: Users, action: str, asked: Mapping[str, Any]) -> Show:
        """The show without it. Raises StillUsed when others use it and nobody said what is to become of them."""
        if self._kind is not None:
            show = cleared(show, (named(show, self._kind, item.id),), f"“{item.name}”", users, action, asked)
        return show.model_copy(update={self._field: without(self._items(show), item.id)})
