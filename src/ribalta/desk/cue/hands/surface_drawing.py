"""A drawing of a gamepad, and of each MIDI or OSC surface that has something on it: what each control does."""

from collections.abc import Iterable, Mapping

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from ribalta.core.show.automation.triggers_pads_shortcuts import How
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.painting.two_lines import two_lines
from ribalta.desk.widgets.control_words import control_words
from ribalta.desk.words.short_words import short_words

# where a gamepad's buttons lie, in shares of its width and height
PAD = {
    "left shoulder": (0.04, 0.0, 0.2, 0.16),
    "right shoulder": (0.76, 0.0, 0.2, 0.16),
    "up": (0.16, 0.22, 0.14, 0.2),
    "left": (0.04, 0.44, 0.14, 0.2),
    "right": (0.28, 0.44, 0.14, 0.2),
    "down": (0.16, 0.66, 0.14, 0.2),
    "back": (0.43, 0.26, 0.13, 0.16),
    "start": (0.57, 0.26, 0.13, 0.16),
    "y": (0.79, 0.22, 0.14, 0.2),
    "x": (0.68, 0.44, 0.14, 0.2),
    "b": (0.86, 0.44, 0.14, 0.2),
    "a": (0.79, 0.66, 0.14, 0.2),
    "left stick": (0.3, 0.74, 0.17, 0.24),
    "right stick": (0.53, 0.74, 0.17, 0.24),
}
FIXED = {
    "left shoulder": "holds a camera",
    "right shoulder": "lets one on air move",
    "left stick": "turns; pressed:",
    "right stick": "turns finely; pressed:",
}
COLUMNS, ROW = 6, 52


class SurfaceDrawing(QWidget):
    """`kind` is "gamepad", "midi" or "osc". `clicked` comes with a control, such as “gamepad a”."""

    clicked = Signal(str)

    def __init__(self, bridge: Bridge, kind: str) -> None:
        super().__init__()
        self._bridge, self.kind = bridge, kind
        self.chosen = ""
        self.setAccessibleName("Gamepad" if kind == "gamepad" else f"{kind.upper()} surface")
        self.setMinimumHeight(180)

    def controls(self) -> list[str]:
        """What is drawn: all buttons of a gamepad; of a surface those that do something, in their order."""
        if self.kind == "gamepad":
            return [f"gamepad {name}" for name in PAD if name not in FIXED or name.endswith("stick")]
        known = {c for c, _, _, call in self._bridge.controls.shortcuts.controls() if c.startswith(f"{self.kind} ")}
        faders = {f.control for f in self._bridge.state.show.faders if f.control.startswith(f"{self.kind} ")}
        return sorted(known | faders, key=_natural)

    def meaning(self, control: str) -> str:
        """What it does, in a few words; empty when it does nothing."""
        call = self._bridge.found(control).get(How.PRESS)
        if call is not None:
            return short_words(self._bridge.state, call)
        fader = next((f for f in self._bridge.state.show.faders if f.control == control), None)
        return f"fader: {fader.quantity}" if fader is not None else ""

    def areas(self) -> Mapping[str, QRectF]:
        """Where each control is."""
        if self.kind == "gamepad":
            wide, tall = min(self.width() - 4.0, 3.0 * self.height()), self.height() - 4.0
            left = (self.width() - wide) / 2
            return {
                f"gamepad {name}": QRectF(left + x * wide, 2 + y * tall, w * wide, h * tall)
                for name, (x, y, w, h) in PAD.items()
            }
        wide = self.width() / COLUMNS
        return {
            control: QRectF(k % COLUMNS * wide, k // COLUMNS * look.scaled(ROW), wide - 5, look.scaled(ROW) - 5)
            for k, control in enumerate(self.controls())
        }

    def accessible_parts(self) -> list[Part]:
        return [Part(area, control_words(c), self.meaning(c) or "nothing") for c, area in self._drawn()]

    def _drawn(self) -> Iterable[tuple[str, QRectF]]:
        shown = set(self.controls())
        return [(control, area) for control, area in self.areas().items() if control in shown]

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.controls():
            painter.setPen(look.SOFT)
            painter.setFont(look.font(14))
            words = f"Nothing is on a {self.kind.upper()} control yet: press “Find by pressing”, then the control."
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, words)
            return
        shown = set(self.controls())
        for control, area in self.areas().items():
            name = control.partition(" ")[2]
            fixed = FIXED.get(name, "") if self.kind == "gamepad" else ""
            words = self.meaning(control) if control in shown else ""
            painter.setPen(QPen(look.TEXT if control == self.chosen else look.EDGE, 2 if control == self.chosen else 1))
            painter.setBrush(look.RAIL if words else look.NIGHT)
            painter.drawRoundedRect(area, 6, 6)
            inside = area.adjusted(6, 2, -4, -2)
            painter.setFont(look.font(14, look.BOLD, narrow=True))
            painter.setPen(look.LAMP_WARM if words else look.SOFT)
            head = name.upper() if self.kind == "gamepad" and len(name) == 1 else name
            head = head if self.kind == "gamepad" else control_words(control)
            line = painter.fontMetrics().height()
            said = painter.fontMetrics().elidedText(head, Qt.TextElideMode.ElideRight, int(inside.width()))
            painter.drawText(inside.adjusted(0, 0, 0, line - inside.height()), Qt.AlignmentFlag.AlignVCenter, said)
            painter.setPen(look.TEXT)
            painter.setFont(look.font(12, narrow=True))
            two_lines(painter, inside.adjusted(0, line - 1, 0, 0), f"{fixed} {words}".strip())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        control = next((c for c, area in self._drawn() if area.contains(event.position())), None)
        if control is not None:
            self.clicked.emit(control)


def _natural(control: str) -> tuple[object, ...]:
    """Numbers in the order of numbers."""
    return tuple((0, int(part), "") if part.isdigit() else (1, 0, part) for part in control.split())
