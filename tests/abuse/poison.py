"""Poison: anything that the show calls may raise, at random, and the same way for the same seed."""

import random
from collections import Counter
from collections.abc import Callable
from typing import Any


class Poison(Exception):
    """What no code expects."""


class Poisoner:
    """Counts what it has made raise, by name. `share` of all calls raise while it is `on`."""

    def __init__(self, seed: int, share: float) -> None:
        self._chance = random.Random(seed)
        self.share, self.on = share, False
        self.raised: Counter[str] = Counter()
        self.calls: Counter[str] = Counter()

    def call(self, name: str, work: Callable[..., Any], *given: Any, **more: Any) -> Any:
        self.calls[name] += 1
        if self.on and self._chance.random() < self.share:
            self.raised[name] += 1
            raise Poison(name)
        return work(*given, **more)

    def of(self, target: Any, name: str, only: tuple[str, ...] | None = None) -> Any:
        """`target` (a module or an object) with all functions poisoned, or only some."""
        return _Poisoned(self, target, name, only)


class _Poisoned:
    def __init__(self, by: Poisoner, target: Any, name: str, only: tuple[str, ...] | None) -> None:
        self.__dict__.update(_by=by, _target=target, _name=name, _only=only)

    def __getattr__(self, attribute: str) -> Any:
        found = getattr(self._target, attribute)
        called = callable(found) and not isinstance(found, type)
        if not called or (self._only is not None and attribute not in self._only):
            return found
        name = f"{self._name}.{attribute}"
        return lambda *given, **more: self._by.call(name, found, *given, **more)

    def __setattr__(self, attribute: str, value: Any) -> None:
        setattr(self._target, attribute, value)
