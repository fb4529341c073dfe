"""One entry of a playlist: in words, made of an item, and its form."""

from collections.abc import Callable

from PySide6.QtWidgets import QCheckBox, QWidget

from ribalta.core.base.spans import length_words
from ribalta.core.engine.automation.triggers import item_words
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.automation.calls import Item, Kind, find, named
from ribalta.core.show.automation.playlists import FOR_EVER, Entry, EntryKind, Playlist, Unit
from ribalta.core.show.document.scenes import CUT, Transition, TransitionKind
from ribalta.desk.bridge import Bridge
from ribalta.desk.widgets.fields import Choice, Field, Form
from ribalta.desk.widgets.macro_steps import item_of, things, value_of


def entry_words(bridge: Bridge, playlist: Playlist, entry: Entry) -> str:
    """“1 W Ines, 6 s, mix”."""
    live = bridge.state
    if entry.kind is EntryKind.KEY:
        what = "Wait for a key (Ctrl+F7)"
    elif entry.kind is EntryKind.GROUP:
        what = f"One of {len(entry.choices)}, by lot"
    else:
        what = item_words(live, entry.item)
        if entry.kind is not EntryKind.SHOT:
            what = f"{entry.kind.capitalize()} {what}"
    length = playlist.length_s(entry)
    if entry.kind is EntryKind.PLAYLIST:
        long = ""
    elif entry.unit is Unit.UNTIL_CLOSED:
        long = f", until {item_words(live, entry.mic)} closes"
    elif length == FOR_EVER:
        long = ""
    elif entry.unit is Unit.BEATS:
        long = f", {entry.amount:g} {entry.unit} ({length_words(round(length, 2))})"
    else:
        long = f", {length_words(entry.amount)}"
    how = "" if entry.transition.length_s == 0 else f", {entry.transition.words.lower()}"
    return f"{what}{long}{how}"


def short_entry_words(state: LiveState, entry: Entry) -> tuple[str, str]:
    """Where it is on the board, if it is there, and its name: “1 W” and “Ines”."""
    item, show = entry.item, state.show
    if entry.kind is EntryKind.KEY:
        return "", "Ctrl+F7"
    if entry.kind is EntryKind.GROUP:
        return "", f"one of {len(entry.choices)}"
    framing = show.framing(item.id) if item is not None and item.kind is Kind.FRAMING else None
    if framing is not None:
        camera = show.camera(framing.camera_id)
        return f"{camera.number if camera is not None else '?'} {framing.letter}", framing.name
    camera = show.camera(item.id) if item is not None and item.kind is Kind.CAMERA else None
    if camera is not None:
        return str(camera.number), camera.name
    found = find(show, item) if item is not None else None
    return "", str(getattr(found, "name", item.called if item is not None else ""))


def entry_for(item: Item) -> Entry:
    """An item as an entry of a playlist."""
    kinds = {Kind.MACRO: EntryKind.MACRO, Kind.PLAYLIST: EntryKind.PLAYLIST}
    return Entry(kind=kinds.get(item.kind, EntryKind.SHOT), item=item)


class EntryForm(QWidget):
    """`entry` gives the one that is edited, as it is now; `changed` gets it as it is to be, `long` a new length in its
    own unit."""

    def __init__(
        self,
        bridge: Bridge,
        entry: Callable[[], Entry | None],
        changed: Callable[[Entry], None],
        long: Callable[[float], None],
    ) -> None:
        super().__init__()
        self._bridge, self._entry, self._changed, self._long = bridge, entry, changed, long
        self.amount = Field("Length", self._amount)
        self.unit = Choice("Counted in", {str(u): str(u) for u in Unit}, self._unit)
        self.mic = Choice("Microphone", {}, lambda v: self._with(mic=item_of(self._bridge.state, v)))
        self.transition = Choice("Taken by", {str(k): str(k) for k in TransitionKind}, self._transition)
        self.seconds = Field("Seconds of the transition", self._seconds)
        self.note = Field("Comment", lambda text: self._with(note=text[:200]))
        self.off = QCheckBox("Leave this entry out")
        self.off.clicked.connect(lambda on: self._with(off=on))
        form = self._form = Form(self)
        form.add("Length", self.amount, "in", self.unit)
        form.add("Microphone", self.mic)
        form.add("Taken by", self.transition, "seconds", self.seconds)
        form.add("Comment", self.note)
        form.add_whole(self.off)

    def refresh(self) -> None:
        entry = self._entry()
        self.setVisible(entry is not None)
        if entry is None:
            return
        self.amount.show_text(f"{entry.amount:g}", entry)
        self.amount.setEnabled(entry.kind is not EntryKind.KEY and entry.unit is not Unit.UNTIL_CLOSED)
        self.unit.show_value(str(entry.unit))
        self.mic.offer({"": "–"} | things(self._bridge.state, (Kind.MICROPHONE,)))
        self._form.show_row(self.mic, entry.unit is Unit.UNTIL_CLOSED)
        self.mic.show_value(value_of(entry.mic))
        self.transition.show_value(str(entry.transition.kind))
        moves = entry.transition.length_s > 0
        self.seconds.setEnabled(moves)
        self.seconds.show_text(f"{entry.transition.seconds:g}" if moves else "", entry)
        self.note.show_text(entry.note, entry)
        self.off.setChecked(entry.off)

    def _with(self, **changes: object) -> None:
        entry = self._entry()
        if entry is not None:
            self._changed(entry.model_copy(update=changes))

    def _amount(self, text: str) -> None:
        try:
            self._long(float(text.replace(",", ".")))
        except ValueError:
            self.refresh()

    def _unit(self, value: str) -> None:
        first = next(iter(self._bridge.state.show.microphones), None)
        mic = named(self._bridge.state.show, Kind.MICROPHONE, first.id) if first is not None else None
        if value == str(Unit.UNTIL_CLOSED) and mic is None:
            self.refresh()
            return
        self._with(unit=Unit(value), **({"mic": mic} if value == str(Unit.UNTIL_CLOSED) else {}))

    def _transition(self, value: str) -> None:
        self._with(transition=CUT if value == str(TransitionKind.CUT) else Transition(kind=TransitionKind(value)))

    def _seconds(self, text: str) -> None:
        try:
            seconds = min(10.0, max(0.01, float(text.replace(",", "."))))
        except ValueError:
            self.refresh()
            return
        entry = self._entry()
        if entry is not None:
            self._with(transition=entry.transition.model_copy(update={"seconds": seconds}))
