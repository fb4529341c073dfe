"""Messages: where they go, how they come in, and what has come and gone, with its answer."""

from functools import partial

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.base.spans import span_words
from ribalta.core.engine.actions.automation.sending import VARIABLES
from ribalta.core.show.automation.calls import Call, Kind
from ribalta.core.show.automation.triggers_pads_shortcuts import Destination, Wire
from ribalta.core.show.document.uses import used_words
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.action_chooser import CallEditor
from ribalta.desk.widgets.fields import Choice, Field, Form, button, heading, label
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.widgets.lists.several import Several
from ribalta.desk.widgets.palette import Palette

WIRES = {
    Wire.OSC: "OSC, over UDP",
    Wire.HTTP: "HTTP request",
    Wire.TCP: "text over TCP",
    Wire.UDP: "text over UDP",
    Wire.MIDI: "MIDI",
}
EMPTY = "No destinations yet. Make one with New: a lighting desk, a player, another Ribalta."
PORTS = ("osc_port", "http_port", "tcp_port", "udp_port")


class MessagesPage(QWidget):
    def __init__(self, bridge: Bridge, palette: Palette) -> None:
        super().__init__()
        self._bridge = bridge
        self.destination_id: str | None = next((d.id for d in bridge.state.show.destinations), None)
        self._known = {d.id for d in bridge.state.show.destinations}
        self._trials: dict[str, Call] = {}
        self.list = Listing("Destinations", self.choose)
        self.new = button("Add", lambda: bridge.act("destination.add"))
        self.remove = button("Remove", lambda: self._ask("destination.remove"))
        self.name = Field("The destination's name", lambda text: self._change(name=text))
        self.wire = Choice("How", {str(w): words for w, words in WIRES.items()}, lambda v: self._change(wire=v))
        self.host = Field("Address", lambda text: self._change(host=text.strip()), "A name, or 192.168.1.20")
        self.midi = Choice("MIDI port", {}, lambda value: self._change(host=value))
        self.port = Field("Port", partial(self._number, "port"))
        self.timeout = Field("Seconds to wait for an answer", partial(self._number, "timeout_s"))
        self.message = CallEditor(bridge, palette, "What is sent")
        self.message.choose.hide()
        self.message.changed.connect(self._typed)
        self.attempt = button("Try it", self._try, "Send this now, and see what is answered")
        self.used = label("", soft=True, wrap=True)
        self.lines = Listing("What came and went", lambda _: None)
        self.switches = {n: QCheckBox(w) for n, w in (("osc", "OSC"), ("http", "HTTP"))}
        for name, box in self.switches.items():
            box.clicked.connect(lambda on, name=name: self._listen(**{name: on}))
        self.ports = {name: Field(f"Port for {name[:-5].upper()}", partial(self._port, name)) for name in PORTS}
        self.beyond = QCheckBox("From other machines too, with the token")
        self.beyond.clicked.connect(lambda on: self._listen(beyond=on))
        self.token = Field("Token")
        self.token.setReadOnly(True)
        self.heard = label("", soft=True, wrap=True)
        self._rows: dict[str, QWidget] = {}
        self.list.offer(self.attempt, self.new, remove=self.remove, several=_several(bridge))
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(heading("Out"))
        left.addWidget(self.list, 1)
        line = QHBoxLayout()
        line.addWidget(self.new)
        line.addWidget(self.remove)
        left.addLayout(line)
        left.addWidget(self.used)
        self._middle = QWidget()
        middle = QVBoxLayout(self._middle)
        middle.setContentsMargins(0, 0, 0, 0)
        form_widget = QWidget()
        form = Form(form_widget)
        form.add("Name", self.name)
        form.add("How", self.wire)
        middle.addWidget(form_widget)
        for key, words, part in (
            ("host", "Address", self.host),
            ("midi", "MIDI port", self.midi),
            ("port", "Port", self.port),
            ("timeout", "Seconds", self.timeout),
        ):
            row = QWidget()
            form = Form(row)
            form.setContentsMargins(0, 0, 0, 0)
            form.add(words, part)
            form.setColumnMinimumWidth(0, 70)
            self._rows[key] = row
            middle.addWidget(row)
        middle.addWidget(heading("A message to try"))
        middle.addWidget(self.message)
        words = ", ".join(f"{{{name}}}" for name in VARIABLES)
        middle.addWidget(label(f"Words in braces become what is on air: {words}.", soft=True, wrap=True))
        middle.addWidget(self.attempt)
        middle.addStretch(1)
        right = QVBoxLayout()
        right.addWidget(heading("In"))
        box = QWidget()
        form = Form(box)
        form.add("", self.switches["osc"], "Port", self.ports["osc_port"])
        form.add("", self.switches["http"], "Port", self.ports["http_port"])
        form.add("Lines, TCP", self.ports["tcp_port"], "UDP", self.ports["udp_port"])
        form.add_whole(self.beyond)
        form.add("Token", self.token)
        right.addWidget(box)
        right.addWidget(self.heard)
        right.addWidget(heading("What came and went"))
        right.addWidget(self.lines, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(12)
        whole.addLayout(left, 22)
        whole.addWidget(self._middle, 34)
        whole.addLayout(right, 44)

    # What is shown

    @property
    def destination(self) -> Destination | None:
        return self._bridge.state.show.destination(self.destination_id or "")

    def choose(self, destination_id: str) -> None:
        self.destination_id = destination_id
        self.refresh()

    def refresh(self) -> None:
        state = self._bridge.state
        fresh = [d.id for d in state.show.destinations if d.id not in self._known]
        self._known = {d.id for d in state.show.destinations}
        if fresh:
            self.destination_id = fresh[-1]
        if self.destination is None:
            self.destination_id = state.show.destinations[0].id if state.show.destinations else None
        to = self.destination
        rows = [ListRow(d.id, f"{d.name}   {str(d.wire).upper()}") for d in state.show.destinations]
        self.list.fill(rows, self.destination_id)
        self.remove.setEnabled(to is not None)
        self._middle.setVisible(to is not None)
        used = used_words(state.show, Kind.DESTINATION, to.id) if to is not None else EMPTY
        self.used.setText(used or "Used by nothing yet.")
        if to is not None:
            self._fill(to)
        self._fill_incoming()
        self._fill_lines()

    def _fill(self, to: Destination) -> None:
        self.name.show_text(to.name, to)
        self.wire.show_value(str(to.wire))
        midi = to.wire is Wire.MIDI
        for key, on in (("host", not midi), ("midi", midi), ("port", not midi), ("timeout", not midi)):
            self._rows[key].setVisible(on)
        self.host.show_text(to.host, to)
        self.port.show_text(str(to.port), to)
        self.timeout.show_text(f"{to.timeout_s:g}", to)
        names = self._bridge.messages.midi_names[1]
        self.midi.offer({"": "choose a port"} | {name: name for name in dict.fromkeys((*names, to.host))})
        self.midi.show_value(to.host)
        call = self._trials.get(to.id)
        if call is None:
            plain = {"osc": {"address": "/hello"}, "http": {"address": "/"}, "midi": {}}
            given = plain.get(str(to.wire), {"text": "hello"})
            call = self._trials[to.id] = Call(action="message.send", arguments={"destination": to.id, **given})
        self.message.show_call(call)
        fits = {
            Wire.OSC: ("address", "arguments"),
            Wire.HTTP: ("method", "address", "text"),
            Wire.TCP: ("text", "bytes"),
            Wire.UDP: ("text", "bytes"),
            Wire.MIDI: ("midi", "channel", "number", "value"),
        }[to.wire]
        self.message.show_only(fits)

    def _fill_incoming(self) -> None:
        listening, messages = self._bridge.state.show.listening, self._bridge.messages
        for name, box in self.switches.items():
            box.setChecked(getattr(listening, name))
        for name, part in self.ports.items():
            value = getattr(listening, name)
            part.show_text(str(value) if value else "")
            part.setPlaceholderText("off")
        self.beyond.setChecked(listening.beyond)
        self.token.show_text(messages.token() if listening.beyond else "")
        inputs = messages.midi_names[0]
        midi = f"MIDI from {', '.join(inputs)}." if inputs else messages.midi_trouble
        self.heard.setText(" ".join([*messages.troubles.values(), midi]))

    def _fill_lines(self) -> None:
        now_s, rows = self._bridge.now_s, []
        for k, line in enumerate(reversed(self._bridge.messages.lines)):
            arrow = "→" if line.way == "out" else "←"
            times = f" ×{line.times}" if line.times > 1 else ""
            answer = f"   {line.answer}" if line.answer else ""
            words = f"{span_words(now_s - line.at_s)}  {arrow} {line.who}: {line.words}{times}{answer}"
            rows.append(ListRow(str(k), words, look.WRONG if line.failed else None))
            if k >= 100:
                break
        self.lines.fill(rows or [ListRow("", "Nothing has come or gone yet.")], None)

    # What is asked

    def _ask(self, action: str, **arguments: object) -> None:
        if self.destination_id is not None:
            self._bridge.act(action, destination=self.destination_id, **arguments)

    def _change(self, **changes: object) -> None:
        if "wire" in changes and self.destination_id is not None:
            self._trials.pop(self.destination_id, None)
        self._ask("destination.change", **changes)

    def _number(self, name: str, text: str) -> None:
        try:
            self._change(**{name: float(text.replace(",", ".")) if name == "timeout_s" else int(text)})
        except ValueError:
            self.refresh()

    def _listen(self, **changes: object) -> None:
        self._bridge.act("messages.listen", **changes)

    def _port(self, name: str, text: str) -> None:
        try:
            self._listen(**{name: int(text or 0)})
        except ValueError:
            self.refresh()

    def _typed(self, call: Call | None) -> None:
        if call is not None and self.destination_id is not None:
            self._trials[self.destination_id] = call

    def _try(self) -> None:
        call = self._trials.get(self.destination_id or "")
        if call is not None:
            self._bridge.call(call, "try")


def _several(bridge: Bridge) -> Several:
    """Destinations are removed together; they are not copied."""
    remove = lambda key: Call(action="destination.remove", arguments={"destination": key})  # noqa: E731
    return Several(bridge, ("destination", "destinations"), remove)
