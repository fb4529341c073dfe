"""Aiming: guides, the ghost, what is stored, the trim, and what the stick moves."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QSlider, QWidget

from ribalta.core.base.aim import STILL
from ribalta.desk.bridge import Bridge
from ribalta.desk.frame.monitor import GUIDES, FrameMonitor
from ribalta.desk.input.gamepad import Gamepad
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Field, button, label
from ribalta.desk.words.framing_words import focus_words


class AimPage(QWidget):
    def __init__(self, bridge: Bridge, monitor: FrameMonitor, gamepad: Gamepad) -> None:
        super().__init__()
        self._bridge, self._monitor, self._gamepad = bridge, monitor, gamepad
        self.guides = {name: self._check(words, name) for name, words in GUIDES.items()}
        self.ghost = QSlider(Qt.Orientation.Horizontal)
        self.ghost.setRange(0, 90)
        self.ghost.setAccessibleName("Strength of the ghost")
        self.ghost.setToolTip("The stored picture over the live one: H switches it on and off")
        self.ghost.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.ghost.valueChanged.connect(self._ghosted)
        self.light = QCheckBox("Store exposure and white balance too")
        self.light.setFont(look.font(14))
        self.light.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.focus = label("", soft=True)
        self.trim = label("")
        self.keep = button("Keep  K", lambda: self._trim("trim.keep"), "Store the trim with its framing")
        self.drop = button("Drop  O", lambda: self._trim("trim.drop"), "Back to the stored framing")
        self.live_s = Field(
            "Seconds of a move on air", self._seconds, "Ctrl+Shift and a letter moves the camera on air"
        )
        self.live_s.setMaximumWidth(look.scaled(60))
        self.stick = label("", soft=True, wrap=True)
        self.pin = button("Pin", self._pin, "Keep the stick on this camera, whatever is Next")
        for part in (self.keep, self.drop, self.pin):
            part.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 4, 0, 0)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(6)
        guides = QHBoxLayout()
        guides.setSpacing(24)
        for check in self.guides.values():
            guides.addWidget(check)
        guides.addStretch(1)
        grid.addWidget(label("Guides", soft=True), 0, 0)
        grid.addLayout(guides, 0, 1, 1, 3)
        grid.addWidget(label("Ghost of the framing", soft=True), 1, 0)
        grid.addWidget(self.ghost, 1, 1, 1, 3)
        grid.addWidget(self.trim, 2, 0, 1, 2)
        grid.addWidget(self.keep, 2, 2)
        grid.addWidget(self.drop, 2, 3)
        grid.addWidget(self.light, 3, 0, 1, 2)
        grid.addWidget(self.focus, 3, 2, 1, 2)
        grid.addWidget(label("Seconds of a move on air", soft=True), 4, 0)
        grid.addWidget(self.live_s, 4, 1)
        grid.addWidget(self.stick, 4, 2)
        grid.addWidget(self.pin, 4, 3)
        grid.setRowStretch(5, 1)
        for column in range(4):
            grid.setColumnStretch(column, 1)

    def _check(self, words: str, name: str) -> QCheckBox:
        check = QCheckBox(words)
        check.setFont(look.font(14))
        check.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        check.setChecked(self._monitor.guides[name])
        check.toggled.connect(lambda on: self._guide(name, on))
        return check

    def _guide(self, name: str, on: bool) -> None:
        self._monitor.guides[name] = on
        self._monitor.update()

    def _ghosted(self, value: int) -> None:
        self._monitor.ghost = value / 100
        self._monitor.update()

    def toggle_ghost(self) -> None:
        self.ghost.setValue(0 if self.ghost.value() else 45)

    def _trim(self, action: str) -> None:
        camera = self._bridge.state.show.camera(self._monitor.camera_id or "")
        if camera is not None:
            self._bridge.act(action, camera=camera.number)

    def _seconds(self, text: str) -> None:
        self._bridge.act("live_move.seconds", seconds=text.replace(",", "."))

    def _pin(self) -> None:
        self._gamepad.pin(None if self._gamepad.pinned == self._monitor.camera_id else self._monitor.camera_id)
        self.refresh()

    def refresh(self) -> None:
        state = self._bridge.state
        camera = state.show.camera(self._monitor.camera_id or "")
        live = state.live(camera.id) if camera is not None else None
        trimmed = live is not None and live.trim != STILL
        framing = state.show.framing(live.goal_framing_id or "") if live is not None else None
        self.trim.setText(f"Trimmed away from “{framing.name}”" if trimmed and framing is not None else "No trim")
        self.keep.setEnabled(trimmed)
        self.drop.setEnabled(trimmed)
        self.focus.setText(focus_words(state, camera) if camera is not None else "")
        self.live_s.show_text(f"{state.show.settings.live_move_s:g}")
        self.stick.setText(self._gamepad.words())
        self.pin.setText("Let go" if self._gamepad.pinned is not None else "Pin")
        self.pin.setVisible(self._gamepad.present)
