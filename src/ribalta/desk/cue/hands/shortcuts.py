"""Shortcuts: what every key, button and note does, found by pressing it; of this show and of this desk."""

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QHideEvent
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.offers import call_words
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.automation.calls import Call, broken
from ribalta.core.show.automation.triggers_pads_shortcuts import How, Shortcut
from ribalta.core.show.files.shortcut_file import read_shortcuts, write_shortcuts
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue.hands.key_sheet import write_sheet
from ribalta.desk.cue.hands.shortcut_rows import GIVEN, ROW, key_of, row_words
from ribalta.desk.cue.hands.starters import Starters
from ribalta.desk.cue.hands.surface_drawing import SurfaceDrawing
from ribalta.desk.input.control_finder import ControlFinder
from ribalta.desk.input.key_drawing import LAYERS, KeyDrawing
from ribalta.desk.painting import look
from ribalta.desk.widgets.action_chooser import CallEditor
from ribalta.desk.widgets.choose_file import ask_to_open, ask_to_save
from ribalta.desk.widgets.control_words import control_words
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label, line
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.widgets.lists.more import More
from ribalta.desk.widgets.pages import Pages, Tabs
from ribalta.desk.widgets.palette import Palette

OWNERS = {"show": "this show", "desk": "this desk, in every show"}
SHORTCUTS = "Shortcuts (*.json)"


class ShortcutsPage(QWidget):
    def __init__(self, bridge: Bridge, palette: Palette) -> None:
        super().__init__()
        self._bridge, self._palette = bridge, palette
        self.chosen: ROW | None = None
        self._drawn: tuple[object, ...] = ()
        self.pending = ""  # a control that was found by pressing and has no shortcut yet
        self.finder = ControlFinder(bridge, self)
        self.finder.found.connect(self._found)
        self.list = Listing("Shortcuts", self._chosen)
        self.search = Field("Find by words", None, "What it does, or the key")
        self.search.setPlaceholderText("find by words")
        self.search.textChanged.connect(lambda _: self.refresh())
        self.press = button("Find by pressing", self._find, "Then press a key, a pad or a gamepad's button")
        self.press.setCheckable(True)
        self.given = button("Default keys too", self.refresh)
        self.given.setCheckable(True)
        self.said = label("", wrap=True)
        self.said.setFont(look.font(16, look.BOLD))
        self.said.setMinimumHeight(look.scaled(26))
        self.note = label("", soft=True, wrap=True)
        self.owner = Choice("Whose it is", OWNERS, self._give)
        self.how = Choice("How it is pressed", {str(h): str(h) for h in How}, self._how)
        self.layer = Field("Layer", self._layer, "Empty: always. Otherwise only while that layer is in force")
        self.call = CallEditor(bridge, palette, "What it does")
        self.call.changed.connect(self._call_changed)
        self.silence = button("Let it do nothing", self._silence, "The default key is silent then")
        self.remove = button("Remove", self._remove)
        self.long = Field("A long press, in seconds", self._long)
        self.bring = button("Import …", self._bring)
        self.write = button("Export …", self._write)
        self.sheet = button("Key sheet …", self._sheet, "A PDF to print")
        self.starters = Starters(bridge)
        self.list.offer(self.silence, remove=self.remove)
        self.keyboard = KeyDrawing(bridge)
        self.keyboard.clicked.connect(lambda key: self.open_at(f"key {key}"))
        self.surfaces = {kind: SurfaceDrawing(bridge, kind) for kind in ("gamepad", "midi", "osc")}
        for drawn in self.surfaces.values():
            drawn.clicked.connect(self.open_at)
        words = {"gamepad": "Gamepad", "midi": "MIDI", "osc": "OSC"}
        self.drawings: dict[str, QWidget] = {"Keyboard": self.keyboard}
        self.drawings |= {words[kind]: drawn for kind, drawn in self.surfaces.items()}
        self._stack = Pages(*self.drawings.values())
        self.layers = {name: button(name or "no modifier", partial(self.show_layer, name)) for name in LAYERS}
        for part in self.layers.values():
            part.setCheckable(True)
            part.setObjectName("page")
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        self.kinds = Tabs(self.drawings, self.show_drawing)
        head.addLayout(self.kinds)
        head.addSpacing(16)
        for part in self.layers.values():
            head.addWidget(part)
        head.addStretch(1)
        head.addWidget(self.press)
        left = QVBoxLayout()
        row = QHBoxLayout()
        row.addWidget(self.search, 1)
        row.addWidget(self.given)
        row.addWidget(More(self.bring, self.write, self.sheet))
        left.addLayout(row)
        left.addWidget(self.list, 1)
        right = QVBoxLayout()
        right.addWidget(self.said)
        right.addWidget(self.note)
        right.addWidget(self.call)
        self._form = QWidget()
        form = Form(self._form)
        form.add("Pressed", self.how, "Layer", self.layer)
        form.add("Belongs to", self.owner)
        right.addWidget(self._form)
        right.addLayout(line(self.silence, self.remove))
        right.addStretch(1)
        self._times = QWidget()
        form = Form(self._times)
        form.add("A long press is, s", self.long)
        right.addWidget(self._times)
        right.addWidget(self.starters)
        side = QWidget()
        right.setContentsMargins(0, 0, 6, 0)
        side.setLayout(right)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(side)
        lower = QHBoxLayout()
        lower.setSpacing(12)
        lower.addLayout(left, 55)
        lower.addWidget(scroll, 45)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addLayout(head)
        whole.addWidget(self._stack, 50)
        whole.addLayout(lower, 50)
        self.show_drawing("Keyboard")
        self.show_layer("")

    def show_drawing(self, name: str) -> None:
        """The keyboard, the gamepad, or the surfaces of a kind."""
        self.kinds.mark(name)
        self._stack.turn_to(self.drawings[name])
        for part in self.layers.values():
            part.setVisible(name == "Keyboard")

    def show_layer(self, layer: str) -> None:
        """The keyboard with these modifiers held."""
        self.keyboard.layer = layer
        self.keyboard.update()
        for other, part in self.layers.items():
            part.setChecked(other == layer)

    # What is shown

    def rows(self) -> list[tuple[ROW, Call | None]]:
        """Everything that is set, the show's first; with the default keys if they are wanted."""
        state = self._bridge.state
        rows: list[tuple[ROW, Call | None]] = []
        for owner, shortcuts in (("show", state.show.shortcuts), ("desk", state.desk.shortcuts)):
            rows += [((s.control, s.layer, s.how, owner), s.call) for s in shortcuts]
        if self.given.isChecked() or (self.chosen is not None and self.chosen[3] == GIVEN):
            own = {(r[0], r[1], r[2]) for r, _ in rows}
            known = self._bridge.controls.shortcuts.controls()
            rows += [((c, x, h, GIVEN), call) for c, x, h, call in known if (c, x, h) not in own]
        return rows

    def refresh(self) -> None:
        state = self._bridge.state
        rows = self.rows()
        wanted, made = self.search.text().lower().split(), []
        for row, call in rows:
            words = row_words(state, row, call)
            if all(word in words.lower() for word in wanted):
                trouble = call is not None and broken(state.show, call)
                ink = look.WRONG if trouble else look.SOFT if row[3] == GIVEN else None
                made.append(ListRow(key_of(row), words, ink, trouble or ""))
        if not made:
            made = [
                ListRow("", "Nothing of its own yet. Press “Find by pressing”, then the key that is to do something.")
            ]
        self.list.fill(made, key_of(self.chosen) if self.chosen is not None else None)
        self.press.setChecked(self.finder.finding)
        self.press.setText("Press it now …" if self.finder.finding else "Find by pressing")
        self.long.show_text(f"{state.show.times.long_s:g}")
        self._show_drawn()
        self._fill(state, dict(rows))

    def _show_drawn(self) -> None:
        """The drawings, with what is selected in them."""
        control = self.chosen[0] if self.chosen is not None else ""
        self.keyboard.chosen = control.removeprefix("key ")
        for drawn in self.surfaces.values():
            drawn.chosen = control
        drawn_now = self._stack.current
        now = (id(drawn_now), control, self.keyboard.layer, self._bridge.state.show, self._bridge.state.desk)
        if now != self._drawn:
            self._drawn = now
            drawn_now.update()

    def _fill(self, state: LiveState, rows: dict[ROW, Call | None]) -> None:
        if self.chosen is not None and self.chosen not in rows and not self.pending:
            self.chosen = None
        row = self.chosen
        on = row is not None
        for part in (self.call, self._form, self.silence, self.remove):
            part.setVisible(on)
        for part in (self._times, self.starters):
            part.setVisible(not on)
        if row is None:
            self.said.setText("Press a key of the drawing, or find one by pressing it.")
            self.note.setText("While you type in a field, no key of the show fires.")
            return
        control, layer, how, owner = row
        self.said.setText(control_words(control))
        self.call.show_call(rows.get(row))
        self.how.show_value(str(how))
        self.layer.show_text(layer)
        self.owner.show_value("show" if owner == GIVEN else owner)
        self.remove.setEnabled(owner != GIVEN and row in rows)
        self.note.setText(self._conflict(state, row))

    def _conflict(self, state: LiveState, row: ROW) -> str:
        """What else the same press does, or would do without it."""
        control, layer, how, owner = row
        said = []
        if owner == GIVEN:
            said.append("A default key. Choosing something else for it makes a shortcut of this show.")
        same = [
            ("this show", state.show.shortcuts, "show"),
            ("this desk", state.desk.shortcuts, "desk"),
        ]
        for words, shortcuts, other in same:
            found = next((s for s in shortcuts if s.place == (control, how, layer)), None)
            if found is not None and other != owner and owner != GIVEN:
                does = call_words(state, found.call) if found.call is not None else "does nothing"
                wins = "lies over this one" if owner == "desk" else "is hidden by this one"
                said.append(f"Conflict: in {words} it is “{does}”, which {wins}.")
        default = self._default(control) if how is How.PRESS and not layer and owner != GIVEN else None
        if default is not None:
            said.append(f"In place of the default: {call_words(state, default)}.")
        ways = {h for c, x, h, _ in self._bridge.controls.shortcuts.controls() if (c, x) == (control, layer)}
        if How.PRESS in ways and ways & {How.LONG, How.DOUBLE}:
            said.append("It has more than a press, so its press waits until it is clear which was meant.")
        return " ".join(said)

    def _default(self, control: str) -> Call | None:
        found = CATALOGUE.keys.get(control.removeprefix("key "))
        return Call(action=found[0].id, arguments=dict(found[1])) if found is not None else None

    # What is chosen

    def _chosen(self, key: str) -> None:
        control, layer, how, owner = key.split("\n")
        self.chosen, self.pending = (control, layer, How(how), owner), ""
        self.refresh()

    def _find(self) -> None:
        self.finder.find(not self.finder.finding)
        self.refresh()

    def _found(self, control: str) -> None:
        self._find()
        self.search.clear()
        self.open_at(control)

    def open_at(self, control: str) -> None:
        """A control, such as “key Ctrl+K”, whether it does anything yet or not."""
        state = self._bridge.state
        for owner, shortcuts in (("show", state.show.shortcuts), ("desk", state.desk.shortcuts)):
            found = next((s for s in shortcuts if s.control == control), None)
            if found is not None:
                self.chosen, self.pending = (control, found.layer, found.how, owner), ""
                self.refresh()
                return
        given = self._default(control) is not None
        self.pending = "" if given else control
        self.chosen = (control, "", How.PRESS, GIVEN if given else "show")
        self.refresh()

    def hideEvent(self, event: QHideEvent) -> None:
        self.finder.find(False)

    # What is asked

    def _ask(self, action_id: str, **arguments: object) -> None:
        if self.chosen is not None:
            control, layer, how, owner = self.chosen
            place = {"control": control, "layer": layer, "how": str(how)}
            self._bridge.act(action_id, **place, owner="show" if owner == GIVEN else owner, **arguments)

    def _call_changed(self, call: Call | None) -> None:
        if self.chosen is None or call is None:
            return
        self._ask("shortcut.set", action=call.action, arguments=call.arguments, follows=_follows(call))
        control, layer, how, owner = self.chosen
        self.chosen, self.pending = (control, layer, how, "show" if owner == GIVEN else owner), ""

    def _silence(self) -> None:
        self._ask("shortcut.set")
        if self.chosen is not None:
            control, layer, how, owner = self.chosen
            self.chosen, self.pending = (control, layer, how, "show" if owner == GIVEN else owner), ""

    def _remove(self) -> None:
        self._ask("shortcut.remove")
        self.chosen = None

    def _again(self, how: How, layer: str) -> None:
        """The same, pressed in another way or in another layer."""
        row = self.chosen
        if row is None:
            return
        call = dict(self.rows()).get(row)
        if row[3] != GIVEN and row in dict(self.rows()):
            self._ask("shortcut.remove")
        self.chosen = (row[0], layer, how, "show" if row[3] == GIVEN else row[3])
        if call is not None:
            self._ask("shortcut.set", action=call.action, arguments=call.arguments, follows=_follows(call))
        else:
            self.pending = row[0]
            self.refresh()

    def _how(self, value: str) -> None:
        if self.chosen is not None:
            self._again(How(value), self.chosen[1])

    def _layer(self, text: str) -> None:
        if self.chosen is not None:
            self._again(self.chosen[2], text.strip()[:40])

    def _give(self, owner: str) -> None:
        row = self.chosen
        if row is None or row[3] == owner:
            return
        if row in dict(self.rows()) and row[3] != GIVEN:
            self._ask("shortcut.give", to=owner)
        self.chosen = (row[0], row[1], row[2], owner)

    def _long(self, text: str) -> None:
        try:
            self._bridge.act("shortcuts.times", long_s=float(text.replace(",", ".")))
        except ValueError:
            self.refresh()

    def _bring(self) -> None:
        ask_to_open(self._bridge, self, "Import shortcuts", SHORTCUTS, self.bring_in)

    def bring_in(self, path: Path) -> None:
        try:
            shortcuts = read_shortcuts(path)
        except LocalFault as fault:
            self._bridge.noticed.emit(Notice(str(fault), Severity.FAULT))
            return
        if shortcuts:
            self._bridge.act("shortcuts.import", shortcuts=[s.model_dump(mode="json") for s in shortcuts])

    def _write(self) -> None:
        ask_to_save(self._bridge, self, "Export shortcuts", "shortcuts.json", SHORTCUTS, self.write_out)

    def write_out(self, path: Path) -> None:
        shortcuts: tuple[Shortcut, ...] = (*self._bridge.state.show.shortcuts, *self._bridge.state.desk.shortcuts)

        def work() -> str:
            write_shortcuts(path, tuple({s.place: s for s in reversed(shortcuts)}.values()))
            return f"Wrote {len(shortcuts)} shortcuts to {path.name}."

        self._bridge.transfers.write(work)

    def _sheet(self) -> None:
        ask_to_save(self._bridge, self, "Write the key sheet", "keys.pdf", "PDF (*.pdf)", self.write_sheet)

    def write_sheet(self, path: Path) -> None:
        state = self._bridge.state
        rows = [
            (
                control_words(c) + ("" if h is How.PRESS else f" ({h})") + (f" [{x}]" if x else ""),
                call_words(state, call),
            )
            for c, x, h, call in self._bridge.controls.shortcuts.controls()
            if call is not None
        ]
        title = state.show.title
        self._bridge.transfers.write(lambda: write_sheet(path, title, rows))


def _follows(call: Call) -> str:
    return "item" if call.items else "position"
