"""Every key, drawn where it lies, with what it does in this view now. A modifier that is held shows what it does then.

A click on a key opens where it is changed; F1 once more opens the guide.
"""

from collections.abc import Mapping

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ribalta.core.show.automation.triggers_pads_shortcuts import How
from ribalta.desk.bridge import Bridge
from ribalta.desk.input.show_keys import CHORDS
from ribalta.desk.keys.keyboard_drawing import key_areas
from ribalta.desk.keys.short_words import GROUPS, group_of, short_words
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.painting.two_lines import two_lines
from ribalta.desk.widgets.fields import button, label
from ribalta.workers.logfile import log_path

LAYERS = ("", "Shift", "Ctrl", "Alt", "Ctrl+Shift", "Ctrl+Alt")
MODIFIERS = {Qt.Key.Key_Shift: "Shift", Qt.Key.Key_Control: "Ctrl", Qt.Key.Key_Alt: "Alt"}
SHIFTED = {"=": "+"}  # keys whose upper sign has a meaning of its own
OWN = "Of this view"
FOOT = (
    "A click on a key opens where it is changed. A key that is written otherwise on this keyboard says so once it was"
    f" pressed. What went wrong is in {log_path()}"
)


class Drawing(QWidget):
    """The keyboard of one layer of modifiers."""

    clicked = Signal(str)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.layer = ""
        self.view, self.own = "Air", dict[str, str]()
        self.written: Mapping[str, str] = {}
        self.setMinimumHeight(250)
        self.setAccessibleName("Keyboard")

    def meaning(self, key: str) -> tuple[str, str]:
        """(words, group) of a key with the layer's modifiers, in this view; empty when it does nothing."""
        return self.meaning_of(key)[:2]

    def meaning_of(self, key: str) -> tuple[str, str, str]:
        """The same, and the action's id; of the view's own keys the words."""
        name = f"{self.layer}+{key}" if self.layer else key
        if name in SHIFTED:
            name = SHIFTED[name]
        if self.view != "Air" and name in self.own:
            given = self._bridge.controls.shortcuts.is_given(f"key {name}")
            if not given:
                return self.own[name], OWN, self.own[name].split(" ")[0]
        call = self._bridge.found(f"key {name}").get(How.PRESS)
        everywhere = name in CHORDS or self._bridge.controls.shortcuts.is_given(f"key {name}")
        if call is None or (self.view != "Air" and not everywhere):
            return "", "", ""
        return short_words(self._bridge.state, call), group_of(call.action), call.action

    def areas(self) -> Mapping[str, QRectF]:
        return key_areas(QRectF(self.rect()).adjusted(0, 0, 0, -2))

    def accessible_parts(self) -> list[Part]:
        found = [(key, area, self.meaning(key)[0]) for key, area in self.areas().items()]
        return [Part(area, key, words or "nothing") for key, area, words in found]

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for key, area in self.areas().items():
            words, group = self.meaning(key)
            painter.setPen(QPen(look.EDGE if words else look.LINE, 1))
            painter.setBrush(look.RAIL if words else look.NIGHT)
            painter.drawRoundedRect(area, 4, 4)
            if group == "Take":  # the right hand's
                painter.setPen(QPen(look.TEXT, 2))
                painter.drawLine(area.bottomLeft() + (area.topRight() - area.topLeft()) * 0.1, area.bottomRight())
            inside = area.adjusted(5, 1, -3, -2)
            painter.setFont(look.font(14, look.BOLD, narrow=True))
            painter.setPen(look.LAMP_WARM if words else look.SOFT)
            name = self.written.get(key, key).replace("Num+", "").replace("Backspace", "Back")
            line = look.scaled(18)
            painter.drawText(inside.adjusted(0, 0, 0, -inside.height() + line), Qt.AlignmentFlag.AlignVCenter, name)
            if words:
                painter.setPen(look.TEXT)
                painter.setFont(look.font(12, narrow=True))
                two_lines(painter, inside.adjusted(0, line - 1, 0, 0), words)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        key = next((key for key, area in self.areas().items() if area.contains(event.position())), None)
        if key is not None:
            self.clicked.emit(f"{self.layer}+{key}" if self.layer else key)


class KeyPage(QWidget):
    """Lies over a view. `guide_wanted` when F1 is pressed once more."""

    guide_wanted = Signal()
    left = Signal()
    keeps = ("Esc",)  # on Air too: it closes the page before it is the show's again

    def __init__(self, bridge: Bridge, parent: QWidget) -> None:
        super().__init__(parent)
        self._bridge = bridge
        self._held: set[str] = set()
        self.setAutoFillBackground(True)
        self.setAccessibleName("Every key")
        self.drawing = Drawing(bridge)
        self.drawing.clicked.connect(self._change)
        self.layers: dict[str, QPushButton] = {}
        line = QHBoxLayout()
        self.title = label("")
        self.title.setFont(look.font(16, look.BOLD))
        line.addWidget(self.title)
        line.addSpacing(12)
        for layer in LAYERS:
            made = button(layer or "no modifier", lambda layer=layer: self.show_layer(layer))  # type: ignore[misc]
            made.setCheckable(True)
            made.setObjectName("page")
            made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            self.layers[layer] = made
            line.addWidget(made)
        line.addStretch(1)
        line.addWidget(button("Guide  F1", self.guide_wanted.emit))
        line.addWidget(button("Close  Esc", self.left.emit))
        self.groups = QLabel()
        self.groups.setFont(look.font(13))
        self.groups.setWordWrap(True)
        self.groups.setTextFormat(Qt.TextFormat.RichText)
        self.foot = label(FOOT, soft=True, wrap=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 8)
        column.addLayout(line)
        column.addWidget(self.drawing, 5)
        column.addWidget(self.groups, 3)
        column.addWidget(self.foot)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.hide()

    def open_for(self, view: str, own: Mapping[str, str], written: Mapping[str, str]) -> None:
        """`own`: the view's own keys; `written`: what this keyboard calls keys otherwise."""
        self.drawing.written = written
        self.drawing.view, self.drawing.own = view, dict(own)
        self.title.setText(f"Keys in {view}")
        self._held.clear()
        self.show_layer("")
        self.show()
        self.raise_()
        self.setFocus()

    def show_layer(self, layer: str) -> None:
        self.drawing.layer = layer
        for other, made in self.layers.items():
            made.setChecked(other == layer)
        self.drawing.update()
        self.groups.setText(self._by_group())

    def _by_group(self) -> str:
        """The whole view by group: for who looks for what can be done rather than for a key."""
        found: dict[str, dict[str, list[tuple[str, str]]]] = {group: {} for group in (*GROUPS, OWN)}
        for key in self.drawing.areas():
            words, group, action = self.drawing.meaning_of(key)
            if words:
                name = f"{self.drawing.layer}+{key}" if self.drawing.layer else key
                found[group].setdefault(action, []).append((name, words))
        heading = "<span style='color:#b9ab98'>{}:</span> {}"
        lines = [
            heading.format(group, " · ".join(_together(keys) for keys in actions.values()))
            for group, actions in found.items()
            if actions
        ]
        return "<br>".join(lines) or "No key does anything with these."

    def _change(self, name: str) -> None:
        self.left.emit()
        self._bridge.place_wanted.emit("Cue", f"Shortcuts#key {name}")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        modifier = MODIFIERS.get(Qt.Key(event.key()))
        if modifier is not None:
            self._held.add(modifier)
            self._show_held()
        elif event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        elif event.key() == Qt.Key.Key_F1:
            self.guide_wanted.emit()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        modifier = MODIFIERS.get(Qt.Key(event.key()))
        if modifier is not None:
            self._held.discard(modifier)
            self._show_held()
        else:
            super().keyReleaseEvent(event)

    def _show_held(self) -> None:
        layer = "+".join(name for name in ("Ctrl", "Alt", "Shift") if name in self._held)
        self.show_layer(layer if layer in LAYERS else "")

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.drawing.update()


def _together(keys: list[tuple[str, str]]) -> str:
    """Keys that do the same with other things are said once: “1 … 9 camera 1 …”."""
    (first, words), last = keys[0], keys[-1][0]
    if len(keys) <= 3:
        return " · ".join(f"<b>{_escaped(name)}</b>&nbsp;{_escaped(said)}" for name, said in keys)
    return f"<b>{_escaped(first)} … {_escaped(last)}</b>&nbsp;{_escaped(words)} …"


def _escaped(words: str) -> str:
    return words.replace("&", "&amp;").replace("<", "&lt;")
