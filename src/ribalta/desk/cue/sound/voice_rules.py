"""How voice follow behaves: three sliders for what is felt in the picture, and the rest as numbers when wanted."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QGridLayout, QLabel, QSlider, QVBoxLayout, QWidget

from ribalta.core.show.document.voice import Interjections, VoiceFollow
from ribalta.desk.bridge import Bridge, one_shot
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label

RULES = (
    ("Both after, s", "together_s", "So long two must speak at once to be shown together"),
    ("Wide after, s", "silence_s", "So long nobody has spoken"),
    ("Reaction every, s", "reaction_every_s", "Of one voice; 0 is never"),
    ("Reaction for, s", "reaction_s", "Whoever spoke before is seen to listen"),
    ("Yours for, s", "suspend_s", "When you take or ready something, it leaves the desk to you"),
    ("Bleed, dB", "bleed_db", "So much quieter a voice is in the other microphones, until that is learned"),
    ("Attack, s", "attack_s", "So long a voice must be loud enough: a knock is none"),
    ("Hold, s", "hold_s", "A gap between two words does not close the gate"),
    ("Release, s", "release_s", "So long after the hold it closes"),
)
LARGE = 125  # per cent of text
SET_AFTER_MS = 150  # a slider that is being moved: one edit when it rests


@dataclass(frozen=True)
class Dial:
    """A quantity with a slider: its steps from the left to the right, and what its value means."""

    name: str
    words: str
    ends: tuple[str, str]
    steps: tuple[float, ...]
    says: Callable[[float], str]


DIALS = (
    Dial(
        "patience_s",
        "How soon",
        ("at once", "patient"),
        tuple(round(0.1 * k, 1) for k in range(1, 31)),
        lambda s: f"{s:g} s after somebody has begun",
    ),
    Dial(
        "minimum_s",
        "How long",
        ("lively", "calm"),
        tuple(round(0.5 * k, 1) for k in range(1, 25)),
        lambda s: f"{s:g} s or more each shot",
    ),
    Dial(
        "threshold_db",
        "How quiet",
        ("whispers too", "loud voices only"),
        tuple(float(k) for k in range(3, 31)),
        lambda db: f"{db:g} dB above the room's noise",
    ),
)


class VoiceRules(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.sliders: dict[str, QSlider] = {}
        self._said: dict[str, QLabel] = {}
        self._asks: dict[str, QTimer] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for dial in DIALS:
            column.addLayout(self._slider(dial))
        self.more = button("Advanced", self._fold)
        self.more.setCheckable(True)
        column.addWidget(self.more, 0, Qt.AlignmentFlag.AlignLeft)
        self.fields = {name: Field(words, partial(self._rule, name), tip) for words, name, tip in RULES}
        self.words = Choice(
            "A word put in",
            {str(Interjections.IGNORE): "is passed over", str(Interjections.BOTH): "shows both"},
            lambda value: bridge.act("voice.rules", interjections=value),
        )
        self.advanced = QWidget()
        form = Form(self.advanced)
        rows = [(words, self.fields[name]) for words, name, _ in RULES] + [("A word put in", self.words)]
        for (words, part), (other_words, other) in zip(rows[::2], rows[1::2], strict=True):
            form.add(words, part, other_words, other)
        column.addWidget(self.advanced)
        self.advanced.hide()

    def _slider(self, dial: Dial) -> QGridLayout:
        made = self.sliders[dial.name] = QSlider(Qt.Orientation.Horizontal)
        made.setRange(0, len(dial.steps) - 1)
        made.setPageStep(3)
        made.setAccessibleName(dial.words)
        said = self._said[dial.name] = label("")
        self._asks[dial.name] = one_shot(self, SET_AFTER_MS, partial(self._set, dial))
        made.valueChanged.connect(partial(self._moved, dial))
        grid = QGridLayout()
        grid.setVerticalSpacing(0)
        head = label(dial.words)
        head.setBuddy(made)
        grid.addWidget(head, 0, 0)
        grid.addWidget(said, 0, 1, Qt.AlignmentFlag.AlignRight)
        grid.addWidget(made, 1, 0, 1, 2)
        made.setToolTip(" … ".join(dial.ends))
        if look.text_percent() < LARGE:  # larger, the sliders need all the room
            grid.addWidget(label(dial.ends[0], soft=True), 2, 0)
            grid.addWidget(label(dial.ends[1], soft=True), 2, 1, Qt.AlignmentFlag.AlignRight)
        return grid

    def refresh(self) -> None:
        voice: VoiceFollow = self._bridge.state.show.voice
        for dial in DIALS:
            slider, value = self.sliders[dial.name], getattr(voice, dial.name)
            at = min(range(len(dial.steps)), key=lambda k: abs(dial.steps[k] - value))
            if slider.isSliderDown() or self._asks[dial.name].isActive():
                continue
            slider.blockSignals(True)
            slider.setValue(at)
            slider.blockSignals(False)
            self._said[dial.name].setText(dial.says(value))
        for name, field in self.fields.items():
            field.show_text(f"{getattr(voice, name):g}")
        self.words.show_value(str(voice.interjections))

    def _moved(self, dial: Dial, value: int) -> None:
        self._said[dial.name].setText(dial.says(dial.steps[value]))
        self._asks[dial.name].start()

    def _set(self, dial: Dial) -> None:
        self._bridge.act("voice.rules", **{dial.name: dial.steps[self.sliders[dial.name].value()]})

    def _fold(self) -> None:
        self.advanced.setVisible(self.more.isChecked())

    def _rule(self, name: str, text: str) -> None:
        try:
            self._bridge.act("voice.rules", **{name: float(text.replace(",", "."))})
        except ValueError:
            self.refresh()
