"""How takes go over: the transition that Shift+Space takes with, all of it, and the one that is this show's normal."""

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.picture.wipes import Ease as Easing
from ribalta.core.picture.wipes import eased, mask_of, order_of
from ribalta.core.show.document.scenes import TransitionKind, WipeShape
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.cropped import draw_cropped
from ribalta.desk.painting.parts import Part
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label

KINDS = {
    TransitionKind.CUT.value: "cut",
    TransitionKind.MIX.value: "mix",
    TransitionKind.DIP.value: "dip through a colour",
    TransitionKind.WIPE.value: "wipe",
}
SIZE = (480, 270)
RESTS_S = 0.8  # before and behind the transition, which goes on and on
NO_PICTURES = (look.LINE, look.LAMP_WARM)


class Moving(QWidget):
    """The transition that is set, again and again, from one picture of the show to another."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._names: tuple[str | None, str | None] = (None, None)
        self._pictures: list[NDArray[np.uint8]] = []
        self._mask = np.zeros((SIZE[1], SIZE[0]), np.uint8)
        self.setMinimumSize(*SIZE)
        self.setAccessibleName("The transition as it will be seen")
        bridge.tick.connect(lambda: self.update() if self.isVisible() else None)

    def share(self, now_s: float) -> float:
        """How much of the new picture is seen at a time, 0 to 1."""
        transition = self._bridge.state.program.transition
        long_s = transition.length_s
        gone_s = now_s % (long_s + 2 * RESTS_S) - RESTS_S
        if gone_s <= 0 or long_s == 0:
            return float(gone_s > 0)
        return eased(min(1.0, gone_s / long_s), transition.easing)

    def mixed(self, share: float) -> NDArray[np.uint8]:
        """The picture at a share of the way, (height, width, 4) BGRX."""
        transition, (before, after) = self._bridge.state.program.transition, self._two()
        if share <= 0 or share >= 1:
            return after if share >= 1 else before
        if transition.kind is TransitionKind.DIP:
            colour = QColor(transition.colour)
            ground = np.array([colour.blue(), colour.green(), colour.red(), 255], np.uint8)
            seen = 1 - abs(2 * share - 1)
            picture = before if share < 0.5 else after
            return np.asarray(picture * (1 - seen) + ground * seen, np.uint8)
        if transition.kind is TransitionKind.WIPE:
            order = order_of(transition.shape, *SIZE)
            part = mask_of(order, share, transition.softness, transition.backwards, self._mask)[..., None] / 255.0
        else:
            part = np.full((1, 1, 1), share)
        return np.asarray(before * (1 - part) + after * part, np.uint8)

    def _two(self) -> list[NDArray[np.uint8]]:
        """Two framings of different cameras, or plain grounds while there are none."""
        framings = [f for f in self._bridge.state.show.framings if f.picture is not None]
        one = framings[0] if framings else None
        other = next((f for f in framings if one is not None and f.camera_id != one.camera_id), None)
        names = (one.picture if one is not None else None, other.picture if other is not None else None)
        if names != self._names or not self._pictures:
            made = [self._read(name, ink) for name, ink in zip(names, NO_PICTURES, strict=True)]
            if all(read for read, _ in made):
                self._names = names
            self._pictures = [picture for _, picture in made]
        return self._pictures

    def _read(self, name: str | None, ink: QColor) -> tuple[bool, NDArray[np.uint8]]:
        """Whether it is as it will be, and the picture at SIZE."""
        wide, tall = SIZE
        image = QImage(wide, tall, QImage.Format.Format_RGB32)
        image.fill(ink)
        stored = self._bridge.stored_picture_soon(name, wide, tall)
        if stored is not None:
            painter = QPainter(image)
            draw_cropped(painter, QRectF(0, 0, wide, tall), stored)
            painter.end()
        pixels = np.frombuffer(image.constBits(), np.uint8).reshape(tall, image.bytesPerLine() // 4, 4)
        return stored is not None or name is None, pixels[:, :wide].copy()

    def area(self) -> QRectF:
        """16:9, at the left."""
        scale = min(self.width() / 16, self.height() / 9)
        return QRectF(0, 0, int(16 * scale), int(9 * scale))

    def paintEvent(self, event: QPaintEvent) -> None:
        self._bridge.give_way()
        pixels = np.ascontiguousarray(self.mixed(self.share(self._bridge.now_s)))
        image = QImage(pixels.data, SIZE[0], SIZE[1], SIZE[0] * 4, QImage.Format.Format_RGB32)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(self.area(), image)

    def accessible_parts(self) -> list[Part]:
        """What moves, in words."""
        return [
            Part(self.area(), "From one picture of the show to another", self._bridge.state.program.transition.words)
        ]


class TransitionsPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.now = label("")
        self.now.setFont(look.font(24, look.BOLD))
        self.normal = label("", soft=True)
        self.moving = Moving(bridge)
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
        self._form = form
        form.add("Kind", self.kind)
        form.add("Seconds", self.seconds)
        form.add("Easing", self.easing)
        form.add("Colour of a dip", self.colour)
        form.add("Shape of a wipe", self.shape)
        form.add("Softness, %", self.softness)
        form.add_whole(self.backwards)
        form.end()
        line = QHBoxLayout()
        line.addWidget(self.back)
        line.addWidget(self.make)
        line.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(16)
        column = QVBoxLayout()
        column.setSpacing(10)
        whole.addWidget(self.moving, 56)
        whole.addLayout(column, 44)
        column.addWidget(self.now)
        column.addWidget(self.normal)
        column.addWidget(block)
        column.addLayout(line)
        said = "By hand: turn the wheel over the words “Shift+Space: …” above Next on Air. U turns a running one back."
        column.addWidget(label(said, soft=True, wrap=True))
        column.addStretch(1)
        self.refresh()

    def refresh(self) -> None:
        transition, normal = self._bridge.state.program.transition, self._bridge.state.show.settings.normal
        self.now.setText(f"Shift+Space: {transition.words.lower()}")
        same = transition == normal
        self.normal.setText("This is the show's normal one." if same else f"The show's normal one: {normal.words}.")
        self.back.setEnabled(not same)
        self.make.setEnabled(not same)
        self.kind.show_value(transition.kind.value)
        self.seconds.show_text(f"{transition.seconds:g}", transition)
        self.easing.show_value(transition.easing.value)
        self.shape.show_value(transition.shape.value)
        self.softness.show_text(f"{100 * transition.softness:g}", transition)
        self.backwards.setChecked(transition.backwards)
        self.colour.show_text(transition.colour, transition)
        wipe, dip, cut = (transition.kind is k for k in (TransitionKind.WIPE, TransitionKind.DIP, TransitionKind.CUT))
        self._form.show_row(self.shape, wipe)
        self._form.show_row(self.softness, wipe)
        self.backwards.setVisible(wipe)
        self._form.show_row(self.colour, dip)
        self._form.show_row(self.seconds, not cut)
        self._form.show_row(self.easing, not cut)

    def _set(self, **changes: object) -> None:
        self._bridge.act("transition.set", **changes)

    def _seconds(self, text: str) -> None:
        try:
            self._set(seconds=float(text.replace(",", ".")))
        except ValueError:
            self.refresh()

    def _softness(self, text: str) -> None:
        try:
            self._set(softness=float(text.replace(",", ".").strip(" %")) / 100)
        except ValueError:
            self.refresh()
