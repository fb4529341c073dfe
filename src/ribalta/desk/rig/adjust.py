"""Settings of a camera: what it reports, and what was asked beside it until the two agree. Speeds, home, copying."""

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QGridLayout, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from ribalta.core.ports.shots import SettingLive
from ribalta.core.show.document.model import Camera
from ribalta.core.show.document.settings import SETTINGS, Setting
from ribalta.desk.bridge import Bridge
from ribalta.desk.widgets.fields import Choice, button, label

PACES = {"1.0": "full", "0.75": "three quarters", "0.5": "half", "0.25": "a quarter", "0.1": "a tenth"}


class _Row:
    """One setting: its name, the value, and a way to change it."""

    def __init__(self, page: "AdjustPage", setting: Setting, grid: QGridLayout, row: int) -> None:
        self.setting = setting
        self.name, self.value = label(setting.label, soft=True), label()
        grid.addWidget(self.name, row, 0)
        grid.addWidget(self.value, row, 1)
        self.parts: list[QWidget] = [self.name, self.value]
        self.choice: Choice | None = None
        if setting.choices:
            words = {value: value for value in setting.choices}
            self.choice = Choice(setting.label, words, partial(page.set_value, setting))
            grid.addWidget(self.choice, row, 2)
            self.parts.append(self.choice)
        else:
            steps = QWidget()
            line = QHBoxLayout(steps)
            line.setContentsMargins(0, 0, 0, 0)
            line.setSpacing(4)
            for text, by, way in (("−", -1, "less"), ("+", 1, "more")):
                press = button(text, partial(page.step, setting, by), f"{setting.label}: {way}; Shift for large steps")
                press.setAccessibleName(f"{setting.label}: {way}")
                line.addWidget(press, 1)
            grid.addWidget(steps, row, 2)
            self.parts.append(steps)

    def show_live(self, camera: Camera, live: SettingLive) -> None:
        known = camera.head is not None and self.setting.id in camera.head.settings
        for part in self.parts:
            part.setVisible(known)
        reported = "not said yet" if live.reported is None else str(live.reported)
        self.value.setText(reported if live.asked is None else f"{reported} → {live.asked} asked")
        if self.choice is not None and live.reported is not None:
            self.choice.show_value(str(live.asked if live.asked is not None else live.reported))


class AdjustPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._camera: Camera | None = None
        inside = QWidget()
        grid = QGridLayout(inside)
        grid.setContentsMargins(0, 0, 8, 0)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(2, 1)
        self.rows = [_Row(self, setting, grid, k) for k, setting in enumerate(SETTINGS)]
        grid.setRowStretch(len(self.rows), 1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inside)
        self.recall = Choice("Speed of recalls", PACES, lambda v: self._pace(recall=float(v)))
        self.steer = Choice("Speed of steering", PACES, lambda v: self._pace(steer=float(v)))
        self.other = Choice("Copy to", {})
        self.none = label("", soft=True, wrap=True)
        line = QHBoxLayout()
        for text, part in (("Recalls at", self.recall), ("Steering at", self.steer)):
            line.addWidget(label(text, soft=True))
            line.addWidget(part, 1)
        line.addWidget(button("Home", self._home, "Send the camera to its home position"))
        copies = QHBoxLayout()
        self.copy: QPushButton = button("Copy settings to", self._copy)
        copies.addWidget(self.copy)
        copies.addWidget(self.other, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.addLayout(line)
        column.addWidget(self.none)
        column.addWidget(scroll, 1)
        column.addLayout(copies)

    def show_camera(self, camera: Camera | None) -> None:
        self._camera = camera
        if camera is None:
            return
        live = self._bridge.state.live(camera.id)
        for row in self.rows:
            row.show_live(camera, live.settings.get(row.setting.id, SettingLive()))
        has = camera.head is not None and bool(camera.head.settings)
        self.none.setVisible(not has)
        self.none.setText(
            "This camera's model has no settings that can be changed from here."
            if camera.steered
            else "A fixed camera has no settings that can be changed from here."
        )
        self.recall.show_value(f"{camera.recall_pace:g}" if camera.recall_pace < 1 else "1.0")
        self.steer.show_value(f"{camera.steer_pace:g}" if camera.steer_pace < 1 else "1.0")
        others = {str(c.number): f"camera {c.number}" for c in self._bridge.state.show.cameras if c.id != camera.id}
        if [self.other.itemData(k) for k in range(self.other.count())] != list(others):
            self.other.clear()
            for number, words in others.items():
                self.other.addItem(words, number)
        self.copy.setEnabled(has and bool(others))

    def set_value(self, setting: Setting, value: str) -> None:
        if self._camera is not None:
            self._bridge.act("camera.set", camera=self._camera.number, setting=setting.id, value=value)

    def step(self, setting: Setting, by: int) -> None:
        coarse = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
        if self._camera is not None:
            self._bridge.act("camera.step", camera=self._camera.number, setting=setting.id, steps=by, coarse=coarse)

    def _pace(self, **paces: float) -> None:
        if self._camera is not None:
            self._bridge.act("camera.pace", camera=self._camera.number, **paces)

    def _home(self) -> None:
        if self._camera is not None:
            self._bridge.act("camera.home", camera=self._camera.number)

    def _copy(self) -> None:
        if self._camera is not None and self.other.count():
            self._bridge.act("camera.copy_settings", camera=self._camera.number, to=int(self.other.value()))
