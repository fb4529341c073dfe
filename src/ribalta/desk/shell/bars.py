"""The line above Air (what show, saved or not, how takes behave) and the line below it (what was just said)."""

from collections.abc import Callable, Mapping

from PySide6.QtCore import QElapsedTimer, QRectF, Qt, QTime, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QWidget

from ribalta.core.engine.removing import listed
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import InUse, Notice, Severity
from ribalta.core.show.document.model import LandingRule
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.hold_ring import paint_ring

SHOWN_FOR_MS = 9000
TOGETHER_MS = 1500
HELD_MS, LATELY_S = 1000, 600.0  # a held press; so long after the last take a show counts as on
RULES = {
    LandingRule.HOLD: "Takes wait until the camera is set",
    LandingRule.COVER: "Takes go to the cover shot until the camera is set",
    LandingRule.STRAIGHT: "Takes cut at once, set or not",
}


class TopLine(QWidget):
    """A click on a button here leaves the keyboard where it is: on Air every key belongs to the show."""

    keys_wanted = Signal()
    view_wanted = Signal(str)

    def __init__(self, bridge: Bridge, views: Mapping[str, str]) -> None:
        super().__init__()
        self._bridge = bridge
        self.views = {name: self._word(name, key) for name, key in views.items()}
        self._title = QLabel()
        self._title.setMinimumWidth(120)
        self._title.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._title.setFont(look.font(16, look.BOLD))
        self.mode = QLabel()
        self.mode.setFont(look.font(14, look.BOLD))
        self.mode.setStyleSheet("color: #ffcb7d")
        self._clock = QLabel()
        self._clock.setFont(look.font(16, look.MEDIUM))
        self.rule = self._button("Landing rule: L changes it", lambda: bridge.act("landing.next_rule"))
        self.save = self._button("Save the show: Ctrl+S", lambda: bridge.act("show.save"))
        self.help = self._button("Every key of this view: F1; once more: the guide", self.keys_wanted.emit)
        self.help.setText("Keys  F1")
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(10)
        for word in self.views.values():
            line.addWidget(word)
        line.addSpacing(12)
        line.addWidget(self._title, 1)
        for part in (self.mode, self.rule, self.save, self.help, self._clock):
            line.addWidget(part)
        bridge.changed.connect(self.refresh)
        self.refresh()

    def _button(self, tip: str, pressed: Callable[[], None]) -> QPushButton:
        button = QPushButton()
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.setToolTip(tip)
        button.setFont(look.font(14, look.MEDIUM))
        button.clicked.connect(lambda _: pressed())
        return button

    def _word(self, name: str, key: str) -> QPushButton:
        word = self._button(f"{name}: {key}", lambda: self.view_wanted.emit(name))
        word.setText(name)
        word.setCheckable(True)
        word.setObjectName("view")
        return word

    def show_view(self, name: str) -> None:
        """Which view is shown; the landing rule belongs to Air."""
        for other, word in self.views.items():
            word.setChecked(other == name)
        self.rule.setVisible(name == "Air")

    def refresh(self) -> None:
        show = self._bridge.state.show
        room = self._title.width()
        self._set(self._title, self._title.fontMetrics().elidedText(show.title, Qt.TextElideMode.ElideRight, room))
        self._set(self.rule, RULES[show.settings.landing_rule])
        self._set(self.mode, mode_words(self._bridge.state))
        self._set(self.save, "Unsaved  Ctrl+S" if self._bridge.file.unsaved else "Saved")
        self._set(self._clock, QTime.currentTime().toString("HH:mm:ss"))

    @staticmethod
    def _set(part: QLabel | QPushButton, text: str) -> None:
        if part.text() != text:
            part.setText(text)


def mode_words(state: LiveState) -> str:
    """What makes keys do something else than usual: a layer in force, a macro that is being recorded."""
    parts = [f"Layer: {', '.join(state.automation.layers)}"] if state.automation.layers else []
    if state.automation.recording is not None:
        steps = len(state.automation.recording.calls)
        parts.append(f"Recording a macro: {steps} {'step' if steps == 1 else 'steps'}, F8 ends it")
    return "   ".join(parts)


class NoticeLine(QWidget):
    """The last sentence, with a sign in front of it that does not depend on colour. Faults stay until the next. A
    press reads the last hundred again."""

    pressed = Signal()

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._notice: Notice | None = None
        self.hint = ""
        self._since = QElapsedTimer()
        self.setFixedHeight(26)
        self.setAccessibleName("Messages")
        bridge.noticed.connect(self.say)
        bridge.changed.connect(self._age)

    @property
    def sentence(self) -> str:
        return self._notice.sentence if self._notice else ""

    def say(self, notice: Notice) -> None:
        """A fault that comes right after another is added to it: cameras seldom fail alone."""
        last, fault = self._notice, Severity.FAULT
        if last is not None and last.severity is notice.severity is fault and self._since.elapsed() < TOGETHER_MS:
            notice = Notice(f"{last.sentence} {notice.sentence}", fault)
        self._notice = notice
        self._since.restart()
        self.setToolTip(f"{notice.sentence}\nA click, or Shift+F1: what was said before")
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.pressed.emit()

    def _age(self) -> None:
        if self._notice and self._notice.severity is not Severity.FAULT and self._since.elapsed() > SHOWN_FOR_MS:
            self._notice = None
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(look.font(15, look.MEDIUM))
        area = QRectF(self.rect())
        if self._notice is None:
            painter.setPen(look.SOFT)
            said = self.hint
        else:
            sign = {Severity.INFO: "", Severity.REFUSED: "! Not done:  ", Severity.FAULT: "! Trouble:  "}
            painter.setPen(look.TEXT if self._notice.severity is Severity.INFO else look.WRONG)
            said = sign[self._notice.severity] + self._notice.sentence
        elided = painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, int(area.width()))
        painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, elided)


class RecoveryLine(QWidget):
    """Offers what the last session left unsaved. It waits on the line and stops nothing."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        recovery = bridge.file.recovery
        line = QHBoxLayout(self)
        line.setContentsMargins(10, 4, 10, 4)
        changes = recovery.changes if recovery else 0
        count = "One change" if changes == 1 else f"{changes} changes"
        label = QLabel(f"{count} of the last session {'was' if changes == 1 else 'were'} not saved.")
        label.setFont(look.font(15, look.MEDIUM))
        line.addWidget(label, 1)
        for text, keep in (("Restore", True), ("Discard", False)):
            button = QPushButton(text)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.setFont(look.font(14, look.MEDIUM))
            button.clicked.connect(lambda _=False, keep=keep: self.answer(keep))
            line.addWidget(button)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setVisible(recovery is not None)

    def answer(self, keep: bool) -> None:
        self._bridge.file.answer_recovery(keep)
        self.hide()


class UsersLine(QWidget):
    """Something is to be removed that others use: what should happen to them. It waits on its line."""

    ANSWERS = (("Remove them too", "remove"), ("Leave them, marked broken", "leave"))

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._asked: InUse | None = None
        self.said = QLabel()
        self.said.setFont(look.font(15, look.MEDIUM))
        self.said.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.buttons: dict[str, QPushButton] = {}
        line = QHBoxLayout(self)
        line.setContentsMargins(10, 4, 10, 4)
        line.addWidget(self.said, 1)
        for text, users in (*self.ANSWERS, ("Keep it", "")):
            made = QPushButton(text)
            made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            made.setFont(look.font(14, look.MEDIUM))
            made.clicked.connect(lambda _=False, users=users: self.answer(users))
            self.buttons[users or "keep"] = made
            line.addWidget(made)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bridge.in_use.connect(self.ask)
        self.hide()

    def ask(self, asked: InUse) -> None:
        self._asked = asked
        self.said.setText(f"{asked.called} is used by {listed(asked.users)}.")
        self.said.setToolTip(f"Used by {', '.join(asked.users)}.")
        self.show()

    def answer(self, users: str) -> None:
        """ "remove", "leave", or "" to keep what was to go."""
        asked, self._asked = self._asked, None
        self.hide()
        if asked is not None and users:
            self._bridge.act(asked.action, **dict(asked.arguments), users=users)


class DeedsLine(QWidget):
    """A show that comes from elsewhere: what it would do beyond this machine, and whether it may. It stops nothing."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        line = QHBoxLayout(self)
        line.setContentsMargins(10, 4, 10, 4)
        said = "; ".join(bridge.file.foreign_deeds)
        self.said = QLabel(f"This show was not made here. It would {said}. Until you let it, it does none of that.")
        self.said.setFont(look.font(15, look.MEDIUM))
        self.said.setWordWrap(True)
        self.said.setTextFormat(Qt.TextFormat.PlainText)
        line.addWidget(self.said, 1)
        for text, yes in (("Let it", True), ("Not now", False)):
            button = QPushButton(text)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.setFont(look.font(14, look.MEDIUM))
            button.clicked.connect(lambda _=False, yes=yes: self.answer(yes))
            line.addWidget(button)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setVisible(bool(bridge.file.foreign_deeds))

    def answer(self, yes: bool) -> None:
        self._bridge.file.answer_deeds(yes)
        self.hide()


class HeldButton(QPushButton):
    """Does what it says only when it is held down until it is full; let go early, it does nothing."""

    done = Signal()

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self._since = QElapsedTimer()
        self._timer = QTimer(self)
        self._timer.setInterval(30)
        self._timer.timeout.connect(self._turn)
        self.pressed.connect(self._begin)
        self.released.connect(self._let_go)

    def _begin(self) -> None:
        self._since.start()
        self._timer.start()

    def _let_go(self) -> None:
        self._timer.stop()
        self.update()

    def _turn(self) -> None:
        self.update()
        if self._since.elapsed() >= HELD_MS:
            self._timer.stop()
            self.done.emit()

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat():
            super().keyReleaseEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self._timer.isActive():
            painter = QPainter(self)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            wide = min(24.0, self.height() - 4.0)
            area = QRectF(self.width() - wide - 3, (self.height() - wide) / 2, wide, wide)
            paint_ring(painter, area, min(1.0, self._since.elapsed() / HELD_MS))


class ClosingLine(QWidget):
    """The window is to be closed: what becomes of the show is answered here, its end by a held press.

    `stays`: the show can go on without this window.
    """

    ended = Signal()
    left = Signal()

    def __init__(self, bridge: Bridge, stays: bool = False) -> None:
        super().__init__()
        self._bridge, self._stays = bridge, stays
        line = QHBoxLayout(self)
        line.setContentsMargins(10, 4, 10, 4)
        self.said = QLabel()
        self.said.setFont(look.font(15, look.MEDIUM))
        line.addWidget(self.said, 1)
        self.end = HeldButton("Hold to end the show")
        self.end.setFont(look.font(14, look.MEDIUM))
        self.end.done.connect(self.ended.emit)
        self.stay = QPushButton("Stay")
        self.stay.setFont(look.font(14, look.MEDIUM))
        self.stay.clicked.connect(self.hide)
        self.leave = QPushButton("Leave it running")
        self.leave.setFont(look.font(14, look.MEDIUM))
        self.leave.clicked.connect(self.left.emit)
        self.leave.setVisible(stays)
        for each in (self.leave, self.end, self.stay):
            line.addWidget(each)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.hide()

    def needed(self) -> bool:
        return self._stays or bool(self._doing())

    def _doing(self) -> list[str]:
        state = self._bridge.state
        doing = [words for name, words in (("recording", "recorded"), ("stream", "streamed")) if state.output(name).on]
        lately = bool(state.program.records) and self._bridge.now_s - state.program.records[-1].at_s < LATELY_S
        return ["on air", *doing] if lately or doing else []

    def ask(self) -> None:
        doing = self._doing()
        so = f" It is {listed(tuple(doing))}." if doing else ""
        if self._stays:
            self.said.setText(f"The show can go on without this window.{so}")
        else:
            self.said.setText(f"The show is {listed(tuple(doing))}. Closing the window ends all of that.")
        self.show()
        (self.leave if self._stays else self.stay).setFocus()
