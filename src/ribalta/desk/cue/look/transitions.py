"""How takes go over: the transition that Shift+Space takes with, all of it, and the one that is this show's normal."""

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.picture.wipes import Ease as Easing
from ribalta.core.picture.wipes import eased, order_of
from ribalta.core.show.document.scenes import Transition, TransitionKind, WipeShape
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label

KINDS = {
    TransitionKind.CUT.value: "cut",
    TransitionKind.MIX.value: "mix",
    TransitionKind.DIP.value: "dip through a colour",
    TransitionKind.WIPE.value: "wipe",
}
STAGES = 5
CELL = (160, 90)


class Stages(QWidget):
    """The transition at five moments, light over dark."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.setMinimumHeight(CELL[1] + 24)
        self.setAccessibleName("The transition, moment by moment")

    def moments(self) -> list[tuple[QRectF, str, float]]:
        """Where each is painted, its seconds in words, and how far the new picture has come, 0 to 1."""
        transition = self._bridge.state.program.transition
        wide = min(CELL[0], (self.width() - 8 * (STAGES - 1)) // STAGES)
        found = []
        for k in range(STAGES):
            time = k / (STAGES - 1)
            share = eased(time, transition.easing) if transition.length else float(k > 0)
            words = f"{time * transition.length / 25:.1f} s"
            found.append((QRectF(k * (wide + 8), 0, wide, wide * 9 // 16), words, share))
        return found

    def accessible_parts(self) -> list[Part]:
        """Its moments, and how much of each is the new picture."""
        return [Part(area, words, f"{share:.0%} of the new picture") for area, words, share in self.moments()]

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        for area, words, share in self.moments():
            self._stage(painter, area, self._bridge.state.program.transition, share)
            painter.setPen(look.SOFT)
            painter.setFont(look.font(12))
            below = QRectF(area.left(), area.bottom() + 2, area.width(), 18)
            painter.drawText(below, Qt.AlignmentFlag.AlignCenter, words)

    def _stage(self, painter: QPainter, area: QRectF, transition: Transition, share: float) -> None:
        before, after = look.LINE, look.LAMP_WARM
        painter.fillRect(area, before)
        if transition.kind is TransitionKind.DIP:
            painter.fillRect(area, before if share < 0.5 else after)
            colour = QColor(transition.colour)
            colour.setAlphaF(1 - abs(2 * share - 1))
            painter.fillRect(area, colour)
        elif transition.kind is TransitionKind.WIPE:
            order = order_of(transition.shape, 32, 18)
            for y in range(18):
                for x in range(32):
                    at = 1 - order[y, x] if transition.backwards else order[y, x]
                    if at < share or share >= 1:
                        cell = QRectF(area.left() + x * area.width() / 32, area.top() + y * area.height() / 18, 0, 0)
                        cell.setSize(area.size() / 18)
                        painter.fillRect(cell & area, after)
        else:
            colour = QColor(after)
            colour.setAlphaF(share)
            painter.fillRect(area, colour)


class TransitionsPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._drawn: Transition | None = None
        self.now = label("")
        self.now.setFont(look.font(24, look.BOLD))
        self.normal = label("", soft=True)
        self.stages = Stages(bridge)
        self.kind = Choice("Kind", KINDS, lambda value: self._set(kind=value))
        self.seconds = Field("Seconds", self._seconds)
        self.easing = Choice("Easing", {e.value: e.value for e in Easing}, lambda value: self._set(easing=value))
        self.shape = Choice("Shape", {s.value: s.value for s in WipeShape}, lambda value: self._set(shape=value))
        self.softness = Field("Softness, %", self._softness)
        self.backwards = QCheckBox("The other way round")
        self.backwards.clicked.connect(lambda on: self._set(backwards=on))
        self.colour = Field("Colour, as #rrggbb", lambda text: self._set(colour=text))
        self.back = button("Back to the normal one  V", lambda: bridge.act("transition.normal"))
        self.make = button("Make it the normal one", lambda: bridge.act("transition.make_normal"))
        block = QWidget()
        form = Form(block)
        form.add("Kind", self.kind, "Seconds", self.seconds)
        form.add("Easing", self.easing, "Colour of a dip", self.colour)
        form.add("Shape of a wipe", self.shape, "Softness %", self.softness)
        form.add_whole(self.backwards)
        form.end()
        line = QHBoxLayout()
        line.addWidget(self.back)
        line.addWidget(self.make)
        line.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(10)
        column.addWidget(self.now)
        column.addWidget(self.normal)
        column.addWidget(self.stages)
        column.addWidget(block)
        column.addLayout(line)
        said = "By hand: turn the wheel over the words “Shift+Space: …” above Next on Air. U turns a running one back."
        column.addWidget(label(said, soft=True))
        column.addStretch(1)
        self.setMaximumWidth(900)
        self.refresh()

    def refresh(self) -> None:
        transition, normal = self._bridge.state.program.transition, self._bridge.state.show.settings.normal
        self.now.setText(f"Shift+Space: {transition.words.lower()}")
        same = transition == normal
        self.normal.setText("This is the show's normal one." if same else f"The show's normal one: {normal.words}.")
        self.back.setEnabled(not same)
        self.make.setEnabled(not same)
        self.kind.show_value(transition.kind.value)
        self.seconds.show_text(f"{transition.frames / 25:g}", transition)
        self.easing.show_value(transition.easing.value)
        self.shape.show_value(transition.shape.value)
        self.softness.show_text(f"{100 * transition.softness:g}", transition)
        self.backwards.setChecked(transition.backwards)
        self.colour.show_text(transition.colour, transition)
        for part in (self.shape, self.softness, self.backwards):
            part.setEnabled(transition.kind is TransitionKind.WIPE)
        self.colour.setEnabled(transition.kind is TransitionKind.DIP)
        if transition is not self._drawn:
            self._drawn = transition
            self.stages.update()

    def _set(self, **changes: object) -> None:
        self._bridge.act("transition.set", **changes)

    def _seconds(self, text: str) -> None:
        try:
            self._set(frames=round(25 * float(text.replace(",", "."))))
        except ValueError:
            self.refresh()

    def _softness(self, text: str) -> None:
        try:
            self._set(softness=float(text.replace(",", ".").strip(" %")) / 100)
        except ValueError:
            self.refresh()
