"""Finding a control by working it: the next key, pad, note or gamepad button, wherever the keyboard is."""

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication

from ribalta.desk.bridge import Bridge
from ribalta.desk.input.keyboard import key_name

MODIFIERS = (Qt.Key.Key_Shift, Qt.Key.Key_Control, Qt.Key.Key_Alt, Qt.Key.Key_Meta, Qt.Key.Key_AltGr)


class ControlFinder(QObject):
    """`found` comes with a control, such as “key Ctrl+K”, while it is `finding`; it goes on until told to stop."""

    found = Signal(str)

    def __init__(self, bridge: Bridge, parent: QObject) -> None:
        super().__init__(parent)
        self._bridge = bridge
        self.finding = False
        bridge.learned.connect(self._found)

    def find(self, on: bool) -> None:
        """Begin, or stop."""
        if on == self.finding:
            return
        self.finding = on
        self._bridge.controls.learn(on)
        app = QApplication.instance()
        if app is not None:
            (app.installEventFilter if on else app.removeEventFilter)(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """While it is looked for, the next key is caught wherever it goes."""
        if not self.finding or not isinstance(event, QKeyEvent):
            return False
        if event.type() == QEvent.Type.KeyPress and event.key() not in MODIFIERS and not event.isAutoRepeat():
            self._found(f"key {key_name(event)}")
        return event.type() in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease, QEvent.Type.ShortcutOverride)

    def _found(self, control: str) -> None:
        if self.finding:
            self.found.emit(control)
