"""What desks are told of a running show beside its state: read now and then, said when it is another than before."""

import operator
from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields
from typing import Any

from ribalta.attach.protocol import (
    VALUES,
    HouseSeen,
    LineSeen,
    OtherSeen,
    RecordingSeen,
    SoundSeen,
    StreamSeen,
    UnsavedChanges,
)
from ribalta.core.base.plain import Forms, Plain
from ribalta.remote.house.status import HouseStatus
from ribalta.server.session import Session

NEVER_S = float("-inf")


def _seen(kind: Any, found: object, **instead: object) -> Any:
    """The fields of `kind` as another object has them."""
    return kind(**{f.name: instead.get(f.name, getattr(found, f.name, None)) for f in fields(kind)})


def _same(found: Any, before: Any) -> bool:
    """Is it the same object, or a tuple of the same ones?"""
    if isinstance(found, tuple) and isinstance(before, tuple):
        return len(found) == len(before) and all(map(operator.is_, found, before))
    return found is before


@dataclass
class _Value:
    read: Callable[[], Any]
    every_s: float
    seen: Callable[[Any], Any] = lambda found: found  # as desks see it
    found: Any = None  # what was read last
    read_s: float = NEVER_S
    tree: Plain = None
    version: int = 0


class Values:
    """`look` reads what it is time for. A value's version counts how often it has changed."""

    def __init__(self, session: Session, forms: Forms) -> None:
        self._session = session
        self._forms = {name: forms.of(kind) for name, kind in VALUES.items()}
        file, media, outputs, messages, setup = (
            session.file,
            session.media,
            session.outputs,
            session.outside.messages,
            session.setup,
        )
        self._values: Mapping[str, _Value] = {
            "media.heard": _Value(lambda: _seen(SoundSeen, media.heard), 0.04),
            "media.troubles": _Value(lambda: dict(media.troubles), 0.4),
            "outputs.recordings": _Value(
                lambda: outputs.recordings, 0.2, lambda found: tuple(_seen(RecordingSeen, x) for x in found)
            ),
            "outputs.stream": _Value(lambda: _seen(StreamSeen, outputs.stream), 0.2),
            "outside.messages.lines": _Value(
                lambda: messages.lines, 0.5, lambda found: tuple(_seen(LineSeen, x) for x in found)
            ),
            "outside.messages.house": _Value(lambda: messages.house, 0.2, self._house),
            "outside.messages.midi_names": _Value(lambda: tuple(tuple(names) for names in messages.midi_names), 0.5),
            "outside.messages.midi_trouble": _Value(lambda: messages.midi_trouble, 0.5),
            "outside.messages.troubles": _Value(lambda: dict(messages.troubles), 0.4),
            "file.path": _Value(lambda: file.path, 0.4),
            "file.unsaved": _Value(lambda: file.unsaved, 0.12),
            "file.recovery": _Value(self._recovery, 0.2),
            "file.foreign_deeds": _Value(lambda: file.foreign_deeds, 0.2),
            "evening.closing.now": _Value(lambda: session.evening.closing.now, 0.12),
            "outside.guests.door": _Value(lambda: session.outside.guests.door, 0.2),
            "evening.readiness.now": _Value(lambda: session.evening.readiness.now, 0.12),
            "setup.jobs.jobs": _Value(lambda: dict(setup.jobs.jobs), 0.12),
            "setup.jobs.profiles": _Value(lambda: tuple(setup.jobs.profiles()), float("inf")),
            "setup.placing.words": _Value(self._sights, 0.2),
        }

    @staticmethod
    def _house(found: HouseStatus) -> HouseSeen:
        return HouseSeen(found.word, found.trouble, tuple(_seen(OtherSeen, one) for one in found.others))

    def _recovery(self) -> UnsavedChanges | None:
        found = self._session.file.recovery
        return UnsavedChanges(found.changes) if found is not None else None

    def _sights(self) -> dict[str, str]:
        words = self._session.setup.placing.sight_words
        return {camera.id: words(camera.id) for camera in self._session.state.show.cameras}

    def look(self, now_s: float) -> None:
        """Read those that are due."""
        for name, value in self._values.items():
            if value.version and now_s - value.read_s < value.every_s:
                continue
            value.read_s = now_s
            found = value.read()
            if value.version and _same(found, value.found):
                continue  # hundreds of lines are not said anew to find that none has changed
            value.found = found
            tree = self._forms[name].to(value.seen(found))
            if tree != value.tree or not value.version:
                value.tree, value.version = tree, value.version + 1

    def news(self, known: dict[str, int]) -> dict[str, Plain]:
        """Those of which another version is `known`, which is brought up to date."""
        said = {name: value.tree for name, value in self._values.items() if known.get(name) != value.version}
        known |= {name: self._values[name].version for name in said}
        return said
