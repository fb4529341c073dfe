"""Voices: whose each microphone is, who speaks now, and how voice follow behaves; and a talk between two, set up."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from ribalta.core.base.faults import LocalFault
from ribalta.core.base.spans import span_words
from ribalta.core.engine.dryrun.voice_rehearsal import VoiceReport, follow
from ribalta.core.engine.program.landing import time_to_set_s
from ribalta.core.engine.state.automation_state import VoiceMode
from ribalta.core.engine.voice import voice_follow
from ribalta.core.ports.causes import By
from ribalta.core.show.document.sound import Microphone
from ribalta.core.sound.conversation import read_conversation
from ribalta.core.sound.gates import GateView
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue.sound.heard_voices import VoiceDrawing
from ribalta.desk.cue.sound.voice_rules import VoiceRules
from ribalta.desk.painting import look
from ribalta.desk.widgets.choose_file import ask_to_open
from ribalta.desk.widgets.fields import Choice, button, label
from ribalta.desk.widgets.level_bar import LiveBar
from ribalta.desk.widgets.lists.listing import Listing, ListRow

MODES = {VoiceMode.OFF: "Off", VoiceMode.SUGGEST: "Suggest", VoiceMode.AUTOMATIC: "Automatic"}
TIPS = {
    VoiceMode.OFF: "",
    VoiceMode.SUGGEST: "Readies whoever speaks; you take (Ctrl+F10)",
    VoiceMode.AUTOMATIC: "Cuts to whoever speaks (Ctrl+F9)",
}
LOWEST_DB = -70.0
LOOKS_EVERY_S = 0.4
TALK = (
    "One step: a single of each and a two-shot from three cameras, the keys “,” and “.” to cut from one to the other"
    " and “/” for both, and a playlist. Voice follow uses the same framings."
)
EMPTY = "No microphones yet: add them in Rig (F2), then say here whose each is."


class VoiceBar(LiveBar):
    """The level of one microphone, with the line that it has to pass, and whether somebody speaks."""

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        gate = self._bridge.media.heard.gates.get(self._of, GateView())
        bar = QRectF(0, 4, self.width() - 62, self.height() - 8)
        painter.fillRect(bar, look.INK)

        def x(db: float) -> float:
            return bar.left() + bar.width() * min(1.0, max(0.0, 1 - db / LOWEST_DB))

        ink = look.LAMP_WARM if gate.open else look.LAMP_OFF
        painter.fillRect(QRectF(bar.left(), bar.top(), x(gate.level_db) - bar.left(), bar.height()), ink)
        line = x(gate.floor_db + self._bridge.state.show.voice.threshold_db)
        painter.setPen(QPen(look.TEXT, 1.5))
        painter.drawLine(int(line), int(bar.top() - 2), int(line), int(bar.bottom() + 2))
        painter.setPen(QPen(look.SOFT, 1))
        painter.drawRect(bar)
        painter.setFont(look.font(12, look.MEDIUM if gate.open else look.font(12).weight(), narrow=True))
        painter.setPen(look.LAMP_WARM if gate.open else look.SOFT)
        said = "speaks" if gate.open else "quiet"
        area = QRectF(self.width() - 56, 0, 56, self.height())
        painter.drawText(area, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, said)


class VoiceRow:
    """The parts of one microphone's line."""

    def __init__(self, bridge: Bridge, mic: Microphone) -> None:
        self._bridge, self.number, self.id = bridge, mic.number, mic.id
        self.name = label("")
        self.mark = Choice(f"Whose microphone {mic.number} is", {}, self._tie)
        self.bar = VoiceBar(bridge, mic.id)
        self.shown = label("", soft=True)

    @property
    def parts(self) -> tuple[QWidget, ...]:
        return (self.name, self.mark, self.bar, self.shown)

    def refresh(self, mic: Microphone, looks: bool) -> None:
        """`looks`: who could show it is looked up again, which costs some time."""
        state, now_s = self._bridge.state, self._bridge.now_s
        muted = ", muted" if state.strip(mic.id).muted else ""
        self.name.setText(f"{mic.number}  {mic.name}{muted}")
        self.mark.offer({"": "nobody's"} | {m.id: m.name for m in state.show.marks})
        self.mark.show_value(mic.mark_id or "")
        if mic.mark_id is None:
            self.shown.setText("")
            return
        if not looks:
            return
        if any(f is not None and mic.mark_id in f.mark_ids for f in [state.framing(state.program.on_air)]):
            self.shown.setText("on air")
            return
        shot = voice_follow.best_of(state, mic.mark_id, now_s)
        if shot is None:
            self.shown.setText("no free camera shows it")
            return
        seconds = time_to_set_s(state, shot, now_s)
        self.shown.setText(f"{state.shot_words(shot)}, {'set' if not seconds else f'{look.seconds(seconds)} s'}")

    def _tie(self, mark_id: str) -> None:
        self._bridge.act("mic.change", mic=self.number, mark=mark_id)


class VoicesPage(QWidget):
    """`rehearsed` comes from a thread of its own, with what a conversation came to or a sentence."""

    rehearsed = Signal(object)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.lines: list[VoiceRow] = []
        self._ids: tuple[str, ...] = ()
        self._looked_s = -LOOKS_EVERY_S
        self._followed: VoiceReport | str | None = None
        self.modes = {mode: button(words, partial(self._mode, mode), TIPS[mode]) for mode, words in MODES.items()}
        for word in self.modes.values():
            word.setObjectName("mark")
            word.setCheckable(True)
        self.resume = button("Continue now", lambda: bridge.act("voice.resume"), "Ctrl+F11")
        self.said = label("", wrap=True)
        self.said.setFont(look.font(17, look.MEDIUM))
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.rules = VoiceRules(bridge)
        self.drawing = VoiceDrawing(bridge)
        self.made_of = label("", soft=True)
        self.log = Listing("What voice follow took, and why", lambda key: None)
        self.rehearse = button("Rehearse a conversation …", self._choose_script, "A script as JSON; see the guide")
        self.back = button("What it took", self._forget)
        self.one = Choice("One of the two", {})
        self.other = Choice("The other", {})
        self.talk = button("Set up the talk", self._talk, "A two-shot, two singles, two keys and a playlist")
        self.rehearsed.connect(self._show_rehearsed)
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(label("Voice follow"))
        for word in self.modes.values():
            head.addWidget(word)
        head.addWidget(self.said, 1)
        head.addWidget(self.resume)
        talk = QHBoxLayout()
        talk.addWidget(label("A talk between", soft=True))
        talk.addWidget(self.one, 1)
        talk.addWidget(label("and", soft=True))
        talk.addWidget(self.other, 1)
        talk.addWidget(self.talk)
        right = QVBoxLayout()
        right.addWidget(self.rules)
        right.addSpacing(10)
        right.addLayout(talk)
        right.addWidget(label(TALK, soft=True, wrap=True))
        right.addStretch(1)
        upper = QHBoxLayout()
        upper.setSpacing(16)
        side = QWidget()
        right.setContentsMargins(0, 0, 8, 0)
        side.setLayout(right)
        rules = QScrollArea()
        rules.setWidgetResizable(True)
        rules.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        rules.setWidget(side)
        upper.addWidget(self._scroll, 56)
        upper.addWidget(rules, 44)
        below = QHBoxLayout()
        below.addWidget(label("What it took, and why", soft=True), 1)
        below.addWidget(self.back)
        below.addWidget(self.rehearse)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.addLayout(head)
        whole.addLayout(upper, 56)
        whole.addWidget(self.made_of)
        whole.addWidget(self.drawing, 24)
        whole.addLayout(below)
        whole.addWidget(self.log, 20)

    # What is shown

    def refresh(self) -> None:
        state, now_s = self._bridge.state, self._bridge.now_s
        for mode, word in self.modes.items():
            word.setChecked(state.voice.mode is mode)
        self.said.setText(voice_follow.words(state, now_s) if state.voice.mode is not VoiceMode.OFF else "")
        self.resume.setVisible(now_s < state.voice.until_s)
        mics = sorted(state.show.microphones, key=lambda m: m.number)
        if tuple(m.id for m in mics) != self._ids or self._scroll.widget() is None:
            self._ids, self._looked_s = tuple(m.id for m in mics), -LOOKS_EVERY_S
            self._make(mics)
        looks = abs(now_s - self._looked_s) >= LOOKS_EVERY_S
        self._looked_s = now_s if looks else self._looked_s
        for line, mic in zip(self.lines, mics, strict=True):
            line.refresh(mic, looks)
        self.rules.refresh()
        self.drawing.refresh()
        self.made_of.setText(self.drawing.said())
        marks = {m.id: m.name for m in state.show.marks}
        self.one.offer(marks or {"": "no marks"})
        self.other.offer(marks or {"": "no marks"})
        if self.one.value() == self.other.value() and self.other.count() > 1:
            self.other.setCurrentIndex(1 if self.one.currentIndex() == 0 else 0)
        self.talk.setEnabled(len(marks) > 1)
        self._fill_log()

    def _make(self, mics: list[Microphone]) -> None:
        inside = QWidget()
        grid = QGridLayout(inside)
        grid.setContentsMargins(0, 0, 8, 0)
        grid.setHorizontalSpacing(10)
        self.lines = [VoiceRow(self._bridge, mic) for mic in mics]
        for column, words in enumerate(("Microphone", "Whose", "Level", "Shown by")):
            grid.addWidget(label(words, soft=True), 0, column)
        for row, line in enumerate(self.lines, 1):
            for column, part in enumerate(line.parts):
                grid.addWidget(part, row, column)
        if not mics:
            grid.addWidget(label(EMPTY, wrap=True), 1, 0, 1, 4)
        grid.setRowStretch(len(mics) + 2, 1)
        for column, stretch in enumerate((2, 2, 4, 3)):
            grid.setColumnStretch(column, stretch)
        self._scroll.setWidget(inside)

    def _fill_log(self) -> None:
        self.back.setVisible(self._followed is not None)
        if isinstance(self._followed, str):
            self.log.fill([ListRow("", self._followed)], None)
            return
        if self._followed is not None:
            self.log.fill(_rehearsed_rows(self._followed), None)
            return
        took = [ran for ran in self._bridge.history.lines[-400:] if ran.cause.by is By.VOICE][-40:]
        now_s = self._bridge.now_s
        rows = [
            ListRow(str(r.number), f"{span_words(now_s - r.at_s)} ago   {r.words}   because {r.cause.words}")
            for r in took
        ]
        said = "Nothing yet. Switched on, it says here what it took and why."
        self.log.fill(list(reversed(rows)) or [ListRow("", said)], None)

    # What is asked

    def _mode(self, mode: VoiceMode) -> None:
        self._bridge.act("voice.mode", mode=str(mode))
        self.refresh()

    def _talk(self) -> None:
        self._bridge.act("talk.make", one=self.one.value(), other=self.other.value())

    def _choose_script(self) -> None:
        ask_to_open(self._bridge, self, "A conversation", "Conversations (*.json)", self.rehearse_script)

    def rehearse_script(self, path: Path) -> None:
        """In the background; what it comes to is shown where the log is."""
        show = self._bridge.state.show
        self.rehearse.setEnabled(False)
        self._followed = "Rehearsing …"
        self._fill_log()
        work = lambda: self._reckon(lambda: follow(show, read_conversation(path)))  # noqa: E731
        self._bridge.crew.begin("voice rehearsal", work, self.rehearsed.emit)

    def _reckon(self, work: Callable[[], VoiceReport]) -> None:
        try:
            self.rehearsed.emit(work())
        except LocalFault as fault:
            self.rehearsed.emit(str(fault))

    def _show_rehearsed(self, found: VoiceReport | str) -> None:
        self.rehearse.setEnabled(True)
        self._followed = found
        self._fill_log()

    def _forget(self) -> None:
        self._followed = None
        self._fill_log()


def _rehearsed_rows(report: VoiceReport) -> list[ListRow]:
    right = round(100 * report.right_share)
    cuts = len(report.shots)
    moving = report.cuts_to_moving
    landed = "every cut lands" if not moving else f"{moving} of {cuts} cuts do not land"
    head = f"“{report.name}” rehearsed: {report.seconds:.0f} s, {cuts} cuts, {landed}, who speaks is seen {right} %"
    rows = [
        ListRow(str(k), f"{at:7.1f} s   {what}   {why}", None if lands else look.WRONG)
        for k, (at, _, what, why, lands) in enumerate(report.shots)
    ]
    return [ListRow("", head), *rows]
