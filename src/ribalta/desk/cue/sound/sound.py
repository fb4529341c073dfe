"""Microphones: a strip for each, with its fader and real level, the cameras that it opens with, and whose it is."""

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from ribalta.core.engine.program.open_microphones import is_open
from ribalta.core.show.document.sound import HIGHEST_DB, LOWEST_DB, Microphone
from ribalta.core.sound.levels import dbfs
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Choice, Field, button, label
from ribalta.desk.widgets.level_bar import LevelBar

STEPS = 2  # of the slider in a decibel
WIDE, CHIPS = 134, 4  # a strip; chips beside each other
EMPTY = "No microphones yet. Add them in Rig (F2), under Microphones, where each says which device it is."


def fader_words(db: float) -> str:
    return "off" if db <= LOWEST_DB else f"{db:+.1f} dB"


def device_words(address: str) -> str:
    """Where its sound comes from, in a word or two."""
    kind, _, rest = address.partition(":")
    return rest if kind == "device" else rest.removeprefix("//") if kind == "rtp" else "no device yet"


class MicrophoneStrip(QFrame):
    """One microphone."""

    def __init__(self, bridge: Bridge, mic: Microphone) -> None:
        super().__init__()
        self._bridge, self.number, self.id = bridge, mic.number, mic.id
        self.setObjectName("card")
        self.setFixedWidth(look.scaled(WIDE))
        self.name = Field(f"Name of microphone {mic.number}", lambda text: self._change(name=text))
        self.device = label("", soft=True)
        self.fader = QSlider(Qt.Orientation.Vertical)
        self.fader.setRange(int(LOWEST_DB * STEPS), int(HIGHEST_DB * STEPS))
        self.fader.setPageStep(3 * STEPS)
        self.fader.setAccessibleName(f"Fader of microphone {mic.number}")
        self.fader.valueChanged.connect(lambda value: bridge.act("mic.gain", mic=self.number, db=value / STEPS))
        self.db = label("")
        self.mute = button("Mute", lambda: bridge.act("mic.mute", mic=self.number))
        self.solo = button("Solo", lambda: bridge.act("mic.solo", mic=self.number), "In the headphones, alone")
        for part in (self.mute, self.solo):
            part.setCheckable(True)
            part.setObjectName("mark")
        self.follows = QCheckBox("Opens with")
        self.follows.setAccessibleName(f"Microphone {mic.number} opens with its cameras")
        self.follows.setToolTip("Opens while one of these cameras, or a framing of its mark, is on air")
        self.follows.clicked.connect(lambda on: self._change(follows=on))
        self.chips: dict[int, QPushButton] = {}
        self._chip_grid = QGridLayout()
        self._chip_grid.setSpacing(3)
        self.mark = Choice(f"Whose microphone {mic.number} is", {}, lambda mark_id: self._change(mark=mark_id))
        self._lay_out(bridge, mic)

    def _lay_out(self, bridge: Bridge, mic: Microphone) -> None:
        head = QHBoxLayout()
        head.addWidget(label(str(mic.number)))
        head.addWidget(self.name, 1)
        middle = QHBoxLayout()
        middle.addStretch(1)
        middle.addWidget(self.fader)
        middle.addWidget(LevelBar(bridge, mic.id, upright=True))
        middle.addStretch(1)
        switches = QHBoxLayout()
        switches.addWidget(self.mute)
        switches.addWidget(self.solo)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.setSpacing(5)
        column.addLayout(head)
        column.addWidget(self.device)
        column.addLayout(middle, 1)
        column.addWidget(self.db, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addLayout(switches)
        column.addWidget(self.follows)
        column.addLayout(self._chip_grid)
        column.addWidget(label("Whose", soft=True))
        column.addWidget(self.mark)

    def refresh(self, mic: Microphone) -> None:
        state, heard = self._bridge.state, self._bridge.media.heard
        strip = state.strip(mic.id)
        self.name.show_text(mic.name, mic)
        trouble = heard.troubles.get(mic.id)
        said = f"! {device_words(mic.address)}" if trouble else device_words(mic.address)
        self.device.setText(self.device.fontMetrics().elidedText(said, Qt.TextElideMode.ElideMiddle, self.width() - 20))
        self.device.setToolTip(trouble or f"{mic.address}, channel {mic.channel}: it is chosen in Rig")
        self.fader.blockSignals(True)
        if not self.fader.isSliderDown():
            self.fader.setValue(round(strip.gain_db * STEPS))
        self.fader.blockSignals(False)
        real = dbfs(heard.gains.get(mic.id, 0.0))
        moving = is_open(state, mic) and abs(real - strip.gain_db) > 0.6 and strip.gain_db > LOWEST_DB
        talkback = mic.id == state.show.sound.talkback_id
        closed = " for talking" if talkback else "" if is_open(state, mic) else " closed"
        self.db.setText(f"{fader_words(strip.gain_db)}{' …' if moving else closed}")
        self.mute.setChecked(strip.muted)
        self.solo.setChecked(strip.solo)
        self.follows.setChecked(mic.follows)
        self._fill_chips(mic)
        self.mark.offer({"": "nobody's"} | {m.id: m.name for m in state.show.marks})
        self.mark.show_value(mic.mark_id or "")

    def _fill_chips(self, mic: Microphone) -> None:
        """A chip a camera; those that it opens with are lit."""
        cameras = sorted(self._bridge.state.show.cameras, key=lambda c: c.number)
        numbers = [c.number for c in cameras]
        if numbers != list(self.chips):
            for old in self.chips.values():
                self._chip_grid.removeWidget(old)
                old.deleteLater()
            self.chips = {}
            for k, number in enumerate(numbers):
                made = button(str(number), partial(self._turn, number))
                made.setObjectName("mark")
                made.setCheckable(True)
                made.setAccessibleName(f"Microphone {self.number} opens with camera {number}")
                self.chips[number] = made
                self._chip_grid.addWidget(made, k // CHIPS, k % CHIPS)
        for camera in cameras:
            chip = self.chips[camera.number]
            chip.setChecked(camera.id in mic.camera_ids)
            chip.setToolTip(f"Open while camera {camera.number} “{camera.name}” is on air")

    def _turn(self, number: int) -> None:
        """The first camera that is lit makes it follow."""
        lit = [n for n, chip in self.chips.items() if chip.isChecked()]
        mic = next((m for m in self._bridge.state.show.microphones if m.id == self.id), None)
        first = mic is not None and not mic.camera_ids and not mic.follows and lit == [number]
        self._change(cameras=lit, **({"follows": True} if first else {}))

    def _change(self, **changes: object) -> None:
        self._bridge.act("mic.change", mic=self.number, **changes)


class SoundPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.lines: list[MicrophoneStrip] = []
        self._ids: tuple[str, ...] = ()
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.master = QSlider(Qt.Orientation.Horizontal)
        self.master.setRange(int(LOWEST_DB * STEPS), int(HIGHEST_DB * STEPS))
        self.master.setAccessibleName("Master fader")
        self.master.valueChanged.connect(lambda value: bridge.act("mic.master", db=value / STEPS))
        self.master_db = label("")
        self.master_db.setMinimumWidth(look.scaled(66))
        self.loudness = label("")
        self.loudness.setFont(look.font(20, look.BOLD))
        self.rig = button("Devices, in Rig", lambda: bridge.place_wanted.emit("Rig", "Microphones"))
        bottom = QHBoxLayout()
        bottom.addWidget(label("All together"))
        bottom.addWidget(self.master, 2)
        bottom.addWidget(self.master_db)
        bottom.addWidget(LevelBar(bridge, ""), 3)
        bottom.addWidget(self.loudness)
        bottom.addWidget(self.rig)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.addWidget(self._scroll, 1)
        column.addLayout(bottom)
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

    def _make(self, mics: list[Microphone]) -> None:
        inside = QWidget()
        row = QHBoxLayout(inside)
        row.setContentsMargins(0, 0, 0, 4)
        row.setSpacing(6)
        self.lines = [MicrophoneStrip(self._bridge, mic) for mic in mics]
        for line in self.lines:
            row.addWidget(line)
        if not mics:
            row.addWidget(label(EMPTY, soft=True), 0, Qt.AlignmentFlag.AlignTop)
        row.addStretch(1)
        self._scroll.setWidget(inside)
