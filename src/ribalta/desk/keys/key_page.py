"""Every key, drawn where it lies, with what it does in this view now. A modifier that is held shows what it does then.

A click on a key opens where it is changed; F1 once more opens the guide.
"""

from collections.abc import Mapping

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ribalta.desk.bridge import Bridge
from ribalta.desk.input.key_drawing import LAYERS, OWN, KeyDrawing
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import button, label
from ribalta.desk.words.short_words import GROUPS
from ribalta.workers.logfile import log_path

MODIFIERS = {Qt.Key.Key_Shift: "Shift", Qt.Key.Key_Control: "Ctrl", Qt.Key.Key_Alt: "Alt"}
FOOT = (
    "A click on a key opens where it is changed. A key that is written otherwise on this keyboard says so once it was"
    f" pressed. What went wrong is in {log_path()}"
)


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
        self.drawing = KeyDrawing(bridge)
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
