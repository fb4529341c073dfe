"""The line above Air (what show, saved or not, how takes behave) and the line below it (what was just said)."""

from collections.abc import Callable, Mapping

from PySide6.QtCore import QElapsedTimer, QRectF, Qt, QTime, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QSizePolicy, QWidget

from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.document.model import LandingRule
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.shell.show_menu import ShowMenu

SHOWN_FOR_MS = 9000
TOGETHER_MS = 1500
RULES = {
    LandingRule.HOLD: "Takes wait for the camera",
    LandingRule.COVER: "Takes show the cover shot until then",
    LandingRule.STRAIGHT: "Takes cut at once, set or not",
}


class ShowName(QLineEdit):
    """Enter keeps it; Escape, or looking elsewhere, does not."""

    def __init__(self, bridge: Bridge, over: QWidget) -> None:
        super().__init__(over)
        self._bridge = bridge
        self.setAccessibleName("The show's name")
        self.setFont(look.font(15, look.MEDIUM))
        self.setMaxLength(80)
        self.returnPressed.connect(self._done)
        self.hide()

    def ask(self) -> None:
        self.setText(self._bridge.state.show.title)
        self.selectAll()
        self.show()
        self.raise_()
        self.setFocus()

    def _done(self) -> None:
        if self.text().strip() and self.text() != self._bridge.state.show.title:
            self._bridge.act("show.rename", title=self.text())
        self.window().setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.window().setFocus()
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.hide()


class TopLine(QWidget):
    """A click on a button here leaves the keyboard where it is: on Air every key belongs to the show."""

    keys_wanted = Signal()
    view_wanted = Signal(str)

    def __init__(self, bridge: Bridge, views: Mapping[str, str]) -> None:
        super().__init__()
        self._bridge = bridge
        self.views = {name: self._word(name, key) for name, key in views.items()}
        self._title = QLabel()
        self._title.setMinimumWidth(90)
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
        self._field = ShowName(bridge, self)
        show = self._button("This show: open another, save it, rename it; preferences", lambda: None)
        show.setText("Show")
        self.menu = ShowMenu(bridge, show)
        line.addWidget(show)
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

    def rename(self) -> None:
        """The show's name, typed in its place."""
        self._field.setGeometry(self._title.geometry().adjusted(-4, -2, 4, 2))
        self._field.ask()

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
    parts = ["PRACTICE: nothing real"] if state.crew.practice else []
    parts += [f"Layer: {', '.join(state.automation.layers)}"] if state.automation.layers else []
    if state.automation.recording is not None:
        steps = len(state.automation.recording.calls)
        parts.append(f"Recording a macro: {steps} {'step' if steps == 1 else 'steps'}, F8 ends it")
    talking = state.guests.talkers
    parts += [f"{' and '.join(talking)} talk{'s' if len(talking) == 1 else ''} to you"] if talking else []
    parts += ["You talk to the guests"] if state.guests.crew_talks else []
    return "   ".join(parts)


class NoticeLine(QWidget):
    """The last sentence, with a sign in front of it that does not depend on colour. Faults stay until the next. A
    press reads the last hundred again; what would clear the way stands beside it as a button."""

    pressed = Signal()

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._notice: Notice | None = None
        self.hint = ""
        self._since = QElapsedTimer()
        self._bridge = bridge
        self.step = QPushButton(self)
        self.step.setFont(look.font(14, look.MEDIUM))
        self.step.clicked.connect(self._take_step)
        self.step.hide()
        self.setFixedHeight(look.scaled(26))
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
        self._show_step()
        self._since.restart()
        self.setToolTip(f"{notice.sentence}\nA click, or Shift+F1: what was said before")
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.pressed.emit()

    def _show_step(self) -> None:
        step = self._notice.step if self._notice is not None else None
        self.step.setVisible(step is not None)
        if step is not None:
            self.step.setText(step.label)
            self.step.setGeometry(0, 0, self.step.sizeHint().width(), self.height())
            self.step.move(self.width() - self.step.width(), 0)

    def _take_step(self) -> None:
        step = self._notice.step if self._notice is not None else None
        self._notice = None
        self._show_step()
        arguments = dict(step.arguments) if step is not None else {}
        self.window().setFocus()
        if step is not None and step.action:
            self._bridge.act(step.action, **arguments)
        elif step is not None:
            self._bridge.place_wanted.emit(str(arguments["view"]), str(arguments["page"]))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._show_step()

    def _age(self) -> None:
        if self._notice and self._notice.severity is not Severity.FAULT and self._since.elapsed() > SHOWN_FOR_MS:
            self._notice = None
            self._show_step()
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(look.font(15, look.MEDIUM))
        area = QRectF(self.rect())
        if self.step.isVisible():
            area.setRight(self.step.x() - 10)
        if self._notice is None:
            painter.setPen(look.SOFT)
            said = self.hint
        else:
            sign = {Severity.INFO: "", Severity.REFUSED: "! Not done:  ", Severity.FAULT: "! Trouble:  "}
            painter.setPen(look.TEXT if self._notice.severity is Severity.INFO else look.WRONG)
            said = sign[self._notice.severity] + self._notice.sentence
        elided = painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, int(area.width()))
        painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, elided)
