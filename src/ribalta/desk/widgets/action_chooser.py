"""Choosing an action and its arguments: for a macro's step, a trigger, a shortcut and a pad, one way for all."""

import re
import typing
from collections.abc import Mapping
from enum import StrEnum
from functools import partial
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.addresses import arguments_of as typed
from ribalta.core.engine.views.addresses import kinds_of
from ribalta.core.engine.views.offers import Offer, call_words
from ribalta.core.show.automation.calls import (
    BY_ID,
    Broken,
    Call,
    Kind,
    arguments_of,
    broken,
    by_position,
    following_items,
)
from ribalta.core.show.automation.calls import following_position as to_position
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label
from ribalta.desk.widgets.palette import Palette

UNSAID = ""
LEFT_OUT = ("hand", "stroke", "users", "page", "live")
FOLLOWS = {"item": "it, wherever it moves", "position": "the place, whatever is there"}
LABELS = {"mic": "Microphone", "pads": "Page of pads", "at": "Pad", "midi": "MIDI"}
KIND_OF = {
    Kind.MACRO: "macros",
    Kind.TITLE: "titles",
    Kind.MEDIUM: "media",
    Kind.TRIGGER: "triggers",
    Kind.PAGE: "pages",
    Kind.DESTINATION: "destinations",
    Kind.PLAYLIST: "playlists",
}


def things(state: LiveState, name: str) -> Mapping[str, str] | None:
    """What an argument of this name can be, as words by value; None when it is not one of the show's things."""
    show = state.show
    if name == "camera":
        return {str(c.number): f"{c.number}  {c.name}" for c in sorted(show.cameras, key=lambda c: c.number)}
    if name == "scene":
        return {str(s.number): s.name for s in show.scenes}
    if name == "mic":
        return {str(m.number): f"{m.number}  {m.name}" for m in show.microphones}
    kind = BY_ID.get(name)
    if kind is None:
        return None
    return {part.id: part.name for part in getattr(show, KIND_OF[kind])}


def framings(state: LiveState) -> Mapping[str, str]:
    """Every framing, by “camera letter page”."""
    cameras = {c.id: c.number for c in state.show.cameras}
    rows = sorted(state.show.framings, key=lambda f: (cameras[f.camera_id], f.slot))
    return {f"{cameras[f.camera_id]} {f.letter} {f.page}": f"{cameras[f.camera_id]} {f.letter}  {f.name}" for f in rows}


def words_among(annotation: Any, metadata: list[Any]) -> list[str] | None:
    """The few words that an argument can be; None when it is no such choice."""
    for part in (annotation, *typing.get_args(annotation)):
        if isinstance(part, type) and issubclass(part, StrEnum):
            return [str(value) for value in part]
        if typing.get_origin(part) is typing.Literal:
            return [str(value) for value in typing.get_args(part)]
        if typing.get_origin(part) is typing.Annotated:
            inner = words_among(typing.get_args(part)[0], list(typing.get_args(part)[1:]))
            if inner is not None:
                return inner
    for note in metadata:
        for one in (note, *getattr(note, "metadata", ())):
            found = re.fullmatch(r"\^\(([\w |-]+)\)\$", str(getattr(one, "pattern", "") or ""))
            if found:
                return found[1].split("|")
    return None


class CallEditor(QWidget):
    """`changed` comes with the call as it was made; None when it was taken away."""

    changed = Signal(object)

    def __init__(self, bridge: Bridge, palette: Palette, what: str, removable: bool = False) -> None:
        super().__init__()
        self._bridge, self._palette, self._what = bridge, palette, what
        self.call: Call | None = None
        self._made_for: tuple[str, tuple[str, ...]] | None = None
        self.follows: Choice | None = None
        self.choose = button("Choose what it does …", self._choose, "Type a few words of it")
        self.said = label("", wrap=True)
        self.said.setFont(look.font(14, look.MEDIUM))
        self.parts: dict[str, Choice | Field] = {}
        self.remove = button("Take away", lambda: self._set(None)) if removable else None
        self._form = QWidget()
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        self._column.addWidget(self.said)
        self._column.addWidget(self.choose)
        self._column.addWidget(self._form)
        if self.remove is not None:
            self._column.addWidget(self.remove)

    def show_call(self, call: Call | None) -> None:
        self.call = call
        state = self._bridge.state
        self.choose.setText("Choose another …" if call is not None else "Choose what it does …")
        if self.remove is not None:
            self.remove.setVisible(call is not None)
        trouble = broken(state.show, call) if call is not None else None
        self.said.setText(call_words(state, call) if call is not None else "Nothing yet.")
        palette = self.said.palette()
        palette.setColor(self.said.foregroundRole(), look.WRONG if trouble else look.TEXT)
        self.said.setPalette(palette)
        names = self._names()
        if self._made_for != (call.action if call is not None else "", names):
            self._make(names)
        self._fill()

    def show_only(self, names: tuple[str, ...]) -> None:
        """Of the arguments, only these can be typed here."""
        form = self._form.layout()
        assert isinstance(form, Form)
        for name, part in self.parts.items():
            form.show_row(part, name in names)

    def _names(self) -> tuple[str, ...]:
        row = CATALOGUE.by_id.get(self.call.action) if self.call is not None else None
        if row is None:
            return ()
        fields = row.params.model_fields
        return tuple(name for name in fields if name not in LEFT_OUT and self._can_be_typed(name, fields[name]))

    @staticmethod
    def _can_be_typed(name: str, field: Any) -> bool:
        kinds = set(kinds_of(field.annotation))
        return bool(kinds & {str, int, float, bool}) or name in BY_ID

    def _make(self, names: tuple[str, ...]) -> None:
        old, self._form = self._form, QWidget()
        form = Form(self._form)
        self.parts = {}
        self.follows = None
        row = CATALOGUE.by_id.get(self.call.action) if self.call is not None else None
        both = "camera" in names and "letter" in names
        for name in names:
            assert row is not None
            if name == "letter" and both:
                continue
            part = self._part("framing" if name == "camera" and both else name, row.params.model_fields[name])
            self.parts["framing" if name == "camera" and both else name] = part
            called = "framing" if name == "camera" and both else name
            form.add(LABELS.get(called, called.replace("_", " ").capitalize()), part)
        if self.call is not None and by_position(self._bridge.state.show, self.call.arguments):
            self.follows = Choice("What it follows", FOLLOWS, self._follow)
            form.add("Follows", self.follows)
        form.end()
        self._column.replaceWidget(old, self._form)
        old.hide()
        old.deleteLater()
        self._made_for = (self.call.action if self.call is not None else "", names)

    def _part(self, name: str, field: Any) -> Choice | Field:
        state = self._bridge.state
        known = framings(state) if name == "framing" else things(state, name)
        words = words_among(field.annotation, list(field.metadata)) if known is None else None
        if known is None and words is None and bool in set(kinds_of(field.annotation)):
            known = {"on": "on", "off": "off"}
        if words is not None:
            known = {word: word for word in words}
        if known is None:
            return Field(name, partial(self._typed, name), field.description or "")
        optional = name == "framing" or not field.is_required()
        blank = {UNSAID: "– choose –" if not optional or name == "framing" else "–"}
        return Choice(name, blank | dict(known), partial(self._typed, name))

    def _fill(self) -> None:
        call = self.call
        if call is None:
            return
        try:
            arguments = arguments_of(self._bridge.state.show, call)
        except Broken:
            arguments = dict(call.arguments)
        if self.follows is not None:
            self.follows.show_value(call.follows)
        for name, part in self.parts.items():
            value = arguments.get(name)
            if name == "framing":
                place = (arguments.get("camera"), arguments.get("letter"), arguments.get("page") or 0)
                value = " ".join(map(str, place)) if None not in place else UNSAID
            if isinstance(value, bool):
                value = "on" if value else "off"
            if isinstance(value, list):
                value = " ".join(map(str, value))
            said = "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)
            if isinstance(part, Field):
                part.show_text(said)
            else:
                part.show_value(said)

    # What is chosen

    def _choose(self) -> None:
        self._palette.ask(f"{self._what}: type a few words, Enter chooses.", self._chosen, whole_only=False)

    def _chosen(self, offer: Offer) -> None:
        self._set(offer.call)

    def _follow(self, value: str) -> None:
        if self.call is None:
            return
        try:
            tie = following_items if value == "item" else to_position
            self._set(tie(self._bridge.state.show, self.call))
        except Broken:
            self.show_call(self.call)

    def _typed(self, name: str, value: str) -> None:
        call = self.call
        row = CATALOGUE.by_id.get(call.action) if call is not None else None
        if call is None or row is None:
            return
        arguments = {k: v for k, v in call.arguments.items() if k != name}
        if name == "framing":
            camera, letter, page = value.split(" ") if value else ("", "", "0")
            arguments |= {"camera": int(camera), "letter": letter, "page": int(page)} if value else {}
        elif value != UNSAID:
            try:
                given = value.split() if name == "arguments" else None
                meant = typed(row, [f"{name}={value}"])[name] if given is None else [_number(v) for v in given]
            except ActionRefused:
                self._fill()
                return
            arguments[name] = meant
        made = Call(action=call.action, arguments=arguments)
        follow = call.follows == "item" or not by_position(self._bridge.state.show, call.arguments)
        self._set(following_items(self._bridge.state.show, made) if follow else made)

    def _set(self, call: Call | None) -> None:
        self.show_call(call)
        self.changed.emit(call)


def _number(word: str) -> str | int | float:
    for kind in (int, float):
        try:
            return kind(word)
        except ValueError:
            continue
    return word
