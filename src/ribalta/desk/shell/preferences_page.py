"""Preferences of this desk, over a view: they hold in every show. What is chosen is kept at once."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.shell.over_page import OverPage
from ribalta.desk.widgets.choose_file import ask_for_folder
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label, line
from ribalta.desk.widgets.style import TEXT_SIZES, fitting

HOLDS = {"0.5": "half a second", "0.8": "0.8 seconds", "1.2": "1.2 seconds", "2.0": "2 seconds"}
CONFIRMS = {
    "always": "always",
    "on air": "only while the show is on air, recorded or streamed",
}
SIDES = {"right": "at the right", "left": "at the left"}


class PreferencesPage(OverPage):
    """`anew` when the window is to be opened once more, with another size of text."""

    anew = Signal()

    def __init__(self, bridge: Bridge, parent: QWidget) -> None:
        super().__init__("Preferences of this desk", parent)
        self._bridge = bridge
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
        self.column.addWidget(inside)
        self.column.addStretch(1)
        bridge.preferred.connect(self.refresh)

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
        room = fitting(chosen.text_percent, self.screen().availableSize())
        other = room != look.text_percent()
        small = "" if room == chosen.text_percent else f"This screen has room for {room} %. "
        self.later.setText(
            f"{small}{'Text has its new size when the window is opened the next time.' if other else ''}"
        )
        self.again.setVisible(other)

    def open(self) -> None:
        super().open()
        self.confirm.setFocus()
