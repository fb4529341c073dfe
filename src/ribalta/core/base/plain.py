"""Values as plain trees and back, by their types: what one process says to another.

A plain tree is made of None, bool, int, float, str, bytes, lists and dicts; any encoder of such can carry it. Frozen
dataclasses become lists of their fields in order, parts of a document become their JSON, and where a type leaves a
choice (`A | B`) it is said which one it is. Nothing is built but what the type names: a tree from elsewhere cannot ask
for anything else.
"""

import types
from collections.abc import Callable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, fields, is_dataclass
from enum import Enum
from pathlib import Path
from types import MappingProxyType
from typing import Annotated, Any, Literal, Union, get_args, get_origin, get_type_hints

import numpy as np
from pydantic import BaseModel, ValidationError

from ribalta.core.base.validation import why_not

Plain = Any
LARGEST_PICTURE = 64 * 1024 * 1024


class NotPlain(ValueError):
    """A tree is not what its type says; the text says what is wrong."""


@dataclass(frozen=True, slots=True)
class Form:
    """How values of one type are said. `back` raises NotPlain; `holds`: is a value of this type?"""

    to: Callable[[Any], Plain]
    back: Callable[[Plain], Any]
    holds: Callable[[Any], bool]


def _is(*kinds: type) -> Callable[[Any], bool]:
    return lambda value: isinstance(value, kinds)


def _want(value: Any, *kinds: type) -> Any:
    if not isinstance(value, kinds) or (isinstance(value, bool) and bool not in kinds):
        raise NotPlain(f"{type(value).__name__} where {kinds[0].__name__} was meant")
    return value


def _listed(value: Any) -> Any:
    """What may be anything plain: what comes as a tuple is said as a list."""
    if isinstance(value, Mapping):
        return {str(name): _listed(x) for name, x in value.items()}
    if isinstance(value, list | tuple):
        return [_listed(x) for x in value]
    if isinstance(value, Path):
        return str(value)
    if value is None or isinstance(value, bool | int | float | str | bytes):
        return value
    raise NotPlain(f"{type(value).__name__} cannot be said")


class Forms:
    """The forms of types, each found once."""

    def __init__(self) -> None:
        self._found: dict[Any, Form] = {}

    def of(self, kind: Any) -> Form:
        """Raises NotPlain for a type that cannot be said."""
        try:
            found = self._found.get(kind)
        except TypeError:  # a type that cannot be a key
            return self._make(kind)
        if found is None:
            found = self._found[kind] = self._make(kind)
        return found

    def _make(self, kind: Any) -> Form:
        origin, arguments = get_origin(kind), get_args(kind)
        if origin is Annotated:
            return self.of(arguments[0])
        if kind in (Any, object) or origin is Literal:
            return Form(_listed, lambda tree: tree, lambda _: True)
        if origin in (Union, types.UnionType):
            return self._choice(arguments)
        if origin is not None:
            return self._container(origin, arguments)
        if kind is type(None):
            return Form(lambda _: None, lambda tree: _want(tree, type(None)), _is(type(None)))
        if isinstance(kind, type):
            return self._class(kind)
        raise NotPlain(f"{kind} cannot be said")

    def _class(self, kind: type) -> Form:
        if issubclass(kind, Enum):
            return Form(lambda value: value.value, lambda tree: _member(kind, tree), _is(kind))
        if issubclass(kind, BaseModel):
            return Form(lambda value: value.model_dump_json(), lambda tree: _document(kind, tree), _is(kind))
        if is_dataclass(kind):
            return self._dataclass(kind)
        if issubclass(kind, Path):
            return Form(str, lambda tree: Path(_want(tree, str)), _is(Path))
        if kind is float:
            return Form(float, lambda tree: float(_want(tree, float, int)), _is(float, int))
        if kind in (bool, int, str, bytes):
            return Form(kind, lambda tree: _want(tree, kind), _is(kind))
        raise NotPlain(f"{kind.__name__} cannot be said")

    def _dataclass(self, kind: Any) -> Form:
        hints = get_type_hints(kind, include_extras=True)
        names = tuple(field.name for field in fields(kind) if field.init)
        forms = tuple(self.of(hints[name]) for name in names)

        def to(value: Any) -> Plain:
            return [form.to(getattr(value, name)) for name, form in zip(names, forms, strict=True)]

        def back(tree: Plain) -> Any:
            if not isinstance(tree, list) or len(tree) != len(forms):
                raise NotPlain(f"{kind.__name__} is not whole")
            return kind(*(form.back(part) for form, part in zip(forms, tree, strict=True)))

        return Form(to, back, _is(kind))

    def _choice(self, kinds: tuple[Any, ...]) -> Form:
        """One of a few: which one, by its place, and what it is; None is itself."""
        forms = [self.of(kind) for kind in kinds if kind is not type(None)]
        nullable = len(forms) < len(kinds)
        if len(forms) == 1 and nullable:
            only = forms[0]
            return Form(
                lambda value: None if value is None else only.to(value),
                lambda tree: None if tree is None else only.back(tree),
                lambda value: value is None or only.holds(value),
            )

        def to(value: Any) -> Plain:
            if value is None and nullable:
                return None
            place = next((k for k, form in enumerate(forms) if form.holds(value)), None)
            if place is None:
                raise NotPlain(f"{type(value).__name__} is none of what was meant")
            return [place, forms[place].to(value)]

        def back(tree: Plain) -> Any:
            if tree is None and nullable:
                return None
            if not isinstance(tree, list) or len(tree) != 2 or not 0 <= _want(tree[0], int) < len(forms):
                raise NotPlain("a choice that there is not")
            return forms[tree[0]].back(tree[1])

        return Form(to, back, lambda value: any(form.holds(value) for form in forms) or (nullable and value is None))

    def _container(self, origin: Any, arguments: tuple[Any, ...]) -> Form:
        if origin is tuple and not (len(arguments) == 2 and arguments[1] is Ellipsis):
            return self._row(arguments)
        if issubclass(origin, np.ndarray):
            return Form(_picture, _pixels, _is(np.ndarray))
        if issubclass(origin, Mapping):
            return self._mapping(*arguments)
        item = self.of(arguments[0])
        made: Any = frozenset if issubclass(origin, AbstractSet) else list if origin is list else tuple
        if not (origin in (tuple, list, Sequence) or made is frozenset):
            raise NotPlain(f"{origin.__name__} cannot be said")
        return Form(
            lambda value: [item.to(x) for x in value],
            lambda tree: made(item.back(x) for x in _want(tree, list)),
            _is(frozenset) if made is frozenset else _is(tuple, list),
        )

    def _row(self, kinds: tuple[Any, ...]) -> Form:
        forms = tuple(self.of(kind) for kind in kinds)

        def back(tree: Plain) -> Any:
            if not isinstance(tree, list) or len(tree) != len(forms):
                raise NotPlain("a row is not whole")
            return tuple(form.back(part) for form, part in zip(forms, tree, strict=True))

        return Form(lambda value: [f.to(x) for f, x in zip(forms, value, strict=True)], back, _is(tuple))

    def _mapping(self, key: Any, value: Any) -> Form:
        """As pairs: keys may be anything that can be said. What comes back cannot be changed."""
        names, values = self.of(key), self.of(value)

        def back(tree: Plain) -> Any:
            pairs = _want(tree, list)
            if any(not isinstance(pair, list) or len(pair) != 2 for pair in pairs):
                raise NotPlain("a pair is not whole")
            try:
                return MappingProxyType({names.back(k): values.back(v) for k, v in pairs})
            except TypeError as error:
                raise NotPlain(str(error)) from None

        return Form(lambda found: [[names.to(k), values.to(v)] for k, v in found.items()], back, _is(Mapping))


def _member(kind: type[Enum], tree: Plain) -> Enum:
    try:
        return kind(tree)
    except ValueError as error:
        raise NotPlain(str(error)) from None


def _document(kind: type[BaseModel], tree: Plain) -> BaseModel:
    try:
        return kind.model_validate_json(_want(tree, str))
    except ValidationError as error:
        raise NotPlain(f"{kind.__name__}: {why_not(error)}") from None


def _picture(value: Any) -> Plain:
    pixels = np.ascontiguousarray(value, np.uint8)
    return [list(pixels.shape), pixels.tobytes()]


def _pixels(tree: Plain) -> Any:
    if not isinstance(tree, list) or len(tree) != 2 or not isinstance(tree[1], bytes):
        raise NotPlain("a picture is not whole")
    shape = tuple(_want(x, int) for x in _want(tree[0], list))
    if (
        any(x < 0 for x in shape)
        or int(np.prod(shape, dtype=np.int64)) != len(tree[1])
        or len(tree[1]) > LARGEST_PICTURE
    ):
        raise NotPlain("a picture of another size than it says")
    return np.frombuffer(tree[1], np.uint8).reshape(shape)
