"""The keyboard of this desk, drawn, with what each key does with the modifiers of one layer."""

from collections.abc import Mapping

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from ribalta.core.show.automation.triggers_pads_shortcuts import How
from ribalta.desk.bridge import Bridge
from ribalta.desk.input.keyboard_areas import key_areas
from ribalta.desk.input.show_keys import CHORDS
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.painting.two_lines import two_lines
from ribalta.desk.words.short_words import group_of, short_words

LAYERS = ("", "Shift", "Ctrl", "Alt", "Ctrl+Shift", "Ctrl+Alt")
SHIFTED = {"=": "+"}  # keys whose upper sign has a meaning of its own
OWN = "Of this view"


class KeyDrawing(QWidget):
    """`clicked` comes with a key and the layer's modifiers, such as “Ctrl+K”. `view`: in which it would be pressed."""

    clicked = Signal(str)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.layer = ""
        self.chosen = ""  # a key with its modifiers, which is edited
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
            chosen = self.chosen == (f"{self.layer}+{key}" if self.layer else key)
            painter.setPen(QPen(look.TEXT, 2) if chosen else QPen(look.EDGE if words else look.LINE, 1))
            painter.setBrush(look.RAIL if words else look.NIGHT)
            painter.drawRoundedRect(area, 4, 4)
            if group == "Take":  # the right hand's
                painter.setPen(QPen(look.TEXT, 2))
                painter.drawLine(area.bottomLeft() + (area.topRight() - area.topLeft()) * 0.1, area.bottomRight())
            inside = area.adjusted(5, 1, -3, -2)
            painter.setFont(look.font(14, look.BOLD, narrow=True))
            painter.setPen(look.LAMP_WARM if words else look.SOFT)
            name = self.written.get(key, key).replace("Num+", "").replace("Backspace", "Back").replace("PgDown", "PgDn")
            name = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, round(inside.width()) + 1)
            line = look.scaled(18)
            roomy = inside.height() >= line + look.scaled(2 * 12)
            head = inside.adjusted(0, 0, 0, -inside.height() + line) if roomy else inside
            painter.drawText(head, Qt.AlignmentFlag.AlignVCenter, name)
            if words and roomy:  # where text is large, the words are said under the mouse
                painter.setPen(look.TEXT)
                painter.setFont(look.font(12, narrow=True))
                two_lines(painter, inside.adjusted(0, line - 1, 0, 0), words)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            at = QPointF(event.pos())
            key = next((key for key, area in self.areas().items() if area.contains(at)), "")
            QToolTip.showText(event.globalPos(), f"{key}: {self.meaning(key)[0] or 'nothing'}" if key else "", self)
            return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        key = next((key for key, area in self.areas().items() if area.contains(event.position())), None)
        if key is not None:
            self.clicked.emit(f"{self.layer}+{key}" if self.layer else key)
