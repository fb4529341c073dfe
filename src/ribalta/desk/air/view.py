"""Air: On air, Next and Then above the board. Every key belongs to the show; no text field keeps the focus."""

from collections.abc import Callable

from PySide6.QtCore import QEvent, QRectF, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ribalta.core.engine.actions.board import in_bank
from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.state.live import SCENE_ROW
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.triggers_pads_shortcuts import How
from ribalta.core.show.document.model import LETTERS
from ribalta.desk.air.board import Board
from ribalta.desk.air.chooser import Chooser
from ribalta.desk.air.layout import SCENES, TilePlace
from ribalta.desk.air.side import Side
from ribalta.desk.air.then import Then
from ribalta.desk.bridge import Bridge, one_shot
from ribalta.desk.input.keyboard import key_name
from ribalta.desk.painting import look
from ribalta.desk.widgets.monitor import FOOT, Monitor, head
from ribalta.desk.widgets.pads_window import PadsPane

MARGIN = 12


class NameField(QLineEdit):
    """A name typed in place. Enter keeps it; Escape, or looking elsewhere, does not."""

    def __init__(self, board: Board, bridge: Bridge) -> None:
        super().__init__(board)
        self._board = board
        self._bridge = bridge
        self._place: TilePlace | None = None
        self.setFont(look.font(14, look.MEDIUM))
        self.setMaxLength(80)
        self.returnPressed.connect(self._done)
        self.hide()

    def ask(self, place: TilePlace, area: QRectF) -> None:
        name = self._name_at(place)
        if name is None:
            return
        self._place = place
        self.setText(name)
        wide = max(180, int(area.width()))
        left = min(int(area.left()), self._board.width() - wide)
        self.setGeometry(left, int(area.bottom()) - 27, wide, 28)
        self.show()
        self.raise_()
        self.selectAll()
        self.setFocus()

    def _name_at(self, place: TilePlace) -> str | None:
        state = self._bridge.state
        if place.letter is None:
            return None
        slot = state.desk.page * len(LETTERS) + LETTERS.index(place.letter)
        if place.camera == SCENES:
            scene = state.show.scene_numbered(slot + 1)
            return scene.name if scene is not None else None
        camera = state.show.camera_numbered(place.camera)
        framing = state.show.framing_at(camera.id, slot) if camera is not None else None
        return framing.name if framing is not None else None

    def _done(self) -> None:
        if self._place is not None and self._place.camera == SCENES and self._place.letter is not None:
            number = self._board.scene_number(self._place.letter)
            self._bridge.act("scene.rename", scene=number, name=self.text())
        elif self._place is not None:
            self._bridge.act("framing.rename", camera=self._place.camera, letter=self._place.letter, name=self.text())
        self._leave()

    def _leave(self) -> None:
        self._place = None
        self.hide()
        self.window().setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self._leave()
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self._place = None
        self.hide()


class AirView(QWidget):
    """See the design page. `hint` is what the lowest line says when nothing has happened."""

    hint = "A number selects a camera, a letter readies its framing; 0 and a letter a scene. Space cuts. F1: every key."

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.program = Monitor(bridge, "program", "On air", "Nothing is on air yet.")
        self.next = Monitor(
            bridge, "next", "Next", "Nothing is readied. Press a camera's number, then the letter of a framing."
        )
        self.then = Then(bridge)
        self.board = Board(bridge)
        self.side = Side(bridge)
        self.name_field = NameField(self.board, bridge)
        self.pads = PadsPane(bridge, self, can_lock=False)
        self.pads.setAutoFillBackground(True)
        self.pads.hide()
        self.chooser = Chooser(bridge, self)
        self.chooser.hide()
        self.board.rename_wanted.connect(self.name_field.ask)
        self._sizes = one_shot(self, 0, self._tell_sizes)
        self.board.sizes_changed.connect(self._sizes.start)
        self._down: dict[int, str] = {}  # the controls of keys that are held
        pictures = QHBoxLayout()
        pictures.setSpacing(MARGIN)
        pictures.addWidget(self.program)
        pictures.addWidget(self.next)
        pictures.addWidget(self.then, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(pictures)
        lower = QHBoxLayout()
        lower.setSpacing(MARGIN)
        lower.addWidget(self.board, 1)
        lower.addWidget(self.side)
        self._lower = lower
        bridge.preferred.connect(self._choose_side)
        self._choose_side()
        column.addLayout(lower, 1)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    # Geometry

    def _choose_side(self) -> None:
        """The side column stands where the hand that uses it is."""
        left = self._bridge.preferences.side == "left"
        self._lower.setDirection(QHBoxLayout.Direction.RightToLeft if left else QHBoxLayout.Direction.LeftToRight)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._share_out()

    def shown(self) -> None:
        """This view has come to the front: the live pictures are wanted at its sizes."""
        self._share_out()

    def _share_out(self) -> None:
        """On air and Next the same size; Then takes at least 230 pixels; the board at least 55 % of the height."""
        wide = min((self.width() - 2 * MARGIN - 230) // 2, 960)
        picture = min(wide, int((self.height() * 0.44 - head() - FOOT) * 16 / 9)) // 16 * 16
        for monitor in (self.program, self.next):
            monitor.setFixedSize(picture, picture * 9 // 16 + head() + FOOT)
        self.then.setFixedHeight(picture * 9 // 16 + head() + FOOT)
        self.side.setFixedWidth(look.scaled(min(230, max(168, self.width() * 0.14))))
        self._sizes.start()

    def _tell_sizes(self) -> None:
        if not self.isVisible():
            return
        area = self.program.picture_area()
        size = (max(16, int(area.width())), max(9, int(area.height())))
        self._bridge.show_at("view", {"program": size, "next": size, **self.board.layout_now.small_sizes()})
        self.pads.setGeometry(self.board.geometry())
        self.chooser.setGeometry(self.board.geometry())

    def toggle_marks(self) -> None:
        """The floor plan over the board: who is to be seen."""
        self.chooser.setGeometry(self.board.geometry())
        self.chooser.setVisible(not self.chooser.isVisible())
        self.chooser.raise_()

    def toggle_pads(self) -> None:
        """They lie over the board; the pictures above it stay in sight."""
        self.pads.setGeometry(self.board.geometry())
        self.pads.setVisible(not self.pads.isVisible())
        self.pads.refresh()
        self.pads.raise_()

    # Keys

    def event(self, event: QEvent) -> bool:
        tabs = (Qt.Key.Key_Tab, Qt.Key.Key_Backtab)
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent) and event.key() in tabs:
            self.keyPressEvent(event)
            return True
        return super().event(event)

    def _move_focus(self, event: QKeyEvent) -> None:
        """Tab is the cover shot here, so it is Ctrl+Tab that goes from part to part."""
        self.focusNextPrevChild(event.key() == Qt.Key.Key_Tab)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        name = key_name(event)
        if name in ("Ctrl+Tab", "Ctrl+Shift+Tab", "Ctrl+Backtab"):
            self._move_focus(event)
            return
        control = f"key {name}"
        call = self._bridge.found(control).get(How.PRESS)
        if call is not None and not event.isAutoRepeat():
            self._select(call)
        if not self._bridge.press(control, event.isAutoRepeat(), self._row_id()):
            super().keyPressEvent(event)
        elif not event.isAutoRepeat():
            self._down[event.key()] = control

    def _row_id(self) -> str | None:
        """The row that was selected here last, of which the engine may not have heard yet."""
        if self.board.row_asked == SCENES:
            return SCENE_ROW
        camera = self._bridge.state.show.camera_numbered(self.board.row_asked or 0)
        return camera.id if camera is not None else None

    def _select(self, call: Call) -> None:
        """What is selected by a key is marked at once, though the engine may not have heard of it yet."""
        arguments = call.arguments
        number = arguments.get("camera")
        if call.action == "row.key" and isinstance(key := arguments.get("number"), int):
            number = in_bank(self._bridge.state, key)
        row = CATALOGUE.by_id.get(call.action)  # none: of a newer version
        if (
            row is not None
            and (row.names_row or call.action == "row.key")
            and isinstance(number, int)
            and self._bridge.state.show.camera_numbered(number)
        ):
            self.board.row_asked = number
        elif call.action == "row.scenes":
            self.board.row_asked = SCENES
        letter = arguments.get("letter")
        if isinstance(letter, str) and "camera" not in arguments:
            self._name_place(letter)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """Whatever is held down is let go: its release would go elsewhere."""
        for control in self._down.values():
            self._bridge.release(control)
        self._down.clear()
        super().focusOutEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat() and (control := self._down.pop(event.key(), None)) is not None:
            self._bridge.release(control)
        super().keyReleaseEvent(event)

    def _name_place(self, letter: str) -> None:
        """The row is the one asked for last, which the engine may not have heard of yet."""
        state = self._bridge.state
        camera = state.show.camera(state.desk.row) if state.desk.row else None
        number = self.board.row_asked
        if number is None:
            number = SCENES if state.desk.row == SCENE_ROW else camera.number if camera is not None else None
        self.board.named = TilePlace(number, letter) if number is not None else None

    def obey(self, action: str) -> None:
        """What only Air can do; see the family of desk actions."""
        does: dict[str, Callable[[], None]] = {
            "desk.pads": self.toggle_pads,
            "desk.marks": self.toggle_marks,
        }
        if action in does:
            does[action]()
        elif self.board.named is not None:
            self._to_named(action, self.board.named)

    def _to_named(self, action: str, place: TilePlace) -> None:
        """What is done to the place that was named last."""
        on_scene = place.camera == SCENES
        if action == "desk.rename":
            self.board.ask_for_name(place)
        elif action == "desk.remove" and on_scene and place.letter is not None:
            self._bridge.act("scene.remove", scene=self.board.scene_number(place.letter))
        elif action == "desk.remove":
            self._bridge.act("framing.remove", camera=place.camera, letter=place.letter)
        elif action == "desk.lock_framing" and not on_scene:
            self._bridge.act("framing.lock", camera=place.camera, letter=place.letter)
