"""Rig: the chosen camera's picture and the floor plan on the left, the cameras and all about one on the right."""

from collections.abc import Mapping
from functools import cached_property, partial
from pathlib import Path
from typing import ClassVar, TypeVar

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from ribalta.core.show.document.model import Mark
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.rig.cameras import PICTURE, ROW_PX, CameraList
from ribalta.desk.rig.card import Card
from ribalta.desk.rig.floor_plan import FloorPlan
from ribalta.desk.rig.furniture import FurnitureLine
from ribalta.desk.rig.guests import GuestsPage
from ribalta.desk.rig.house import HousePage
from ribalta.desk.rig.messages import MessagesPage
from ribalta.desk.rig.microphones import MicrophonesPage
from ribalta.desk.rig.outputs import OutputsPage
from ribalta.desk.widgets.choose_file import ask_to_open, ask_to_save
from ribalta.desk.widgets.fields import Field, button, label
from ribalta.desk.widgets.monitor import FOOT, CameraMonitor, head
from ribalta.desk.widgets.pages import MadePages, Pages, Tabs
from ribalta.desk.widgets.palette import Palette

GAP = 12
PLANS = "Floor plans (*.svg *.csv)"


class MarkLine(QWidget):
    """The chosen mark, in numbers."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._mark: Mark | None = None
        self.name = Field("Mark's name", lambda text: self._keep("name", text))
        self.fields = {
            name: Field(words, lambda text, name=name: self._keep(name, text))  # type: ignore[misc]
            for name, words in (
                ("x_m", "East, metres"),
                ("y_m", "North, metres"),
                ("height_m", "Height, metres"),
                ("facing_deg", "Facing, degrees"),
            )
        }
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.name, 2)
        for (_, field), words in zip(self.fields.items(), ("east", "north", "high", "facing"), strict=True):
            line.addWidget(label(words, soft=True))
            line.addWidget(field, 1)
        line.addWidget(button("Remove", self._remove, "Remove this mark"))

    def show_mark(self, mark: Mark | None) -> None:
        self._mark = mark
        self.setVisible(mark is not None)
        if mark is not None:
            self.name.show_text(mark.name, mark)
            for name, field in self.fields.items():
                field.show_text(f"{getattr(mark, name):g}", mark)

    def _keep(self, name: str, text: str) -> None:
        if self._mark is None:
            return
        value: object = text
        if name != "name":
            try:
                value = float(text.strip().replace(",", "."))
            except ValueError:
                value = text  # the action says what is wrong with it
        self._bridge.act("mark.change", mark=self._mark.id, **{name: value})

    def _remove(self) -> None:
        if self._mark is not None:
            self._bridge.act("mark.remove", mark=self._mark.id)


Other = MicrophonesPage | OutputsPage | MessagesPage | GuestsPage | HousePage
P = TypeVar("P", bound=QWidget)


def _front(page: P) -> P:
    """It has the keyboard while it is in front, and a click gives it."""
    page.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
    return page


class RigView(QWidget):
    """`hint` is what the lowest line says when nothing has happened."""

    own_keys: ClassVar = {
        **{str(n): f"camera {n}" for n in range(1, 10)},
        **dict.fromkeys(("Up", "Down"), "other camera, nudge on the plan"),
        **dict.fromkeys(("Left", "Right"), "nudge on the plan"),
    }
    hint = "Select a camera with its number or the arrows. Click its picture to steer it. F6: Air."

    window_wanted = Signal(str)

    def __init__(self, bridge: Bridge, palette: Palette) -> None:
        super().__init__()
        self._bridge = bridge
        self.monitor = CameraMonitor(bridge, "Add a camera to see its picture here.")
        self.plan = FloorPlan(bridge)
        self.mark_line = MarkLine(bridge)
        self.furniture_line = FurnitureLine(bridge)
        self.list = CameraList(bridge)
        self.card = Card(bridge)
        self.list.chosen.connect(self._chosen)
        self.plan.chosen.connect(self.list.choose)
        self.plan.mark_chosen.connect(lambda _: self._refresh())
        bridge.changed.connect(self._refresh)
        bridge.tick.connect(lambda: self.list.viewport().update() if self.isVisible() else None)
        self.list.offer_for_cameras(self.card.cover, self.card.duplicate, self.card.remove)
        tools = QHBoxLayout()
        if look.text_percent() < 125:  # larger, the buttons need all the room
            tools.addWidget(label("Floor plan"))
        tools.addStretch(1)
        for part in (
            button("Add mark", lambda: self._add("mark"), "Then click where it is"),
            button("Add furniture", lambda: self._add("furniture"), "Then click where it is: it hides what is behind"),
            button("Whole plan", self.plan.fit, "Show everything (0)"),
            button("Import …", self._bring_in, "Marks from an SVG or CSV file"),
            button("Export …", self._write_out, "The plan as SVG or CSV"),
        ):
            tools.addWidget(part)
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addWidget(self.monitor)
        left.addLayout(tools)
        left.addWidget(self.plan, 1)
        left.addWidget(self.mark_line)
        left.addWidget(self.furniture_line)
        buttons = QHBoxLayout()
        self.add = button("Add camera", lambda: bridge.act("camera.add"), "A new one, with the next free number")
        self.look_for = button("Find cameras", self.card.show_find, "Look for cameras on the network")
        self.check_all = button("Check all", self.card.check_all, "What is wrong with which camera, in one list")
        self.card.looked_at.connect(self.list.choose)
        buttons.addWidget(label("Cameras"))
        buttons.addStretch(1)
        buttons.addWidget(self.add)
        buttons.addWidget(self.look_for)
        buttons.addWidget(self.check_all)
        right = QVBoxLayout()
        right.setSpacing(6)
        right.addLayout(buttons)
        right.addWidget(self.list)
        right.addWidget(self.card, 1)
        cameras = QWidget()
        whole = QHBoxLayout(cameras)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(GAP)
        whole.addLayout(left, 1)
        whole.addLayout(right, 1)
        self._palette = palette
        self._others: Mapping[str, Other] = MadePages(
            {
                "Microphones": lambda: self.microphones,
                "Outputs": lambda: self.outputs,
                "Messages": lambda: self.messages,
                "Guests": lambda: self.guests,
                "House": lambda: self.house,
            }
        )
        self.pages: Mapping[str, QWidget] = MadePages(
            {"Cameras": lambda: cameras} | {name: partial(self._others.__getitem__, name) for name in self._others}
        )
        self.page = "Cameras"
        tabs = Tabs(self.pages, self.show_page)
        self._mark, self._stack = tabs.mark, Pages(cameras)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(tabs)
        column.addWidget(self._stack, 1)
        self._mark(self.page)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFocusProxy(self.list)
        self._ids: set[str] = {c.id for c in bridge.state.show.cameras}
        self._chosen(self.list.current or "")

    # The other pages, each made when it is first wanted

    @cached_property
    def microphones(self) -> MicrophonesPage:
        return _front(MicrophonesPage(self._bridge))

    @cached_property
    def outputs(self) -> OutputsPage:
        made = _front(OutputsPage(self._bridge))
        made.window_wanted.connect(self.window_wanted)
        return made

    @cached_property
    def messages(self) -> MessagesPage:
        return _front(MessagesPage(self._bridge, self._palette))

    @cached_property
    def guests(self) -> GuestsPage:
        return _front(GuestsPage(self._bridge))

    @cached_property
    def house(self) -> HousePage:
        return _front(HousePage(self._bridge))

    def show_page(self, name: str) -> None:
        """Cameras, microphones, outputs, messages and controllers, guests, or the house."""
        self.page = name
        self._mark(name)
        self._stack.turn_to(self.pages[name])
        front: QWidget = self.list if name == "Cameras" else self.pages[name]
        self.setFocusProxy(front)
        self.setFocus()
        self.shown()

    def open_at(self, name: str, what: str = "") -> None:
        """A page, at something of it: the address to stream to; or a page of one camera's card."""
        if name in self.card.pages:
            self.show_page("Cameras")
            self.list.choose(what)
            self.card.show_page(name)
            return
        self.show_page(name)
        if what and name == "Outputs":
            self.outputs.open_at(what)

    def _chosen(self, camera_id: str) -> None:
        self.monitor.camera_id = self.plan.current = camera_id or None
        self.card.show_camera(camera_id)
        self.plan.update()
        self._tell_sizes()

    def _refresh(self) -> None:
        """A camera that has just been added is the chosen one."""
        show = self._bridge.state.show
        ids = {c.id for c in show.cameras}
        fresh = ids - self._ids
        self._ids = ids
        if len(fresh) == 1 and not self.card.finds:
            self.list.choose(fresh.pop())
        mark = show.mark(self.plan.mark) if self.plan.mark is not None else None
        if mark is None:
            self.plan.mark = None
        if not self.isVisible():
            return
        if self.page != "Cameras":
            self._others[self.page].refresh()
            return
        self.mark_line.show_mark(mark)
        self.furniture_line.show_box(next((o for o in show.obstacles if o.id == self.plan.furniture), None))
        self.card.refresh()

    # Geometry

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._share_out()

    def shown(self) -> None:
        """This view has come to the front: the live pictures are wanted at its sizes."""
        self._share_out()
        self._refresh()

    def _share_out(self) -> None:
        half = (self._stack.width() - GAP) // 2
        tall = min(half * 9 // 16, int(self._stack.height() * 0.42))
        self.monitor.setFixedHeight(tall + head() + FOOT)
        self._fit_list()
        QTimer.singleShot(0, self, self._tell_sizes)

    def _fit_list(self) -> None:
        """As tall as its cameras need, as far as the card below leaves room."""
        room = self._stack.height() - self.add.height() - self.card.minimumSizeHint().height() - 2 * GAP
        least = 2 if look.text_percent() < 125 else 1
        self.list.setFixedHeight(max(least * look.scaled(ROW_PX), min(room, self.list.tall())))

    def _tell_sizes(self) -> None:
        if not self.isVisible():
            return
        self._fit_list()
        if self.page == "Cameras":
            self.monitor.show_at(PICTURE)
        else:
            self._bridge.show_at("view", {})

    # Hands

    def keyPressEvent(self, event: QKeyEvent) -> None:
        camera = self._bridge.state.show.camera_numbered(event.key() - Qt.Key.Key_0)
        if Qt.Key.Key_1 <= event.key() <= Qt.Key.Key_9 and camera is not None:
            self.list.choose(camera.id)
        else:
            super().keyPressEvent(event)

    def _add(self, what: str) -> None:
        self.plan.adding = what
        self.plan.setCursor(Qt.CursorShape.CrossCursor)

    def _bring_in(self) -> None:
        ask_to_open(self._bridge, self, "Import a floor plan", PLANS, self._ask_scale)

    def _ask_scale(self, path: Path) -> None:
        """A drawing's units are asked for beside the window: nothing waits."""
        into = self._bridge.transfers.bring_in_plan
        if path.suffix.lower() != ".svg":
            into(path, 100.0)
            return
        dialog = QInputDialog(self)
        dialog.setWindowTitle("The drawing's scale")
        dialog.setLabelText(
            "How many units of the drawing are one metre? (100: it is drawn in centimetres; 1000: millimetres)"
        )
        dialog.setInputMode(QInputDialog.InputMode.DoubleInput)
        dialog.setDoubleRange(0.001, 1e6)
        dialog.setDoubleDecimals(3)
        dialog.setDoubleValue(100.0)
        dialog.setModal(False)
        dialog.doubleValueSelected.connect(lambda units: into(path, units))
        dialog.finished.connect(dialog.deleteLater)
        dialog.show()

    def _write_out(self) -> None:
        out = self._bridge.transfers.write_out_plan
        ask_to_save(self._bridge, self, "Export the floor plan", "plan.svg", PLANS, out)
