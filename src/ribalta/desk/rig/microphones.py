"""Microphones and sound devices: where the sound of each comes from, chosen from what there is, with its live level."""

import contextlib

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from ribalta.core.show.document.sound import Microphone
from ribalta.desk.bridge import Bridge
from ribalta.desk.widgets.fields import Choice, Field, button, label
from ribalta.desk.widgets.level_bar import LevelBar

HEADS = ("", "Name", "Comes from", "Address", "Channel", "Delay, s", "Level, dBFS", "")
NETWORK, NOTHING = "rtp://", ""
EMPTY = "No microphones yet. Add one, then choose the device that its sound comes from."
NO_DEVICES = "This machine has no sound devices: microphones come over the network."


def source_of(address: str) -> str:
    """The value of its device in the list: the address of a device, NETWORK, or NOTHING."""
    return NETWORK if address.startswith(NETWORK) else address


class MicrophoneLine:
    """The parts of one microphone."""

    def __init__(self, bridge: Bridge, mic: Microphone) -> None:
        self._bridge, self.number, self.id = bridge, mic.number, mic.id
        self.head = label(str(mic.number))
        self.name = Field(f"Name of microphone {mic.number}", lambda text: self._change(name=text))
        self.device = Choice(f"Where microphone {mic.number} comes from", {}, self._choose)
        self.address = Field("Address and port", self._address, "host:port of a sender (RTP, L16, 48 kHz)")
        self.address.setPlaceholderText("192.168.1.30:5004")
        self.channel = Field("Channel", self._channel, "From 1")
        self.delay = Field("Delay in seconds, to match the picture", self._delay)
        self.bar = LevelBar(bridge, mic.id)
        self.remove = button("Remove", lambda: bridge.act("mic.remove", mic=self.number))
        self._wants_network = False  # it was chosen, and there is no address yet

    @property
    def parts(self) -> tuple[QWidget, ...]:
        return self.head, self.name, self.device, self.address, self.channel, self.delay, self.bar, self.remove

    def refresh(self, mic: Microphone, inputs: list[str]) -> None:
        self.name.show_text(mic.name, mic)
        words = {NOTHING: "nothing yet"} | {f"device:{name}": name for name in inputs} | {NETWORK: "the network"}
        source = source_of(mic.address)
        if source not in words:
            words[source] = f"{source.removeprefix('device:')} (not here)"
        self.device.offer(words)
        network = source == NETWORK or self._wants_network
        self.device.show_value(NETWORK if network else source)
        self.address.setVisible(network)
        self.address.show_text(mic.address.removeprefix(NETWORK) if source == NETWORK else "", mic)
        self.channel.show_text(str(mic.channel), mic)
        self.delay.show_text(f"{mic.delay_s:g}", mic)
        trouble = self._bridge.media.heard.troubles.get(mic.id, "")
        self.bar.setToolTip(trouble)
        self.head.setText(f"! {mic.number}" if trouble else str(mic.number))
        self.head.setToolTip(trouble)

    def _choose(self, source: str) -> None:
        self._wants_network = source == NETWORK
        if source == NETWORK:
            self.address.show()
            self.address.setFocus()
        else:
            self._change(address=source)

    def _address(self, text: str) -> None:
        self._wants_network = False
        self._change(address=f"{NETWORK}{text.strip().removeprefix(NETWORK)}" if text.strip() else "")

    def _channel(self, text: str) -> None:
        self._number("channel", text, int)

    def _delay(self, text: str) -> None:
        self._number("delay_s", text.replace(",", "."), float)

    def _number(self, name: str, text: str, kind: type[int] | type[float]) -> None:
        value: object = text
        with contextlib.suppress(ValueError):  # the action says what is wrong with it
            value = kind(text)
        self._change(**{name: value})

    def _change(self, **changes: object) -> None:
        self._bridge.act("mic.change", mic=self.number, **changes)


class MicrophonesPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.lines: list[MicrophoneLine] = []
        self._ids: tuple[str, ...] = ()
        self._inputs: list[str] = []
        self._address_head = label()
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.add = button("Add microphone", lambda: bridge.act("mic.add"))
        self.look_again = button("Look again", self._look, "For devices that were plugged in since")
        self.phones = Choice("Headphones", {}, lambda value: bridge.act("sound.headphones", device=value))
        self.talkback = Choice("Microphone to talk to guests with", {"": "none"}, self._talk_with)
        self.talkback.setToolTip("Held Ctrl+T talks to the guests with it. Program never has it.")
        self.devices = label("", soft=True, wrap=True)
        line = QHBoxLayout()
        line.addWidget(self.add)
        line.addWidget(self.look_again)
        line.addWidget(label("Listen on", soft=True))
        line.addWidget(self.phones)
        line.addWidget(label("Talk to guests with", soft=True))
        line.addWidget(self.talkback)
        line.addWidget(self.devices, 1)
        line.addWidget(button("Faders and who opens with what", lambda: bridge.place_wanted.emit("Cue", "Microphones")))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.addWidget(self._scroll, 1)
        column.addLayout(line)
        self._look()
        self.refresh()

    def _look(self) -> None:
        self._inputs, outputs = self._bridge.media.sound_devices()
        self.phones.offer({"": "nowhere"} | {name: name for name in outputs})
        self.devices.setText("" if outputs or self._inputs else NO_DEVICES)

    def refresh(self) -> None:
        show = self._bridge.state.show
        mics = sorted(show.microphones, key=lambda m: m.number)
        if tuple(m.id for m in mics) != self._ids or self._scroll.widget() is None:
            self._ids = tuple(m.id for m in mics)
            self._make(mics)
        for line, mic in zip(self.lines, mics, strict=True):
            line.refresh(mic, self._inputs)
        self._address_head.setVisible(any(line.address.isVisibleTo(self) for line in self.lines))
        self.phones.show_value(show.sound.headphones)
        self.talkback.offer({"": "none"} | {str(m.number): f"{m.number} {m.name}" for m in mics})
        talkback = show.microphone(show.sound.talkback_id)
        self.talkback.show_value(str(talkback.number) if talkback is not None else "")

    def _talk_with(self, number: str) -> None:
        self._bridge.act("sound.talkback", mic=int(number) if number else None)

    def _make(self, mics: list[Microphone]) -> None:
        inside = QWidget()
        grid = QGridLayout(inside)
        grid.setContentsMargins(0, 0, 8, 0)
        grid.setHorizontalSpacing(8)
        self.lines = [MicrophoneLine(self._bridge, mic) for mic in mics]
        heads = [label(words, soft=True) for words in HEADS]
        for column, head in enumerate(heads):
            grid.addWidget(head, 0, column)
        self._address_head = heads[HEADS.index("Address")]
        for row, line in enumerate(self.lines, 1):
            for column, part in enumerate(line.parts):
                grid.addWidget(part, row, column)
        if not mics:
            grid.addWidget(label(EMPTY, soft=True), 1, 0, 1, len(HEADS), Qt.AlignmentFlag.AlignTop)
        grid.setRowStretch(len(mics) + 2, 1)
        for column, stretch in ((1, 3), (2, 4), (3, 3), (4, 1), (5, 1), (6, 4)):
            grid.setColumnStretch(column, stretch)
        self._scroll.setWidget(inside)
