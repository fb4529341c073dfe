"""What is asked on the window, between its upper line and the view: it waits there and stops nothing."""

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QElapsedTimer, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QWidget

from ribalta.core.engine.removing import listed
from ribalta.core.ports.messages import InUse
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.hold_ring import paint_ring, share_held


class AskingLine(QWidget):
    """A sentence, and what can be answered to it at its right."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.said = QLabel()
        self.said.setFont(look.font(15, look.MEDIUM))
        self.said.setTextFormat(Qt.TextFormat.PlainText)
        self._line = QHBoxLayout(self)
        self._line.setContentsMargins(10, 4, 10, 4)
        self._line.addWidget(self.said, 1)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.hide()

    def _offer(self, button: QPushButton, chosen: Callable[[], object] | None = None) -> QPushButton:
        button.setFont(look.font(14, look.MEDIUM))
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        if chosen is not None:
            button.clicked.connect(lambda _=False: chosen())
        self._line.addWidget(button)
        return button


class RecoveryLine(AskingLine):
    """Offers what the last session left unsaved. It waits on the line and stops nothing."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__(bridge)
        recovery = bridge.file.recovery
        changes = recovery.changes if recovery else 0
        count = "One change" if changes == 1 else f"{changes} changes"
        self.said.setText(f"{count} of the last session {'was' if changes == 1 else 'were'} not saved.")
        self._offer(QPushButton("Restore"), lambda: self.answer(True))
        self._offer(QPushButton("Discard"), lambda: self.answer(False))
        self.setVisible(recovery is not None)

    def answer(self, keep: bool) -> None:
        self._bridge.file.answer_recovery(keep)
        self.hide()


class UsersLine(AskingLine):
    """Something is to be removed that others use: what should happen to them. It waits on its line."""

    ANSWERS = (("Remove them too", "remove"), ("Leave them, marked broken", "leave"), ("Keep it", ""))

    def __init__(self, bridge: Bridge) -> None:
        super().__init__(bridge)
        self._asked: InUse | None = None
        self.said.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.buttons = {
            users or "keep": self._offer(QPushButton(text), partial(self.answer, users)) for text, users in self.ANSWERS
        }
        bridge.in_use.connect(self.ask)

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


class DeedsLine(AskingLine):
    """A show that comes from elsewhere: what it would do beyond this machine, and whether it may. It stops nothing."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__(bridge)
        said = "; ".join(bridge.file.foreign_deeds)
        self.said.setText(f"This show was not made here. It would {said}. Until you let it, it does none of that.")
        self.said.setWordWrap(True)
        self._offer(QPushButton("Let it"), lambda: self.answer(True))
        self._offer(QPushButton("Not now"), lambda: self.answer(False))
        self.setVisible(bool(bridge.file.foreign_deeds))

    def answer(self, yes: bool) -> None:
        self._bridge.file.answer_deeds(yes)
        self.hide()


class OfferLine(AskingLine):
    """A shot that a guest offers: one press readies it. The oldest first."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__(bridge)
        self._offered = ""
        self.said.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.ready = self._offer(QPushButton("Ready it"), lambda: bridge.act("shot.accept", asked=self._offered))
        self.drop = self._offer(QPushButton("Not now"), lambda: bridge.act("shot.drop", asked=self._offered))
        bridge.changed.connect(self.refresh)

    def refresh(self) -> None:
        state = self._bridge.state
        one = next((one for one in state.guests.asked if one.offered_at_s is not None), None)
        self.setVisible(one is not None)
        if one is None:
            return
        self._offered = one.id
        camera, guest = state.show.camera(one.camera), state.guests.here.get(one.guest)
        by = f" by {guest.name}" if guest is not None else ""
        number = camera.number if camera is not None else "?"
        self.said.setText(f"Camera {number} is offered{by}: {one.words}.")


class HeldButton(QPushButton):
    """Does what it says only when it is held down until it is full; let go early, it does nothing."""

    done = Signal()

    def __init__(self, bridge: Bridge, text: str) -> None:
        super().__init__(text)
        self._bridge = bridge
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
        if share_held(self._bridge, self._since) >= 1.0:
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
            paint_ring(painter, area, share_held(self._bridge, self._since))


class ClosingLine(AskingLine):
    """The window is to be closed: what becomes of the show is answered here, its end by a held press.

    `stays`: the show can go on without this window.
    """

    ended = Signal()
    left = Signal()
    stayed = Signal()

    def __init__(self, bridge: Bridge, stays: bool = False) -> None:
        super().__init__(bridge)
        self._stays = stays
        self.leave = self._offer(QPushButton("Leave it running"), self.left.emit)
        self.leave.setVisible(stays)
        self.end = HeldButton(bridge, "Hold to end the show")
        self.end.done.connect(self.ended.emit)
        self._offer(self.end)
        self.stay = self._offer(QPushButton("Stay"), self._stay)

    def _stay(self) -> None:
        self.hide()
        self.stayed.emit()

    def needed(self) -> bool:
        return self._stays or bool(self._bridge.doing())

    def ask(self) -> None:
        doing = self._bridge.doing()
        so = f" It is {listed(doing)}." if doing else ""
        if self._stays:
            self.said.setText(f"The show can go on without this window.{so}")
        else:
            self.said.setText(f"The show is {listed(doing)}. Closing the window ends all of that.")
        self.show()
        (self.leave if self._stays else self.stay).setFocus()
