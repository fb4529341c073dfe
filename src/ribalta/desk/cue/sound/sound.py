"""Sound: a line for each microphone with its fader and its real level, and the whole below."""

import contextlib

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QScrollArea, QSlider, QVBoxLayout, QWidget

from ribalta.core.engine.program.open_microphones import is_open
from ribalta.core.show.document.sound import HIGHEST_DB, LOWEST_DB, Microphone
from ribalta.core.sound.levels import Level, dbfs
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Choice, Field, button, label
from ribalta.desk.widgets.meter import meter

STEPS = 2  # of the slider in a decibel
HEADS = ("", "Name", "Fader", "", "Level, dBFS", "", "", "Follows", "Cameras", "Delay, s", "Comes from")


def fader_words(db: float) -> str:
    return "off" if db <= LOWEST_DB else f"{db:+.1f}"


class LiveBar(QWidget):
    """Painted anew at every other tick. `of` is a microphone's id, or empty for the whole."""

    def __init__(self, bridge: Bridge, of: str) -> None:
        super().__init__()
        self._bridge, self._of, self._ticks = bridge, of, 0
        self.setMinimumSize(120, 18)
        bridge.tick.connect(self._tick)

    def _tick(self) -> None:
        self._ticks += 1
        if self._ticks % 2 == 0 and self.isVisible():
            self.update()


class Bar(LiveBar):
    """A level."""

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        heard = self._bridge.media.heard
        level = heard.levels.get(self._of, Level()) if self._of else heard.master
        live = not self._of or heard.gains.get(self._of, 0.0) > 0
        meter(painter, QRectF(0, 2, self.width() - 44, self.height() - 4), level, live, vertical=False)
        painter.setFont(look.font(12, narrow=True))
        painter.setPen(look.SOFT)
        said = "silent" if level.silent else f"{level.hold_db:.0f}"
        area = QRectF(self.width() - 42, 0, 42, self.height())
        painter.drawText(area, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, said)


class MicrophoneRow:
    """The parts of one microphone's line."""

    def __init__(self, bridge: Bridge, mic: Microphone) -> None:
        self._bridge, self.number, self.id = bridge, mic.number, mic.id
        self.name = Field(f"Name of microphone {mic.number}", lambda text: self._change(name=text))
        self.fader = QSlider(Qt.Orientation.Horizontal)
        self.fader.setRange(int(LOWEST_DB * STEPS), int(HIGHEST_DB * STEPS))
        self.fader.setPageStep(3 * STEPS)
        self.fader.setMinimumWidth(110)
        self.fader.setAccessibleName(f"Fader of microphone {mic.number}")
        self.fader.valueChanged.connect(self._moved)
        self.db = label("")
        self.db.setMinimumWidth(look.scaled(66))
        self.bar = Bar(bridge, mic.id)
        self.mute = button("Mute", lambda: bridge.act("mic.mute", mic=self.number))
        self.solo = button("Solo", lambda: bridge.act("mic.solo", mic=self.number), "In the headphones, alone")
        for part in (self.mute, self.solo):
            part.setCheckable(True)
            part.setObjectName("mark")
        self.follows = QCheckBox()
        self.follows.setAccessibleName(f"Microphone {mic.number} follows its cameras")
        self.follows.setToolTip("Opens while one of these cameras, or a framing of its mark, is on air")
        self.follows.clicked.connect(lambda on: self._change(follows=on))
        self.cameras = Field("Numbers of the cameras it follows", self._cameras)
        self.delay = Field("Delay in seconds, to match the picture", self._delay)
        self.source = Field("rtp://host:port, or device:name", lambda text: self._change(address=text))

    @property
    def parts(self) -> tuple[QWidget, ...]:
        return (
            label(str(self.number)),
            self.name,
            self.fader,
            self.db,
            self.bar,
            self.mute,
            self.solo,
            self.follows,
            self.cameras,
            self.delay,
            self.source,
        )

    def refresh(self, mic: Microphone) -> None:
        state, heard = self._bridge.state, self._bridge.media.heard
        strip = state.strip(mic.id)
        self.name.show_text(mic.name, mic)
        self.fader.blockSignals(True)
        if not self.fader.isSliderDown():
            self.fader.setValue(round(strip.gain_db * STEPS))
        self.fader.blockSignals(False)
        real = dbfs(heard.gains.get(mic.id, 0.0))
        moving = is_open(state, mic) and abs(real - strip.gain_db) > 0.6 and strip.gain_db > LOWEST_DB
        closed = "" if is_open(state, mic) else " closed"
        self.db.setText(f"{fader_words(strip.gain_db)}{' …' if moving else closed}")
        self.mute.setChecked(strip.muted)
        self.solo.setChecked(strip.solo)
        self.follows.setChecked(mic.follows)
        numbers = [c.number for i in mic.camera_ids if (c := state.show.camera(i)) is not None]
        self.cameras.show_text(", ".join(map(str, numbers)))
        self.delay.show_text(f"{mic.delay_s:g}", mic)
        self.source.show_text(mic.address, mic)
        trouble = heard.troubles.get(mic.id)
        self.source.setToolTip(trouble or f"{mic.address}, channel {mic.channel}")

    def _moved(self, value: int) -> None:
        self._bridge.act("mic.gain", mic=self.number, db=value / STEPS)

    def _change(self, **changes: object) -> None:
        self._bridge.act("mic.change", mic=self.number, **changes)

    def _cameras(self, text: str) -> None:
        numbers = [int(part) for part in text.replace(",", " ").split() if part.isdigit()]
        self._change(cameras=numbers)

    def _delay(self, text: str) -> None:
        value: object = text
        with contextlib.suppress(ValueError):  # the action says what is wrong with it
            value = float(text.replace(",", "."))
        self._change(delay_s=value)


class SoundPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.lines: list[MicrophoneRow] = []
        self._ids: tuple[str, ...] = ()
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.master = QSlider(Qt.Orientation.Horizontal)
        self.master.setRange(int(LOWEST_DB * STEPS), int(HIGHEST_DB * STEPS))
        self.master.setAccessibleName("Master fader")
        self.master.valueChanged.connect(lambda value: bridge.act("mic.master", db=value / STEPS))
        self.master_db = label("")
        self.master_bar = Bar(bridge, "")
        self.loudness = label("")
        self.loudness.setFont(look.font(20, look.BOLD))
        self.add = button("Add microphone", lambda: bridge.act("mic.add"))
        inputs, outputs = bridge.media.sound_devices()
        words = {"": "nowhere"} | {name: name for name in outputs}
        self.phones = Choice("Headphones", words, lambda value: bridge.act("sound.headphones", device=value))
        none = "" if outputs or inputs else "This machine has no sound devices: microphones come over the network."
        self.devices = label(none, soft=True, wrap=True)
        bottom = QGridLayout()
        bottom.addWidget(label("All together"), 0, 0)
        bottom.addWidget(self.master, 0, 1)
        bottom.addWidget(self.master_db, 0, 2)
        bottom.addWidget(self.master_bar, 0, 3)
        bottom.addWidget(self.loudness, 0, 4)
        bottom.setColumnStretch(1, 2)
        bottom.setColumnStretch(3, 3)
        line = QHBoxLayout()
        line.addWidget(self.add)
        line.addWidget(label("Listen on", soft=True))
        line.addWidget(self.phones)
        line.addWidget(self.devices, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.addWidget(self._scroll, 1)
        column.addLayout(bottom)
        column.addLayout(line)
        self.refresh()

    def refresh(self) -> None:
        state = self._bridge.state
        mics = sorted(state.show.microphones, key=lambda m: m.number)
        if tuple(m.id for m in mics) != self._ids or self._scroll.widget() is None:
            self._ids = tuple(m.id for m in mics)
            self._make(mics)
        for line, mic in zip(self.lines, mics, strict=True):
            line.refresh(mic)
        self.master.blockSignals(True)
        if not self.master.isSliderDown():
            self.master.setValue(round(state.sound.master_db * STEPS))
        self.master.blockSignals(False)
        heard = self._bridge.media.heard
        held = f" · limiter {heard.reduced_db:.0f} dB" if heard.reduced_db > 0.5 else ""
        self.master_db.setText(fader_words(state.sound.master_db))
        loud = "silent" if heard.loudness <= -69 else f"{heard.loudness:.0f} LUFS"
        self.loudness.setText(f"{loud}{held}")
        self.phones.show_value(state.show.sound.headphones)

    def _make(self, mics: list[Microphone]) -> None:
        inside = QWidget()
        grid = QGridLayout(inside)
        grid.setContentsMargins(0, 0, 8, 0)
        grid.setHorizontalSpacing(8)
        self.lines = [MicrophoneRow(self._bridge, mic) for mic in mics]
        for column, words in enumerate(HEADS):
            grid.addWidget(label(words, soft=True), 0, column)
        for row, line in enumerate(self.lines, 1):
            for column, part in enumerate(line.parts):
                grid.addWidget(part, row, column)
        if not mics:
            grid.addWidget(label("No microphones yet. Add one, then say where its sound comes from."), 1, 0, 1, 8)
        grid.setRowStretch(len(mics) + 2, 1)
        for column, stretch in ((1, 2), (2, 3), (4, 4), (8, 1), (9, 1), (10, 2)):
            grid.setColumnStretch(column, stretch)
        self._scroll.setWidget(inside)
