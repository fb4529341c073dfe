"""Carrying framings over: to and from files and other shows, to paper, and to the camera's own memories."""

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QSpinBox, QWidget

from ribalta.core.show.document.model import Camera, Framing
from ribalta.desk.bridge import Bridge
from ribalta.desk.frame.sheet import write_sheet
from ribalta.desk.painting import look
from ribalta.desk.widgets.choose_file import SHOWS, ask_to_open, ask_to_save
from ribalta.desk.widgets.fields import button, label

TABLES, SHEETS = "Tables (*.csv)", "PDF (*.pdf)"


class CarryPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._camera: Camera | None = None
        self._framing: Framing | None = None
        self.memory = QSpinBox()
        self.memory.setRange(0, 255)
        self.memory.setFont(look.font(14))
        self.memory.setAccessibleName("Number of the camera's own memory")
        self.write = button("Write framing", lambda: self._memory("framing.write_memory"), "The camera keeps it itself")
        self.read = button("Go to memory", lambda: self._memory("camera.read_memory"), "Then store what it shows")
        self.words = label("", soft=True, wrap=True)
        rows = (
            ("Table and folder of pictures", (("Export …", self.write_out), ("Import …", self.bring_in))),
            ("Another show", (("Copy its framings …", self.copy),)),
            ("For the crew, on paper", (("Contact sheet …", self.sheet),)),
        )
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 4, 0, 0)
        grid.setVerticalSpacing(6)
        for k, (words, buttons) in enumerate(rows):
            grid.addWidget(label(words, soft=True), k, 0)
            for column, (text, pressed) in enumerate(buttons, 1):
                made = button(text, pressed)
                made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                grid.addWidget(made, k, column)
        grid.addWidget(label("The camera's own memory", soft=True), 3, 0)
        for column, part in enumerate((self.memory, self.write, self.read), 1):
            grid.addWidget(part, 3, column)
        grid.addWidget(self.words, 4, 0, 1, 4)
        grid.setRowStretch(5, 1)
        grid.setColumnStretch(4, 1)

    def show_framing(self, camera: Camera | None, framing: Framing | None) -> None:
        self._camera, self._framing = camera, framing
        count = camera.head.memories if camera is not None and camera.head is not None else 0
        self.memory.setMaximum(max(0, count - 1))
        self.write.setEnabled(framing is not None and count > 0)
        self.read.setEnabled(count > 0)
        if camera is None or count == 0:
            self.words.setText("This camera has no memories of its own.")
        elif framing is not None and framing.memory is not None:
            self.words.setText(f"“{framing.name}” is in its memory {framing.memory}. It has {count}, from 0.")
        else:
            self.words.setText(f"It has {count}, from 0. A framing is written while the camera is set there.")

    def _memory(self, action: str) -> None:
        if self._camera is not None:
            free = self._framing or None
            letter, page = (free.letter, free.page) if free is not None else ("Q", 0)
            number = self._camera.number
            self._bridge.act(action, camera=number, letter=letter, page=page, memory=self.memory.value())

    def write_out(self) -> None:
        out = self._bridge.transfers.write_out_framings
        ask_to_save(self._bridge, self, "Export the framings", "framings.csv", TABLES, out)

    def bring_in(self) -> None:
        ask_to_open(self._bridge, self, "Import framings", TABLES, self._bridge.transfers.bring_in_framings)

    def copy(self) -> None:
        into = self._bridge.transfers.bring_in_framings
        ask_to_open(self._bridge, self, "Copy framings from another show", SHOWS, into)

    def sheet(self) -> None:
        ask_to_save(self._bridge, self, "Contact sheet", "framings.pdf", SHEETS, self.write_sheet)

    def write_sheet(self, path: Path) -> None:
        state, bridge = self._bridge.state, self._bridge
        bridge.transfers.write(lambda: write_sheet(path, state, bridge.file.picture_waited_for))
