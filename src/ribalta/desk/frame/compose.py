"""Frame it for me: choose who is to be seen and how large; every camera says how well it could."""

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from ribalta.core.planning.composing import HEADROOM, LOOK_ROOM
from ribalta.core.planning.fit import Suggestion, fit_of_framing, suggestions
from ribalta.core.show.document.model import Framing, Mark, ShotSize, Show
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Choice, Field, button, label

COLUMNS = 4

LONGEST_NAME = 130  # pixels of a mark's name, at the usual size of text


class ComposePage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._shown: tuple[object, ...] = ()
        self._marks: tuple[Mark, ...] = ()
        self._framing: Framing | None = None
        self.shot_size = Choice("Shot size", {s.value: s.value for s in ShotSize}, lambda _: self._suggest())
        self.shot_size.show_value(ShotSize.MEDIUM)
        self.headroom = Field("Headroom, % of the height", lambda _: self._suggest())
        self.look_room = Field("Look-room, % of the width", lambda _: self._suggest())
        for field in (self.headroom, self.look_room):
            field.setMaximumWidth(look.scaled(56))
        self.headroom.setPlaceholderText("own")
        self.look_room.show_text(f"{100 * LOOK_ROOM:g}")
        self.fill = button("Fill the board", lambda: bridge.act("board.fill"), "Framings of all marks for all cameras")
        self.buttons: dict[str, QPushButton] = {}
        self._box = QWidget()
        self._grid = QGridLayout(self._box)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(4)
        marks = QScrollArea()
        marks.setWidgetResizable(True)
        marks.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        marks.setWidget(self._box)
        marks.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        line = QHBoxLayout()
        size = (label("Size", soft=True), self.shot_size)
        rooms = (label("Headroom %", soft=True), self.headroom, label("Look-room %", soft=True), self.look_room)
        for part in (*size, *rooms):
            line.addWidget(part)
        self.about = button("It shows these", self._describe, "The chosen framing shows these marks, at this size")
        self.rating = Field("Your own fit, 0 to 100", self._rate, "Your own judgement in place of the computed fit")
        self.rating.setMaximumWidth(look.scaled(56))
        self.words = label("", soft=True)
        self.words.setMinimumWidth(40)
        self.words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        second = QHBoxLayout()
        second.addWidget(self.words, 1)
        second.addWidget(self.about)
        second.addWidget(label("Your own fit", soft=True))
        second.addWidget(self.rating)
        left = QVBoxLayout()
        left.addLayout(line)
        left.addWidget(marks, 1)
        left.addLayout(second)
        self._results = QScrollArea()
        self._results.setWidgetResizable(True)
        self._results.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._results.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 4, 0, 0)
        right = QVBoxLayout()
        right.addWidget(self._results, 1)
        right.addWidget(self.fill, 0, Qt.AlignmentFlag.AlignRight)
        whole.addLayout(left, 1)
        whole.addLayout(right, 1)

    @property
    def chosen(self) -> tuple[str, ...]:
        """Mark ids, in the plan's order."""
        return tuple(mark_id for mark_id, one in self.buttons.items() if one.isChecked())

    def show_framing(self, framing: Framing | None) -> None:
        """The framing that can be described: what it shows, and how good it is."""
        self._framing = framing
        self.about.setEnabled(framing is not None and bool(self.chosen))
        self.rating.setEnabled(framing is not None)
        fit = fit_of_framing(self._bridge.state.show, framing) if framing is not None else None
        self.rating.setPlaceholderText("" if fit is None else str(fit))
        rated = framing is not None and framing.rating is not None
        self.rating.show_text(str(framing.rating) if framing is not None and rated else "", framing)
        said, room = f"“{framing.name}”" if framing is not None else "No framing is chosen.", self.words.width()
        self.words.setText(self.words.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, room))
        self.words.setToolTip(said)

    def _describe(self) -> None:
        self._of_framing("framing.describe", marks=self.chosen, size=self.shot_size.value())

    def _rate(self, text: str) -> None:
        """Nothing drops the director's own judgement."""
        self._of_framing("framing.describe", rating=text.strip() or -1)

    def _of_framing(self, action: str, **arguments: object) -> None:
        framing = self._framing
        camera = self._bridge.state.show.camera(framing.camera_id) if framing is not None else None
        if framing is not None and camera is not None:
            place = {"camera": camera.number, "letter": framing.letter, "page": framing.page}
            self._bridge.act(action, **place, **arguments)

    def refresh(self) -> None:
        show = self._bridge.state.show
        if show.marks is not self._marks:
            self._marks = show.marks
            self._make_buttons(show)
        shown = (show.cameras, show.marks, show.obstacles)
        if any(a is not b for a, b in zip(shown, self._shown, strict=False)) or not self._shown:
            self._shown = shown
            self._suggest()

    def _make_buttons(self, show: Show) -> None:
        before = set(self.chosen)
        for one in self.buttons.values():
            self._grid.removeWidget(one)
            one.deleteLater()
        self.buttons = {}
        for k, mark in enumerate(show.marks):
            one = QPushButton()
            room = look.scaled(LONGEST_NAME)
            one.setText(one.fontMetrics().elidedText(mark.name, Qt.TextElideMode.ElideRight, room))
            one.setToolTip(mark.name)
            one.setAccessibleName(mark.name)
            one.setCheckable(True)
            one.setObjectName("mark")
            one.setFont(look.font(13, look.MEDIUM))
            one.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            one.setChecked(mark.id in before)
            one.clicked.connect(lambda _: self._suggest())
            self._grid.addWidget(one, k // COLUMNS, k % COLUMNS)
            self.buttons[mark.id] = one
        self._grid.setRowStretch(self._grid.rowCount(), 1)

    def arguments(self) -> dict[str, object]:
        """Of the action that frames them, without the camera."""
        found: dict[str, object] = {"marks": self.chosen, "size": self.shot_size.value()}
        for name, field in (("headroom", self.headroom), ("look_room", self.look_room)):
            try:
                found[name] = min(0.4, max(0.0, float(field.text().replace(",", ".")) / 100))
            except ValueError:
                continue  # the size's own
        return found

    def _suggest(self) -> None:
        show = self._bridge.state.show
        size = ShotSize(self.shot_size.value())
        self.headroom.setPlaceholderText(f"{100 * HEADROOM[size]:g}")
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(3)
        marks = [mark for m in self.chosen if (mark := show.mark(m)) is not None]
        if not show.marks:
            column.addWidget(label("The floor plan has no marks yet. Add them in Rig: F2.", soft=True, wrap=True))
        elif not marks:
            column.addWidget(
                label("Choose who is to be seen: one mark, or two and more for a group.", soft=True, wrap=True)
            )
        asked = self.arguments()
        rooms = [float(str(asked[name])) if name in asked else None for name in ("headroom", "look_room")]
        for one in suggestions(show, marks, size, rooms[0], rooms[1]):
            column.addWidget(self._line(show, one))
        column.addStretch(1)
        self._results.setWidget(inside)

    def _line(self, show: Show, one: Suggestion) -> QWidget:
        camera = show.camera(one.camera_id)
        assert camera is not None
        made = QWidget()
        line = QHBoxLayout(made)
        line.setContentsMargins(0, 0, 0, 0)
        why = one.composed.why_not[0] if one.composed.why_not else one.fit.words
        said = (
            f"{camera.number} {camera.name}: fit {one.fit.score}" if one.possible else f"{camera.number}: not possible"
        )
        line.addWidget(label(f"{said}{', ' if why else ''}{why}", soft=not one.possible, wrap=True), 1)
        if one.possible:
            for words, action in (("Look", "compose.aim"), ("Store", "compose.store")):
                asked = partial(self._ask, action, camera.number)
                press = button(words, asked, f"Camera {camera.number}: {words.lower()}")
                press.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                line.addWidget(press)
        return made

    def _ask(self, action: str, number: int) -> None:
        self._bridge.act(action, camera=number, **self.arguments())
