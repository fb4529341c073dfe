"""Preferences of this desk, over a view: they hold in every show. What is chosen is kept at once."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.choose_file import ask_for_folder
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label, line
from ribalta.desk.widgets.style import TEXT_SIZES

HOLDS = {"0.5": "half a second", "0.8": "0.8 seconds", "1.2": "1.2 seconds", "2.0": "2 seconds"}
CONFIRMS = {
    "always": "always",
    "on air": "only while the show is on air, recorded or streamed",
}
SIDES = {"right": "at the right", "left": "at the left"}


class PreferencesPage(QWidget):
    """`left` when it is to be put away, `anew` when the window is to be opened once more, with another size of text."""

    left = Signal()
    anew = Signal()
    keeps = ("Esc",)  # on Air too

    def __init__(self, bridge: Bridge, parent: QWidget) -> None:
        super().__init__(parent)
        self._bridge, self._opened_with = bridge, bridge.preferences.text_percent
        self.setAutoFillBackground(True)
        self.hold = Choice("How long a press is held", HOLDS, lambda value: bridge.prefer(hold_s=float(value)))
        self.confirm = Choice("When it has to be held", CONFIRMS, lambda value: bridge.prefer(confirm=value))
        sizes = {str(percent): f"{percent} %" for percent in TEXT_SIZES}
        self.text = Choice("Size of text", sizes, lambda value: bridge.prefer(text_percent=int(value)))
        self.side = Choice("Side column on Air", SIDES, lambda value: bridge.prefer(side=value))
        self.folder = Field("Folder where files are looked for first", lambda text: bridge.prefer(folder=text.strip()))
        self.folder.setPlaceholderText("your home folder")
        self.choose = button("Choose …", self._choose)
        self.again = button("Open the window anew", self.anew.emit, "The show goes on meanwhile")
        self.later = label("", soft=True, wrap=True)
        head = QHBoxLayout()
        title = label("Preferences of this desk")
        title.setFont(look.font(16, look.BOLD))
        head.addWidget(title)
        head.addStretch(1)
        head.addWidget(button("Close  Esc", self.left.emit))
        inside = QWidget()
        inside.setMaximumWidth(look.scaled(760))
        form = Form(inside)
        form.add("What stops or overwrites has to be held", self.confirm)
        form.add("How long it is held", self.hold)
        form.add("Size of text", self.text)
        form.add("Overlays, pads and sound on Air", self.side)
        folder = QWidget()
        folder.setLayout(line(self.folder, self.choose))
        form.add("Files are looked for first in", folder)
        anew = QWidget()
        anew.setLayout(line(self.later, self.again))
        form.add_whole(anew)
        form.end()
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 8)
        column.addLayout(head)
        column.addWidget(inside)
        column.addStretch(1)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        bridge.preferred.connect(self.refresh)
        self.hide()

    def _choose(self) -> None:
        ask_for_folder(self, "Folder", self._bridge.folder, lambda path: self._bridge.prefer(folder=str(path)))

    def refresh(self) -> None:
        chosen = self._bridge.preferences
        nearest = min(HOLDS, key=lambda value: abs(float(value) - chosen.hold_s))
        self.hold.show_value(nearest)
        self.confirm.show_value(chosen.confirm)
        self.text.show_value(str(min(TEXT_SIZES, key=lambda percent: abs(percent - chosen.text_percent))))
        self.side.show_value(chosen.side)
        self.folder.show_text(chosen.folder)
        other = chosen.text_percent != self._opened_with
        self.later.setText("Text has its new size when the window is opened the next time." if other else "")
        self.again.setVisible(other)

    def open(self) -> None:
        self.refresh()
        self.show()
        self.raise_()
        self.confirm.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)
