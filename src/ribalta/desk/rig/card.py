"""Everything about the chosen camera: its number and name, and a page for each thing that is set up."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from ribalta.core.show.document.model import Camera
from ribalta.core.survey.job import Kind
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.rig.adjust import AdjustPage
from ribalta.desk.rig.check_all import CheckAllPage
from ribalta.desk.rig.find import FindPage
from ribalta.desk.rig.place import PlacePage
from ribalta.desk.rig.reach import ReachPage
from ribalta.desk.widgets.fields import Field, button, label
from ribalta.desk.widgets.jobs import JobPage, MeasurePage

CHECKING = "Looks for what is wrong between here and the camera, step by step, and says what to do about it."
MEASURING = (
    "Moves the camera for about a minute, timing it and watching its picture, so that the seconds on the board are"
    " right. Nobody should stand on air in its picture meanwhile."
)


_Page = ReachPage | JobPage | PlacePage | AdjustPage


class Card(QWidget):
    """`looked_at` comes with a camera that was selected in the summary of a check."""

    looked_at = Signal(str)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._camera: Camera | None = None
        self.number = Field("Number", self._renumber, "Another number; one that is taken is swapped")
        self.number.setFixedWidth(look.scaled(48))
        self.name = Field("Name", self._rename)
        self.name.setMaxLength(80)
        self.reach, self.place, self.adjust = ReachPage(bridge), PlacePage(bridge), AdjustPage(bridge)
        self.check = JobPage(bridge, Kind.CHECK, "Check this camera", CHECKING)
        self.measure = MeasurePage(bridge, Kind.MEASURE, "Measure this camera", MEASURING)
        self.finder = FindPage(bridge)
        self.finder.left.connect(lambda: self.show_page("Reach"))
        self.summary = CheckAllPage(bridge, self.looked_at.emit)
        self.summary.left.connect(lambda: self.show_page("Reach"))
        self.pages: dict[str, _Page] = {
            "Reach": self.reach,
            "Check": self.check,
            "Measure": self.measure,
            "Place": self.place,
            "Adjust": self.adjust,
        }
        self._stack = QStackedWidget()
        self._words: dict[str, QPushButton] = {}
        self._head, self._tabs = QWidget(), QWidget()
        words = QHBoxLayout(self._tabs)
        words.setContentsMargins(0, 0, 0, 0)
        for name, page in self.pages.items():
            self._stack.addWidget(page)
            word = button(name, lambda name=name: self.show_page(name))  # type: ignore[misc]
            word.setObjectName("page")
            word.setCheckable(True)
            self._words[name] = word
            words.addWidget(word)
        words.addStretch(1)
        self._stack.addWidget(self.finder)
        self._stack.addWidget(self.summary)
        head = QHBoxLayout(self._head)
        head.setContentsMargins(0, 0, 0, 0)
        self.cover = button("Cover shot", lambda: self._act("camera.cover"), "Make it the shot that is always safe")
        head.addWidget(label("Camera"))
        head.addWidget(self.number)
        head.addWidget(self.name, 1)
        head.addWidget(self.cover)
        self.duplicate = button("Duplicate", lambda: self._act("camera.duplicate"), "Another of the same model")
        self.remove = button("Remove", lambda: self._act("camera.remove"), "Ctrl+Z brings it back")
        head.addWidget(self.duplicate)
        head.addWidget(self.remove)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self._head)
        column.addWidget(self._tabs)
        column.addWidget(self._stack, 1)
        self.show_page("Reach")

    def show_page(self, name: str) -> None:
        self._stack.setCurrentWidget(self.pages[name])
        for other, word in self._words.items():
            word.setChecked(other == name)
        self.refresh()

    def show_find(self) -> None:
        self._show_over(self.finder)
        self.finder.address.setFocus()

    def check_all(self) -> None:
        """Begin it, and show how it goes."""
        self._show_over(self.summary)
        self.summary.check()

    def _show_over(self, page: QWidget) -> None:
        """In place of the pages of one camera."""
        for word in self._words.values():
            word.setChecked(False)
        self._stack.setCurrentWidget(page)
        self.refresh()

    @property
    def finds(self) -> bool:
        """Are cameras looked for here?"""
        return self._stack.currentWidget() is self.finder

    def show_camera(self, camera_id: str) -> None:
        if self.finds and camera_id and self._camera is not None:
            self.show_page("Reach")
        elif self._stack.currentWidget() is self.summary and camera_id:
            self.show_page("Check")
        self._camera = self._bridge.state.show.camera(camera_id)
        if self._camera is None:
            self._stack.setCurrentWidget(self.finder)
        self.refresh()

    def refresh(self) -> None:
        camera = self._bridge.state.show.camera(self._camera.id) if self._camera is not None else None
        self._camera = camera
        for part in (self._head, self._tabs):
            part.setVisible(camera is not None)
        self.finder.refresh()
        if self._stack.currentWidget() is self.summary:
            self.summary.refresh()
        if camera is None:
            return
        self.number.show_text(str(camera.number), camera)
        self.name.show_text(camera.name, camera)
        cover = self._bridge.state.show.settings.cover_camera_id == camera.id
        self.cover.setText("Is the cover shot" if cover else "Make cover shot")
        self.cover.setEnabled(not cover)
        for page in self.pages.values():
            if page is self._stack.currentWidget():
                page.show_camera(camera)

    def _act(self, action: str, **arguments: object) -> None:
        if self._camera is not None:
            self._bridge.act(action, camera=self._camera.number, **arguments)

    def _rename(self, text: str) -> None:
        self._act("camera.rename", name=text)

    def _renumber(self, text: str) -> None:
        text = text.strip()
        self._act("camera.renumber", to=int(text) if text.isascii() and text.isdigit() else text)
