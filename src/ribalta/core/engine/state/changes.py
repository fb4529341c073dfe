"""What changed between two live states, as a plain tree, and a state with such changes: how a state is followed from
another process.

A group, a camera or a part of the document that is the same object as before is not said again; of a list it is said
which stretches of it stayed. What only the engine needs (documents kept for undo) is not said at all.
"""

from collections.abc import Mapping, Sequence
from dataclasses import fields, is_dataclass, replace
from types import MappingProxyType
from typing import Any, get_args, get_origin, get_type_hints

from ribalta.core.base.plain import Form, Forms, NotPlain, Plain
from ribalta.core.base.values import changed
from ribalta.core.engine.state.groups import EditState
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import CameraLive
from ribalta.core.show.document.model import Show

BY_ITEM = ("show", "cameras", "edits", "desks")  # said otherwise than the groups, or not at all
LATEST_EDITS = 20  # so many that could be undone are told to a desk
SIMPLE = (bool, int, float, str, type(None))


def _same(before: Any, now: Any) -> bool:
    return before is now or (isinstance(now, SIMPLE) and type(before) is type(now) and before == now)


class StateChanges:
    """Both ends need one; it has nothing but the forms of the types that a state is made of."""

    def __init__(self, forms: Forms | None = None) -> None:
        self._forms = forms or Forms()
        self._state_types = get_type_hints(LiveState, include_extras=True)
        self._show_types: dict[str, Any] = {name: f.annotation for name, f in Show.model_fields.items()}
        self._groups = tuple(f.name for f in fields(LiveState) if f.name not in BY_ITEM)
        self._field_types: dict[type, Mapping[str, Any]] = {}

    # Saying

    def between(self, before: LiveState | None, now: LiveState) -> dict[str, Plain]:
        """Empty when nothing changed that others see; everything, when there is no state before."""
        said: dict[str, Plain] = {}
        for name in self._groups:
            group = getattr(now, name)
            if before is None or getattr(before, name) is not group:
                said[name] = self._group(name, getattr(before, name) if before is not None else None, group)
        if before is None or before.cameras is not now.cameras:
            said["cameras"] = self._cameras(before.cameras if before is not None else {}, now.cameras)
        if before is None or before.show is not now.show:
            said["show"] = self._document(before.show if before is not None else None, now.show)
        if before is None or before.edits.count != now.edits.count:
            words = [list(one[-LATEST_EDITS:]) for one in (now.edits.undo_words, now.edits.redo_words)]
            said["edits"] = [now.edits.count, *words]
        return {name: tree for name, tree in said.items() if tree or name == "edits"}

    def _group(self, name: str, before: Any, now: Any) -> Plain:
        kind = self._state_types[name]
        if not is_dataclass(now):
            return [self._forms.of(kind).to(now)]
        return self._fields(before, now, self._types_of(type(now)))

    def _types_of(self, kind: type) -> Mapping[str, Any]:
        found = self._field_types.get(kind)
        if found is None:
            hints = get_type_hints(kind, include_extras=True)
            found = self._field_types[kind] = {f.name: hints[f.name] for f in fields(kind)}
        return found

    def _fields(self, before: Any, now: Any, types: Mapping[str, Any]) -> dict[str, Plain]:
        said: dict[str, Plain] = {}
        for name, kind in types.items():
            new = getattr(now, name)
            old = getattr(before, name) if before is not None else None
            if before is None or not _same(old, new):
                said[name] = self._value(kind, old, new)
        return said

    def _value(self, kind: Any, old: Any, new: Any) -> Plain:
        item = self._item(kind)
        if item is None:
            return self._forms.of(kind).to(new)
        return _stretches(item, old if isinstance(old, tuple) else (), new)

    def _item(self, kind: Any) -> Form | None:
        """Of a list, the form of what is in it; None for everything else."""
        while get_origin(kind) is not None and get_origin(kind) is not tuple and hasattr(kind, "__metadata__"):
            kind = get_args(kind)[0]
        arguments = get_args(kind)
        if get_origin(kind) is tuple and len(arguments) == 2 and arguments[1] is Ellipsis:
            return self._forms.of(arguments[0])
        return None

    def _cameras(self, before: Mapping[str, CameraLive], now: Mapping[str, CameraLive]) -> dict[str, Plain]:
        said: dict[str, Plain] = {}
        if tuple(before) != tuple(now):
            said["ids"] = list(now)
        types = self._types_of(CameraLive)
        for camera_id, camera in now.items():
            old = before.get(camera_id)
            if old is not camera:
                changes = self._fields(old, camera, types)
                if changes:
                    said.setdefault("changed", {})[camera_id] = changes
        return said

    def _document(self, before: Show | None, now: Show) -> dict[str, Plain]:
        said = self._fields(before, now, self._show_types)
        extra = now.__pydantic_extra__ or {}
        if extra and (before is None or before.__pydantic_extra__ != extra):
            said[""] = self._forms.of(Any).to(extra)
        return said

    # Making true

    def applied(self, state: LiveState | None, said: Mapping[str, Plain]) -> LiveState:
        """The state with what was said; `state` None: from nothing. Raises NotPlain for what cannot have been meant."""
        try:
            if state is None:
                show = self._with_document(Show(), said["show"], {})
                state = LiveState(show, MappingProxyType({}))
            elif "show" in said:
                state = changed(state, show=self._with_document(state.show, said["show"], state.show))
            groups = {name: self._with_group(state, name, said[name]) for name in self._groups if name in said}
            if "cameras" in said:
                groups["cameras"] = self._with_cameras(state.cameras, said["cameras"])
            if "edits" in said:
                count, undo, redo = said["edits"]
                words = self._forms.of(tuple[str, ...])
                groups["edits"] = EditState((), (), words.back(undo), words.back(redo), self._forms.of(int).back(count))
            return changed(state, **groups)
        except (KeyError, TypeError, ValueError, IndexError, AttributeError) as error:
            raise NotPlain(f"a state that cannot be ({error})") from None

    def _with_group(self, state: LiveState, name: str, said: Plain) -> Any:
        if isinstance(said, list):
            return self._forms.of(self._state_types[name]).back(said[0])
        group = getattr(state, name)
        values = self._values(said, self._types_of(type(group)), group)
        return changed(group, **values) if hasattr(group, "__dict__") else replace(group, **values)

    def _values(self, said: Mapping[str, Plain], types: Mapping[str, Any], before: Any) -> dict[str, Any]:
        made: dict[str, Any] = {}
        for name, tree in said.items():
            item = self._item(types[name])
            if item is None:
                made[name] = self._forms.of(types[name]).back(tree)
            else:
                old = before.get(name, ()) if isinstance(before, Mapping) else getattr(before, name)
                made[name] = _put_together(item, old, tree)
        return made

    def _with_cameras(self, before: Mapping[str, CameraLive], said: Mapping[str, Plain]) -> Mapping[str, CameraLive]:
        ids = [self._forms.of(str).back(x) for x in said["ids"]] if "ids" in said else list(before)
        made, types = {x: before.get(x, CameraLive()) for x in ids}, self._types_of(CameraLive)
        for camera_id, changes in said.get("changed", {}).items():
            made[camera_id] = changed(made[camera_id], **self._values(changes, types, made[camera_id]))
        return MappingProxyType(made)

    def _with_document(self, show: Show, said: Mapping[str, Plain], before: Any) -> Show:
        values = {name: tree for name, tree in said.items() if name}
        return show.model_copy(update={**self._values(values, self._show_types, before), **said.get("", {})})


def _stretches(item: Form, old: Sequence[Any], new: Sequence[Any]) -> list[Plain]:
    """A list as stretches of the one before (begin and end) and what is new (its tree in a list of one)."""
    places = {id(x): k for k, x in enumerate(old)}
    said: list[Plain] = []
    for value in new:
        place = places.get(id(value))
        if place is None:
            said.append([item.to(value)])
        elif said and len(said[-1]) == 2 and said[-1][1] == place:
            said[-1][1] = place + 1
        else:
            said.append([place, place + 1])
    return said


def _put_together(item: Form, old: Sequence[Any], said: Plain) -> tuple[Any, ...]:
    made: list[Any] = []
    for part in said:
        if len(part) == 1:
            made.append(item.back(part[0]))
        else:
            begin, end = part
            if not 0 <= begin < end <= len(old):
                raise NotPlain("a stretch of a list that is not there")
            made.extend(old[begin:end])
    return tuple(made)
