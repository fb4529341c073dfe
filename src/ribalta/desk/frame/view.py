"""Frame: the steered camera large, its framings beside it; below it everything about aiming, judging and keeping them.

Works the same on any camera, by its number. Letters send the camera to its framings: nothing here changes what is
on air, but a camera that is on air moves only with Ctrl held, slowly.
"""

from typing import ClassVar

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.model import LETTERS, Camera, Framing
from ribalta.desk.bridge import Bridge
from ribalta.desk.frame.aim import AimPage
from ribalta.desk.frame.compose import ComposePage
from ribalta.desk.frame.framing_copies import of_framings
from ribalta.desk.frame.framing_tables import CarryPage
from ribalta.desk.frame.list import FramingList
from ribalta.desk.frame.monitor import FrameMonitor
from ribalta.desk.frame.strip import PICTURE, CameraStrip
from ribalta.desk.frame.truth import TruthPage
from ribalta.desk.input.gamepad import Gamepad, Gamepads
from ribalta.desk.input.keyboard import key_name
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import button, label
from ribalta.desk.widgets.monitor import FOOT
from ribalta.desk.widgets.pages import Pages, Tabs

GAP, TOOLS_PX = 10, 222
STEPS = {"Left": (-1, 0), "Right": (1, 0), "Up": (0, 1), "Down": (0, -1)}
COARSE, FINE = 0.02, 0.005
ZOOMS = {"+": 1, "=": 1, "-": -1}


class FrameView(QWidget):
    """See the design page. `hint` is what the lowest line says when nothing has happened."""

    own_keys: ClassVar = {
        **{str(n): f"camera {n}" for n in range(1, 10)},
        **{x: f"send to {x}" for x in LETTERS},
        **{f"Shift+{x}": f"store on {x}" for x in LETTERS},
        **{f"Ctrl+Shift+{x}": f"on air to {x}" for x in LETTERS},
        **dict.fromkeys(("Left", "Right", "Up", "Down", "=", "-"), "steer"),
        **dict.fromkeys(("Ctrl+Left", "Ctrl+Right", "Ctrl+Up", "Ctrl+Down", "Ctrl+=", "Ctrl+-"), "steer finely"),
        "N": "rename",
        "P": "lock",
        "Del": "remove",
        "M": "nudge to here",
        "B": "new picture",
        "H": "ghost",
        "K": "keep trim",
        "O": "drop trim",
        "/": "search",
        "Esc": "end search",
        "PgDown": "turn page",
        "PgUp": "turn page",
    }
    hint = "A number selects the camera, a letter sends it, Shift and a letter stores. Arrows, + - steer. / searches."

    def __init__(self, bridge: Bridge, pads: Gamepads | None = None) -> None:
        super().__init__()
        self._bridge = bridge
        self.strip = CameraStrip(bridge)
        self.monitor = FrameMonitor(bridge)
        self.list = FramingList(bridge)
        self.several = of_framings(bridge)
        self.gamepad = Gamepad(bridge, pads, self._framed)
        self.search = QLineEdit()
        self.search.setObjectName("field")
        self.search.setFont(look.font(14))
        self.search.setPlaceholderText("/  search all framings")
        self.search.setAccessibleName("Search")
        self.search.setClearButtonEnabled(True)
        self.search.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.search.textChanged.connect(self.list.search)
        self.search.returnPressed.connect(self._send_found)
        self.page = label("", soft=True)
        self.name_field = QLineEdit(self.list)
        self.name_field.setMaxLength(80)
        self.name_field.setFont(look.font(15, look.MEDIUM))
        self.name_field.hide()
        self.name_field.returnPressed.connect(self._renamed)
        self.name_field.editingFinished.connect(self.name_field.hide)
        self.aim = AimPage(bridge, self.monitor, self.gamepad)
        self.compose = ComposePage(bridge)
        self.truth = TruthPage(bridge)
        self.carry = CarryPage(bridge)
        self.pages = {
            "Aim": self.aim,
            "Frame it for me": self.compose,
            "Still true?": self.truth,
            "Carry over": self.carry,
        }
        self._lay_out()
        self._stroke = 0
        self._stores_over = False  # by a key that is held
        self._asked: tuple[object, ...] = ()
        self.strip.chosen.connect(self.choose)
        self.list.chosen.connect(self.send)
        self.list.dropped.connect(self._dropped)
        self.list.dragged.connect(self._dragged)
        self.list.rename_wanted.connect(self.ask_for_name)
        self.gamepad.changed.connect(self._refresh)
        bridge.changed.connect(self._refresh)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        for part in (self.monitor, self.list, self.strip):  # a press beside a text field ends the typing
            part.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
            part.setFocusProxy(self)
        show = bridge.state.show
        first = show.camera(bridge.state.desk.row or "") or next(iter(show.cameras), None)
        self.choose(first.id if first is not None else "")

    def _lay_out(self) -> None:
        self._stack = Pages(*self.pages.values())
        tabs = Tabs(self.pages, self.show_page)
        self.tabs = tabs.words
        self._mark = tabs.mark
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addWidget(self.monitor)
        left.addLayout(tabs)
        left.addWidget(self._stack, 1)
        head = QHBoxLayout()
        head.addWidget(self.search, 1)
        head.addWidget(self.page)
        for words, by in (("‹", -1), ("›", 1)):
            turn = button(words, lambda by=by: self._bridge.act("board.page", by=by))  # type: ignore[misc]
            turn.setToolTip("Another page of ten: PgUp, PgDown")
            turn.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            head.addWidget(turn)
        right = QVBoxLayout()
        right.setSpacing(6)
        right.addLayout(head)
        right.addWidget(self.list, 1)
        below = QHBoxLayout()
        below.setSpacing(GAP)
        below.addLayout(left, 63)
        below.addLayout(right, 37)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.strip)
        column.addLayout(below, 1)
        self.show_page("Aim")

    def show_page(self, name: str) -> None:
        self._stack.turn_to(self.pages[name])
        self._mark(name)
        self._refresh()

    def open_at(self, page: str, framing_id: str = "") -> None:
        """One of its pages, at a framing."""
        framing = self._bridge.state.show.framing(framing_id)
        if framing is not None:
            self.choose(framing.camera_id)
            self.list.current = self.monitor.framing_id = framing.id
        self.show_page(page)

    # What is framed

    @property
    def camera(self) -> Camera | None:
        return self._bridge.state.show.camera(self.monitor.camera_id or "")

    @property
    def framing(self) -> Framing | None:
        """The one that keys and buttons mean: the one that was pressed last, of any camera while searching."""
        return self._bridge.state.show.framing(self.list.current or "")

    def _framed(self) -> str | None:
        return self.monitor.camera_id if self.isVisible() else None

    def choose(self, camera_id: str) -> None:
        """This camera is steered from now on; letters mean its row."""
        self.monitor.camera_id = self.list.camera_id = self.strip.current = camera_id or None
        camera = self.camera
        if camera is not None:
            if self.isVisible():
                self._bridge.act("row.select", camera=camera.number)
            self.list.current, self.list.picked = self._bridge.state.live(camera.id).goal_framing_id, set()
            self.monitor.framing_id = self.list.current
        self._tell_sizes()
        self._refresh()

    def send(self, framing_id: str) -> None:
        """Send its camera there; the picture is held against it."""
        framing = self._bridge.state.show.framing(framing_id)
        camera = self._bridge.state.show.camera(framing.camera_id) if framing is not None else None
        if framing is None or camera is None:
            return
        if camera.id != self.monitor.camera_id:
            self.choose(camera.id)
        self.list.current = self.monitor.framing_id = framing.id
        self._bridge.act("framing.restore", camera=camera.number, letter=framing.letter, page=framing.page)
        self._refresh()

    def _send_found(self) -> None:
        found = self.list.found() if self.list.sought else []
        self.search.clear()
        self.setFocus()
        if found:
            self.send(found[0].id)
            self._bridge.act("board.page", by=found[0].page - self._bridge.state.desk.page)

    def _refresh(self) -> None:
        state = self._bridge.state
        if self.camera is None and state.show.cameras:
            self.choose(state.show.cameras[0].id)
            return
        sent = state.live(self.monitor.camera_id or "").goal_framing_id
        if sent is not None and self.monitor.framing_id is None:
            self.monitor.framing_id = sent
        if not self.isVisible():
            return
        last = max((f.page for f in state.show.framings if f.camera_id == self.monitor.camera_id), default=0)
        self.page.setText(f"page {state.desk.page + 1} of {max(last, state.desk.page) + 1}")
        framing = self.monitor.framing()
        self.aim.refresh()
        self.truth.show_framing(self.camera, framing)
        self.carry.show_framing(self.camera, framing)
        if self._stack.current is self.compose:
            self.compose.refresh()
            self.compose.show_framing(framing)
        self.list.update()

    # Renaming, dragging

    def ask_for_name(self, framing_id: str) -> None:
        rows = self.list.rows
        k = next((i for i, (_, f) in enumerate(rows) if f is not None and f.id == framing_id), None)
        framing = self._bridge.state.show.framing(framing_id)
        if k is None or framing is None:
            return
        self.list.current = framing_id
        area = self.list.row_area(k)
        left = 30 + area.height() * 16 / 9 + 6
        self.name_field.setGeometry(int(left), int(area.top()) + 2, int(area.width() - left - 4), 30)
        self.name_field.setText(framing.name)
        self.name_field.show()
        self.name_field.selectAll()
        self.name_field.setFocus()

    def _renamed(self) -> None:
        framing, text = self.framing, self.name_field.text()
        self.name_field.hide()
        self.setFocus()
        if framing is not None:
            self._on(framing, "framing.rename", name=text)

    def _on(self, framing: Framing, action: str, **arguments: object) -> None:
        camera = self._bridge.state.show.camera(framing.camera_id)
        if camera is not None:
            self._bridge.act(action, camera=camera.number, letter=framing.letter, page=framing.page, **arguments)

    def _dragged(self, at: QPoint) -> None:
        camera = self.strip.camera_at(at)
        self.strip.target = camera.id if camera is not None else None

    def _dropped(self, framing_id: str, at: QPoint) -> None:
        self.strip.target = None
        framing, camera = self._bridge.state.show.framing(framing_id), self.strip.camera_at(at)
        if framing is not None and camera is not None and camera.id != framing.camera_id:
            self._on(framing, "framing.move", to_letter=framing.letter, to_page=framing.page, to_camera=camera.number)

    # Geometry

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._share_out()

    def shown(self) -> None:
        """This view has come to the front: the live pictures are wanted at its sizes."""
        self._share_out()
        if self.monitor.camera_id is not None:
            self.choose(self.monitor.camera_id)
        self._refresh()

    def _share_out(self) -> None:
        wide = int((self.width() - GAP) * 0.63)
        tall = min(wide * 9 // 16, self.height() - self.strip.height() - FOOT - TOOLS_PX)
        self.monitor.setFixedHeight(tall + FOOT)
        QTimer.singleShot(0, self, self._tell_sizes)

    def _tell_sizes(self) -> None:
        if self.isVisible():
            self.monitor.show_at(PICTURE)

    # Keys

    def keyPressEvent(self, event: QKeyEvent) -> None:
        name = key_name(event)
        if not event.isAutoRepeat():
            self._stroke += 1
        if not (self._steer(name) or (not event.isAutoRepeat() and (self._choose(name, event) or self._mend(name)))):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat() and self._stores_over:
            self._stores_over = False
            self._bridge.let_go()
        super().keyReleaseEvent(event)

    def _steer(self, name: str) -> bool:
        plain = name.removeprefix("Ctrl+")
        fine = plain != name
        camera = self.camera
        if camera is None or not (plain in STEPS or plain in ZOOMS):
            return False
        step = FINE if fine else COARSE
        right, up = STEPS.get(plain, (0, 0))
        zoom = ZOOMS.get(plain, 0) * (0.1 if fine else 0.5)
        hand = {"hand": "keys", "stroke": self._stroke, "live": fine}
        self._bridge.act("trim", camera=camera.number, right=right * step, up=up * step, zoom_steps=zoom, **hand)
        return True

    def _choose(self, name: str, event: QKeyEvent) -> bool:
        state, camera = self._bridge.state, self.camera
        if name.isdigit() and len(name) == 1:
            numbered = state.show.camera_numbered(int(name))
            if numbered is not None:
                self.choose(numbered.id)
            return True
        keys, _, letter = name.rpartition("+")
        if letter and letter in LETTERS and keys in ("", "Shift", "Ctrl+Shift") and camera is not None:
            framing = state.show.framing_at(camera.id, state.desk.page * len(LETTERS) + LETTERS.index(letter))
            place = {"camera": camera.number, "letter": letter, "page": state.desk.page}
            if keys == "Shift":
                self._store(Call(action="framing.store", arguments={**place, "light": self.aim.light.isChecked()}))
            elif keys == "Ctrl+Shift" and state.on_air(camera.id):
                self._bridge.act("ready.framing", **place, live=True)
            elif framing is not None:
                self.send(framing.id)
            else:
                self._bridge.act("framing.restore", **place)
            return True
        if name in ("PgDown", "PgUp"):
            self._bridge.act("board.page", by=1 if name == "PgDown" else -1)
            return True
        return False

    def _store(self, call: Call) -> None:
        """At once where there is nothing yet; else it has to be held."""
        self._stores_over = self._bridge.begin(call, by_mouse=False)

    def _copy(self) -> None:
        self.several.copy_all(self.list.selected())

    def _remove(self) -> None:
        self.several.remove_all(self.list.selected())
        self.list.picked = set()

    def _cut(self) -> None:
        self._copy()
        self._remove()

    def _mend(self, name: str) -> bool:
        camera, framing = self.camera, self.framing
        several = {"Ctrl+C": self._copy, "Ctrl+X": self._cut, "Ctrl+V": self.several.paste_all}
        if len(self.list.picked) > 1:
            several["Del"] = self._remove
        if name in several:
            several[name]()
            return True
        on_framing = {"P": "framing.lock", "Del": "framing.remove", "M": "framing.nudge", "B": "framing.retake"}
        if name.endswith("/"):  # on some keyboards it takes Shift
            self.search.setFocus()
        elif name == "H":
            self.aim.toggle_ghost()
        elif name == "N" and framing is not None:
            self.ask_for_name(framing.id)
        elif name in on_framing and framing is not None:
            self._on(framing, on_framing[name])
        elif name in ("K", "O") and camera is not None:
            self._bridge.act("trim.keep" if name == "K" else "trim.drop", camera=camera.number)
        elif name == "Esc":
            self.search.clear()
            self.name_field.hide()
            self.setFocus()
        else:
            return False
        return True
